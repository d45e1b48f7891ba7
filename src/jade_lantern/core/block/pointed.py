"""What is under the pointer: the surface, and which of its faces, edges and corners is meant."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Floats
from ..camera import NEAREST, Camera, world_size
from ..pick import Pick, ray_of
from ..proxy import Stood
from ..scene.model import Scene
from ..solid.shape import around
from .parts import Part, in_world, solid_named, solid_of
from .under import Under, under


@dataclass(frozen=True)
class Pointed:
    """on: the surface. part: of its proxy, the corner or edge that is near, else the face. lines:
    the part in the world, each (N, 3); a ring comes back to its first point."""

    on: Under
    part: Part | None
    lines: list[Floats]


def pointed(
    scene: Scene, camera: Camera, pick: Pick, within: float, held: str | None
) -> Pointed | None:
    """What is meant at a picked place. within: how near, px of the lens, a corner or edge is to be
    for it to be meant. held: a proxy whose corners and edges are meant wherever they show, though
    something else is before them. None where nothing is there."""
    on = under(scene, camera, pick)
    chosen = held if held is not None else (on.proxy if on is not None else None)
    proxy = next((p for p in scene.proxies if p.id == chosen and not p.hidden), None)
    if not isinstance(proxy, Stood):
        return None if on is None else Pointed(on, None, [])
    solid = solid_of(proxy, camera)
    shape = solid.shape
    index = {i: n for n, i in enumerate(shape.points)}
    world = in_world(solid, shape.at(shape.points))
    origin, ray = ray_of(camera, pick)
    ray = ray / np.linalg.norm(ray)
    to = world - origin
    along = to @ ray
    ahead = along > NEAREST * world_size(camera)
    off = np.where(ahead, np.linalg.norm(to - along[:, None] * ray, axis=1), np.inf)
    angle = off / np.maximum(along, 1e-9) * camera.focal_px
    numbers = list(shape.points)
    seen = on if on is not None and on.proxy == proxy.id else None
    own = shape.faces.get(seen.face or 0) if seen is not None else None
    if own is not None:  # on a face only its own corners and edges are meant, not hidden ones
        angle[[i for i, n in enumerate(numbers) if not any(n in loop for loop in own)]] = np.inf
    best = int(np.argmin(angle))
    if angle[best] <= within:
        place = Under(world[best], -ray, proxy.id, float(along[best]))
        return Pointed(seen or place, Part(corner=numbers[best]), [world[[best]]])
    sides = [e for loop in own for e in around(loop)] if own is not None else list(shape.sides)
    edges = [e for e in sides if own is not None or e[0] < e[1] or e[::-1] not in shape.sides]
    ends = np.array([[index[a], index[b]] for a, b in edges])
    near, places = _from_ray(origin, ray, world[ends[:, 0]], world[ends[:, 1]])
    away = np.maximum((places - origin) @ ray, 1e-9)
    px = np.where((places - origin) @ ray > 0, near / away, np.inf) * camera.focal_px
    # of edges equally near, the one that is nearer to whoever looks
    best = int(np.argmin(np.round(px, 1) + 1e-6 * away))
    if px[best] <= within:
        place = Under(places[best], -ray, proxy.id, float(away[best]))
        return Pointed(seen or place, Part(edge=edges[best]), [world[ends[best]]])
    if on is None or seen is None or on.face is None:
        return None if on is None else Pointed(on, None, [])
    part = Part(face=on.face)
    return Pointed(on, part, lines_of(scene, camera, proxy.id, part))


def lines_of(scene: Scene, camera: Camera, proxy: str, part: Part) -> list[Floats]:
    """Where a part of a proxy is (see `Pointed`). Raises Refusal where it is not there any more."""
    solid = solid_named(scene, proxy, camera)
    shape = solid.shape
    rings: list[list[int]] = [part.corners(shape)]
    if part.face is not None:
        rings = [[*loop, loop[0]] for loop in shape.loops_of(part.face)]
    return [in_world(solid, shape.at(ring)) for ring in rings]


def _from_ray(origin: Floats, ray: Floats, a: Floats, b: Floats) -> tuple[Floats, Floats]:
    """How far each edge from a (N, 3) to b (N, 3) passes from a ray, and where on the edge."""
    u = b - a
    w = a - origin
    uu, ur = (u * u).sum(axis=1), u @ ray
    det = np.maximum(uu - ur * ur, 1e-15)
    t = np.clip((ur * (w @ ray) - (u * w).sum(axis=1)) / det, 0.0, 1.0)
    places = a + t[:, None] * u
    to = places - origin
    off = to - (to @ ray)[:, None] * ray
    return np.linalg.norm(off, axis=1), places
