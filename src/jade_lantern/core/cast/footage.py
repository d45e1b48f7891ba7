"""Footage whose camera is known: where each of its frames was taken from, and how well each sees a
proxy, or what a region of the picture shows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from ..arrays import Flags, Floats, Indices
from ..camera import Camera, focal_px_from_35mm
from ..deadline import check_time
from ..mesh import Mesh, joined
from ..refusal import Refusal
from ..render.land import near_limit
from ..render.see import Seen, see
from ..scene.model import Scene
from ..scene.moment import moments
from ..scene.plate import Plate
from ..sight.measure import required_camera
from ..value import Point2
from .ofscene import cast_meshes, face_numbers

RANKED_AT = 960  # px, the width that frames are ranked at
PLACES = 3000  # on a proxy, by which it is told how much of it a frame sees
RIM = (0.03, 0.97)  # of places, within which what is seen lies
HIDDEN = 1e-3  # share of its depth by which a place may lie behind what is seen there


class Frame(NamedTuple):
    """A frame of the footage. number: of the shot. plate: at its picture. camera: of the plate's
    size."""

    number: int
    plate: Plate
    camera: Camera


class Ranked(NamedTuple):
    """How well a frame sees a proxy, a face of one, or what a region of the picture shows. seen:
    the share of it that it sees; hidden: the share that is in its frame and behind something.
    sharp: pixels a metre where it is seen, along the direction in which they are fewest; stretch:
    how many times more they are along the other. by: what hides most of it, None where nothing
    does. picture: of the footage, from 0. box: the left, top, right and bottom of what is seen, as
    shares of the picture."""

    frame: int
    seen: float
    hidden: float
    sharp: float
    stretch: float
    by: str | None
    picture: int
    box: tuple[float, float, float, float]

    @property
    def worth(self) -> float:
        """By which frames are ranked: pixels that it brings, one way, over all of it."""
        return self.seen * self.sharp


class _Places(NamedTuple):
    """(N, 3) places and the normals of their surfaces, and (N,) the number of each one's proxy."""

    at: Floats
    normals: Floats
    of: Indices


def footage_of(scene: Scene) -> list[Frame]:
    """The frames of a scene's plate that plays, along the camera that was brought in. Raises
    Refusal where the plate does not play, or no camera is known over time."""
    sighted = required_camera(scene)
    if scene.plate.playing is None:
        raise Refusal("The still is one picture, and this is done with a movie or a sequence.")
    if scene.passed is None:
        raise Refusal(
            "Where the footage was taken from is not known frame by frame: take its camera from a "
            "file in Sight first."
        )
    numbers = range(min(len(scene.passed.frames), scene.move.frames))
    out = []
    shown: set[int] = set()
    for k, moment in zip(numbers, moments(scene, np.array(numbers, float)), strict=True):
        if moment.plate.picture in shown:  # it rests
            continue
        shown.add(moment.plate.picture)
        at = scene.passed.frames[k]
        focal = focal_px_from_35mm(at.focal_mm, sighted.width, sighted.height)
        camera = Camera(
            sighted.width, sighted.height, focal, np.array(at.axes), np.array(at.position),
            sighted.cx, sighted.cy,
        )  # fmt: skip
        out.append(Frame(k, moment.plate, camera))
    return out


def ranked(scene: Scene, proxy: str, face: int | None = None) -> list[Ranked]:
    """How well each frame of the footage sees a proxy or one of its faces, the best first. Raises
    Refusal: see `footage_of`; and where there is no such proxy or face."""
    sighted = required_camera(scene)
    shown = [p for p in scene.proxies if not p.hidden]
    which = next((i for i, p in enumerate(shown) if p.id == proxy), None)
    if which is None:
        raise Refusal("This proxy is not there, or hidden.")
    (mesh,) = cast_meshes(scene, sighted, [shown[which]])
    if face is not None:
        mine = face_numbers(shown[which], mesh, sighted) == face
        if not mine.any():
            raise Refusal(f"{shown[which].name} has no face {face}.")
        mesh = Mesh(mesh.points, mesh.triangles[mine], mesh.faces[mine])
    places, normals = _places_on(mesh)
    return _ranked(scene, _Places(places, normals, np.full(len(places), which)))


