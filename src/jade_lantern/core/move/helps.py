"""What would help a frame, in order: which plate to paint, which edge of a plate to extend, which
proxy to give a plate of its own, which outline to widen, which edge to trace; each with what it
would bring."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from ..arrays import Flags, Floats
from ..camera import Camera
from ..cast.ofscene import Pixels, dark, plate_camera
from ..render.diagnose import Diagnosis
from ..render.see import see
from ..scene.model import Lantern, Scene
from ..scene.moment import at
from ..scene.sheet import lanterns_of
from ..scene.shot import shot_camera
from ..sight.measure import required_camera
from .diagnosis import diagnosed_cast, standing
from .frames import render_request
from .slide import GOOD_PX, Sure

LOOKED_AT = 320  # px, the width of the frame
LEAST = 0.0003  # of a frame; less is not worth a line
MOST_HELPS = 8

Kind = Literal["paint", "extend", "split", "widen", "stretch", "trace"]


class Help(NamedTuple):
    """kind: to paint what a proxy shows that its lanterns do not see; to extend a plate past whose
    edge a proxy is seen; to split a proxy off that a nearer one's picture lands on; to widen what
    ends before a hole; to bring a larger plate for what is pulled too far; to trace one more edge.
    share: of the frame that it would mend; 0 of a trace. px: by how much things may slide, and then
    what would be left of that. heading, near: of the edge to be traced."""

    kind: Kind
    share: float = 0.0
    proxy: str | None = None
    lantern: str | None = None
    px: tuple[float, float] | None = None
    heading: str | None = None
    near: tuple[float, float] | None = None


def helps(scene: Scene, frame: int, sure: Sure | None, pixels: Pixels | None = None) -> list[Help]:
    """What would help at a frame, what brings most first; what is not a share of the frame last.
    sure: how far things may slide in it; None where that is not known."""
    asked = render_request(scene, LOOKED_AT, frame, frame)
    sighted = required_camera(scene)
    shot, larger, size = asked.looked_at(shot_camera(scene, frame, sighted))
    moment = standing(at(scene, float(frame)))
    cast = diagnosed_cast(moment, pixels)
    told = cast.from_(shot, larger, size=size)
    shown = [p for p in moment.proxies if not p.hidden]
    places = _places(cast.cast.triangles, shot, cast.cast.near_m)
    out = []
    for i, proxy in enumerate(shown):
        mine = told.parts.owner == i
        lanterns = [one for one in lanterns_of(moment, proxy.id) if not dark(one)]
        bare = (told.areas("reveal")[0] > 0) & mine
        if bare.any():
            past = np.zeros_like(bare)
            past[bare] = ~_inside(places[bare], lanterns, sighted)
            first = lanterns[0].id if lanterns else None
            out.append(Help("extend", told.share("reveal", past), proxy.id, first))
            out.append(Help("paint", told.share("reveal", bare & ~past), proxy.id, first))
        shares = told.shares_of(i)
        out.append(Help("split", shares["spill"], proxy.id))
        out.append(Help("stretch", shares["stretch"], proxy.id))
    out += _widened(told, [p.id for p in shown])
    worth = [one for one in out if one.share > LEAST]
    worth.sort(key=lambda one: -one.share)
    return [*worth[:MOST_HELPS], *_traced(sure)]


def _places(triangles: object, shot: Camera, near_m: float) -> Floats:
    """(H, W, 3) the place in the world that each pixel shows; NaN where it shows none."""
    seen = see(triangles, shot, near_m)  # type: ignore[arg-type]
    out = np.full((*seen.surface.shape, 3), np.nan)
    rows, columns = np.nonzero(seen.surface >= 0)
    pixels = np.stack([columns + 0.5, rows + 0.5], axis=1)
    inverse = seen.inverse_depth_at(seen.surface[rows, columns].astype(np.int64), pixels)
    out[rows, columns] = shot.position + shot.rays(pixels) / inverse[:, None]
    return out


def _inside(places: Floats, lanterns: list[Lantern], sighted: Camera) -> Flags:
    """(N,) which places (N, 3) lie within the frame of any of some lanterns."""
    out = np.zeros(len(places), bool)
    for one in lanterns:
        camera = plate_camera(one, sighted)
        pixels, depth = camera.project(np.nan_to_num(places))
        within = (pixels >= 0).all(axis=1) & (pixels <= [camera.width, camera.height]).all(axis=1)
        out |= within & (depth > 0)
    return out


def _widened(told: Diagnosis, ids: list[str]) -> list[Help]:
    """Holes, by the proxy that is next to most of each one's pixels in the frame."""
    share = told.share("leak")
    if not share:
        return []
    beside = np.zeros(len(ids))
    for axis in (0, 1):
        a, b = np.moveaxis(told.owner, axis, 0)[:-1], np.moveaxis(told.owner, axis, 0)[1:]
        for hole, edge in ((a, b), (b, a)):
            met = edge[(hole < 0) & (edge >= 0)]
            beside += np.bincount(met, minlength=len(ids))[: len(ids)]
    if not beside.any():
        return [Help("widen", share)]
    return [Help("widen", share, ids[int(np.argmax(beside))])]


def _traced(sure: Sure | None) -> list[Help]:
    if sure is None or not sure.slides or sure.better is None or sure.slides[0].px <= GOOD_PX:
        return []
    worst, better = sure.slides[0], sure.better
    return [
        Help("trace", 0.0, worst.proxy, None, (worst.px, better.px), better.heading, better.near)
    ]
