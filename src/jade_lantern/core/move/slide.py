"""How well the sighting is known, in pixels of the shot: by how much one thing may slide against
what is behind it, because the camera that the proxies were stood under is only so certain.

The proxies' feet, the picture and the move are held; under another camera the same feet stand
elsewhere on the ground, so the same move gives another parallax. The spread of that follows from
the sighting's covariance through the parallax's derivatives (propagation of error to first order).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from ..arrays import Floats
from ..block.under import Surfaces
from ..camera import NEAREST, Camera, world_size
from ..mesh import joined
from ..proxy import Stood
from ..refusal import Refusal
from ..render.land import near_limit
from ..render.see import see
from ..scene.model import Scene
from ..scene.moment import at
from ..scene.shot import shot_camera
from ..sight.lens import Lens, Unsettled
from ..sight.lines import HEADING_INDEX
from ..sight.measure import camera_under, required_camera
from ..sight.misfit import turned
from ..sight.sighted import lens_of_scene
from ..sight.spread import LEAST_SIGMA_PX, slopes_at

LOOKED_AT = 200  # px, the width of the picture that neighbours are found in
MOST_PLACES = 4  # along the border of two neighbours
FREE = 6  # log focal, the rotation vector, and the principal point
STEPS = np.array([1e-5, 1e-6, 1e-6, 1e-6, 1e-2, 1e-2])
GRID = (6, 4)  # places of the picture that one more edge is thought at
EDGE_LENGTH = 0.2  # of the longer side
GOOD_PX = 1.0  # a slide under this is not seen in a frame as large as the plate


class Slide(NamedTuple):
    """proxy may slide by so many pixels of the plate's size (one standard deviation) against
    another one by a frame. at: px of the plate, where it does most."""

    proxy: str
    against: str
    px: float
    at: tuple[float, float]


class Better(NamedTuple):
    """What one more edge would make of the worst slide: along which heading, where (px)."""

    heading: str
    near: tuple[float, float]
    px: float


class Sure(NamedTuple):
    """The slides of a frame, the worst first, and what would make them smaller."""

    frame: int
    slides: list[Slide]
    better: Better | None


class Place(NamedTuple):
    """A place of the picture on a proxy. point, normal: (3,) in the world. foot: (3,) on the ground
    that the proxy stands by; None where it hangs before the lens."""

    pixel: Floats
    point: Floats
    normal: Floats
    foot: Floats | None


class Border(NamedTuple):
    """Where a proxy (near) is next to another one in the picture."""

    near: str
    far: str
    on_near: Place
    on_far: Place


def sureness(scene: Scene, frame: int) -> Sure:
    """How far things may slide by a frame. Raises Refusal where there is no camera, or it has been
    set by eye, of which no uncertainty is known."""
    lens = lens_of_scene(scene)
    sighted = required_camera(scene)
    if isinstance(lens, Unsettled):
        raise Refusal(lens.reason)
    spread = lens.covariance[:FREE, :FREE]
    if scene.sighting.given is not None:
        raise Refusal("The camera came from a file, which does not say how certain it is.")
    if scene.sighting.by_eye is not None or not spread.any():
        raise Refusal("The camera was set by eye, so nobody knows how certain it is.")
    shot = shot_camera(scene, frame, sighted)
    moment = at(scene, float(frame))
    found = [b for b in borders(moment, sighted) if _in_sight(b, shot)]
    if not found:
        return Sure(frame, [], None)
    slopes = _slopes(scene, lens, sighted, shot, found)
    px = _rms(slopes, spread)
    worst: dict[tuple[str, str], Slide] = {}
    for border, one in sorted(zip(found, px, strict=True), key=lambda pair: -pair[1]):
        x, y = border.on_near.pixel.tolist()
        key = border.near, border.far
        worst.setdefault(key, Slide(border.near, border.far, float(one), (x, y)))
    slides = list(worst.values())
    return Sure(frame, slides, _better(lens, slopes, spread))


def borders(scene: Scene, sighted: Camera) -> Iterator[Border]:
    """Places where one proxy is next to another in the picture, a few of each two."""
    shown = [p for p in scene.proxies if not p.hidden]
    small = sighted.at_width(LOOKED_AT)
    seen = see(joined([p.mesh(sighted) for p in shown]), small, near_limit([sighted]))
    owner = seen.owner
    size = np.array([sighted.width / small.width, sighted.height / small.height])
    surfaces = [Surfaces((p,), sighted) for p in shown]
    pairs: dict[tuple[int, int], list[tuple[Floats, Floats]]] = {}
    for down, aside in ((0, 1), (1, 0)):
        a = owner[: len(owner) - down, : owner.shape[1] - aside]
        b = owner[down:, aside:]
        rows, columns = np.nonzero((a != b) & (a >= 0) & (b >= 0))
        for r, c in zip(rows.tolist(), columns.tolist(), strict=True):
            one = np.array([c + 0.5, r + 0.5])
            two = one + [aside, down]
            pairs.setdefault((int(a[r, c]), int(b[r, c])), []).append((one * size, two * size))
    for (i, j), places in pairs.items():
        step = max(len(places) // MOST_PLACES, 1)
        for one, two in places[step // 2 :: step][:MOST_PLACES]:
            first, second = _place(surfaces[i], sighted, one), _place(surfaces[j], sighted, two)
            if first is None or second is None:
                continue
            here = sighted.position
            nearer = np.linalg.norm(first.point - here) <= np.linalg.norm(second.point - here)
            if nearer:
                yield Border(shown[i].id, shown[j].id, first, second)
            else:
                yield Border(shown[j].id, shown[i].id, second, first)


def varied(lens: Lens, by: Floats) -> Lens:
    """The lens with its log focal, rotation and principal point changed by (FREE,)."""
    return replace(
        lens, focal_px=lens.focal_px * float(np.exp(by[0])),
        rotation=turned(lens.rotation, np.ascontiguousarray(by[1:4])),
        centre=(lens.centre[0] + float(by[4]), lens.centre[1] + float(by[5])),
    )  # fmt: skip


def parallax(now: Camera, sighted: Camera, shot: Camera, found: list[Border]) -> Floats:
    """(N, 2) px, from where the far place of each border is seen in the shot to where the near one
    is, were the sighted camera another one. sighted, shot: the cameras as they are."""
    step = now.rotation.T @ (sighted.rotation @ (shot.position - sighted.position))
    then = replace(
        shot, position=now.position + step,
        rotation=shot.rotation @ sighted.rotation.T @ now.rotation,
        focal_px=shot.focal_px * now.focal_px / sighted.focal_px, cx=now.cx, cy=now.cy,
    )  # fmt: skip
    near, far = (
        then.project(_stood(places, sighted, now))[0]
        for places in ([b.on_near for b in found], [b.on_far for b in found])
    )
    return np.asarray(near - far, float)


def _stood(places: list[Place], sighted: Camera, now: Camera) -> Floats:
    """(N, 3) where places of the picture lie once their proxies are stood by the same feet under
    another camera: a foot is where its pixel meets the same level, the surface keeps its direction,
    and is as much larger as it is farther off. What hangs stays as far off as it is."""
    rays = now.rays(np.array([p.pixel for p in places]))
    points, normals = np.array([p.point for p in places]), np.array([p.normal for p in places])
    out: Floats = now.position + rays * ((points - sighted.position) @ sighted.forward)[:, None]
    stands = np.array([p.foot is not None for p in places])
    if not stands.any():
        return out
    feet = np.array([p.foot for p in places if p.foot is not None])
    rays, points, normals = rays[stands], points[stands], normals[stands]
    down = now.rays(sighted.project(feet)[0])
    foot = now.position + down * ((now.position[1] - feet[:, 1]) / -down[:, 1])[:, None]
    grown = np.linalg.norm(foot - now.position, axis=1)
    grown /= np.linalg.norm(feet - sighted.position, axis=1)
    on_it = foot + grown[:, None] * (points - feet) - now.position
    along = (normals * on_it).sum(axis=1) / (normals * rays).sum(axis=1)
    out[stands] = now.position + rays * along[:, None]
    return out


def _place(surface: Surfaces, sighted: Camera, pixel: Floats) -> Place | None:
    ray = sighted.rays(pixel)
    hit = surface.nearest(sighted.position, ray)
    if hit is None or abs(float(hit.normal @ ray)) < 0.02 * np.linalg.norm(ray):
        return None  # seen edge on
    foot = None
    (proxy,) = surface.proxies
    if isinstance(proxy, Stood):
        foot = proxy.foot
        drop = float(sighted.position[1] - foot[1])
        way = foot - sighted.position
        ahead = float(way @ sighted.forward) > NEAREST * world_size(sighted)
        if not ahead or abs(drop) < 1e-3 * float(np.linalg.norm(way)):
            return None  # its foot is not seen, so nothing says where it stands
    return Place(pixel, hit.point, hit.normal, foot)


def _in_sight(border: Border, shot: Camera) -> bool:
    pixels, depth = shot.project(np.array([border.on_near.point, border.on_far.point]))
    inside = (pixels >= 0).all() and (pixels <= [shot.width, shot.height]).all()
    return bool(inside and (depth > 0).all())


def _slopes(scene: Scene, lens: Lens, sighted: Camera, shot: Camera, found: list[Border]) -> Floats:
    """(N, 2, FREE) derivatives of the parallax by what is not known of the lens."""
    out = np.zeros((len(found), 2, FREE))
    for k in range(FREE):
        if lens.covariance[k, k] <= 0:
            continue
        by = np.zeros(FREE)
        by[k] = STEPS[k]
        ahead, back = (
            parallax(camera_under(varied(lens, sign * by), scene.sighting), sighted, shot, found)
            for sign in (1, -1)
        )
        out[..., k] = (ahead - back) / (2 * STEPS[k])
    return out


def _rms(slopes: Floats, spread: Floats) -> Floats:
    """(N,) px: the root of the mean square of slides with derivatives (N, 2, FREE)."""
    return np.sqrt(np.maximum(np.einsum("nij,jk,nik->n", slopes, spread, slopes), 0.0))


def _better(lens: Lens, slopes: Floats, spread: Floats) -> Better | None:
    """The edge that would make the worst slide smallest, were it traced."""
    best: Better | None = None
    size = max(lens.width, lens.height)
    across, down = GRID
    places = np.array([
        (lens.width * (i + 0.5) / across, lens.height * (j + 0.5) / down)
        for i in range(across) for j in range(down)
    ])  # fmt: skip
    noise = max(lens.sigma_px, LEAST_SIGMA_PX) ** 2
    for heading, number in HEADING_INDEX.items():
        rows = slopes_at(places, number, EDGE_LENGTH * size, lens)
        for place, row in zip(places.tolist(), rows, strict=True):
            gain = spread[:, :4] @ row
            after = spread - np.outer(gain, gain) / (noise + float(row @ gain[:4]))
            px = float(_rms(slopes, after).max())
            if best is None or px < best.px:
                best = Better(heading, (place[0], place[1]), px)
    return best