def ranked_in(scene: Scene, ring: Sequence[Point2]) -> list[Ranked]:
    """How well each frame of the footage sees what the lens sees inside a ring, px of the lens
    view, the best first. Raises Refusal: see `footage_of`; and where nothing stands in there."""
    sighted = required_camera(scene)
    shown = [p for p in scene.proxies if not p.hidden]
    camera = sighted.at_width(RANKED_AT)
    scale = camera.width / sighted.width
    mask = np.zeros((camera.height, camera.width), np.uint8)
    corners: Floats = np.array(ring, float) * scale
    outline = np.round((corners - 0.5) * 16).astype(np.int32)
    cv2.fillPoly(mask, [outline], 1, cv2.LINE_8, 4)
    every = joined(cast_meshes(scene, sighted, shown))
    seen = see(every, camera, near_limit([sighted]))
    rows, columns = np.nonzero((mask > 0) & (seen.surface >= 0))
    if not len(rows):
        raise Refusal("Nothing stands in there. Draw round a part of the picture that is blocked.")
    step = -(-len(rows) // PLACES)
    rows, columns = rows[::step], columns[::step]
    surface = seen.surface[rows, columns].astype(np.int64)
    at: Floats = np.stack([columns + 0.5, rows + 0.5], axis=1)
    depth = 1.0 / seen.inverse_depth_at(surface, at)
    places = camera.position + camera.rays(at) * depth[:, None]
    normals = seen.screen.plane[surface, :3]
    return _ranked(scene, _Places(places, normals, seen.screen.owner[surface]))


def apart(ranked: Sequence[Ranked], count: int) -> list[Ranked]:
    """The best few of ranked frames that are not neighbours of each other: each at least a twelfth
    of all away from any better one."""
    frames = [one.frame for one in ranked]
    least = (max(frames, default=0) - min(frames, default=0) + 1) / 12
    out: list[Ranked] = []
    for one in ranked:
        if len(out) < count and all(abs(one.frame - other.frame) >= least for other in out):
            out.append(one)
    return out


def _ranked(scene: Scene, places: _Places) -> list[Ranked]:
    frames, sighted = footage_of(scene), required_camera(scene)
    shown = [p for p in scene.proxies if not p.hidden]
    near, every = near_limit([sighted]), joined(cast_meshes(scene, sighted, shown))
    names = [p.name for p in shown]
    out = []
    for frame in frames:
        check_time()
        camera = frame.camera.at_width(RANKED_AT)
        out.append(_rank(frame, camera, see(every, camera, near), places, names))
    return sorted(out, key=lambda one: -one.worth)


def _rank(frame: Frame, camera: Camera, seen: Seen, places: _Places, names: list[str]) -> Ranked:
    inside, before, owner = behind(camera, seen, places.at)
    free = inside & ~before
    hidden = inside & before & (owner >= 0)
    by = np.bincount(owner[hidden & (owner != places.of)], minlength=len(names))
    sharp, along = _sharp(frame.camera, places.at[free], places.normals[free])
    box = (0.0, 0.0, 1.0, 1.0)
    if free.any():
        at = camera.project(places.at[free])[0] / [camera.width, camera.height]
        # but for the rims of a region, where what is behind it may be
        (left, top), (right, bottom) = np.quantile(at, RIM, axis=0).tolist()
        box = left, top, right, bottom
    return Ranked(
        frame.number, float(free.mean()), float(hidden.mean()),
        float(np.median(sharp)) if len(sharp) else 0.0,
        float(np.median(along / np.maximum(sharp, 1e-12))) if len(sharp) else 1.0,
        names[int(by.argmax())] if by.any() else None, frame.plate.picture, box,
    )  # fmt: skip


def behind(camera: Camera, seen: Seen, places: Floats) -> tuple[Flags, Flags, np.ndarray]:
    """(N,) whether places lie in a camera's frame, whether something is before them, and whose
    surface is seen there, -1 for none. seen: what the camera sees."""
    at, depth = camera.project(places)
    inside = (depth > 0) & (at >= 0).all(axis=1) & (at < [camera.width, camera.height]).all(axis=1)
    before, owner = np.zeros(len(places), bool), np.full(len(places), -1)
    rows, columns = at[inside, 1].astype(int), at[inside, 0].astype(int)
    surface = seen.surface[rows, columns].astype(np.int64)
    there = surface >= 0
    owner[np.nonzero(inside)[0][there]] = seen.screen.owner[surface[there]]
    inverse = seen.inverse_depth_at(surface[there], at[inside][there])
    off = inverse * depth[inside][there] > 1.0 + HIDDEN
    before[np.nonzero(inside)[0][there]] = off
    return inside, before, owner


def _places_on(mesh: Mesh) -> tuple[Floats, Floats]:
    """(N, 3) places on a mesh, evenly by area, and their normals: the same at every call."""
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    area = np.linalg.norm(across, axis=1)
    if not area.sum() > 0:
        raise Refusal("This proxy has no surface.")
    rng = np.random.default_rng(0)
    total = np.cumsum(area) / area.sum()
    which = np.searchsorted(total, (np.arange(PLACES) + 0.5) / PLACES).clip(0, len(area) - 1)
    u, v = rng.random((2, PLACES, 1))
    over = u + v > 1
    u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
    normals = across[which] / np.maximum(area[which], 1e-300)[:, None]
    return a[which] + u * (b - a)[which] + v * (c - a)[which], normals


def _sharp(camera: Camera, places: Floats, normals: Floats) -> tuple[Floats, Floats]:
    """(N,) pixels a metre on surfaces at places, along the direction in which they are fewest, and
    along the other."""
    way = camera.position - places
    far = np.maximum(np.linalg.norm(way, axis=1), 1e-9)
    facing = np.abs((way * normals).sum(axis=1)) / far
    square = camera.focal_px / far
    return square * facing, square
