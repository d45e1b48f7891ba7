"""Lanterns that stand inside a proxy, and so see nothing but its inside."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..mesh import along
from ..proxy import Proxy, Room
from ..scene.model import Scene
from .ofscene import cast_meshes, lantern_camera

# Crossings are counted along a direction that no wall of a house runs along.
ASKEW = np.array([0.36, 0.80, 0.48])


def standing_inside(scene: Scene, sighted: Camera) -> list[tuple[str, str]]:
    """(lantern, proxy) ids of lanterns that stand inside a closed proxy. A room is there to be
    stood in."""
    closed = _closed(scene)
    corners = [m.points[m.triangles] for m in cast_meshes(scene, sighted, closed)]
    places = {one.id: lantern_camera(one, sighted).position for one in scene.lanterns}
    return [
        (lantern, proxy.id)
        for lantern, place in places.items()
        for proxy, own in zip(closed, corners, strict=True)
        if _wound_round(own, place)
    ]


def going_inside(scene: Scene, sighted: Camera, places: Floats) -> list[tuple[str, list[int]]]:
    """What places (N, 3) a camera goes through lie inside closed proxies: the name of each such
    proxy, and the numbers of the places."""
    out = []
    for proxy in _closed(scene):
        (mesh,) = cast_meshes(scene, sighted, [proxy])
        low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
        near = np.nonzero(((places >= low) & (places <= high)).all(axis=1))[0]
        corners = mesh.points[mesh.triangles]
        inside = [int(k) for k in near if _wound_round(corners, places[k])]
        if inside:
            out.append((proxy.name, inside))
    return out


def _closed(scene: Scene) -> list[Proxy]:
    return [p for p in scene.proxies if p.stands and not p.hidden and not isinstance(p, Room)]


def _wound_round(corners: Floats, place: Floats) -> bool:
    """Whether a ray from a place leaves triangles (M, 3, 3) more often than it enters them, both
    ways: only of a closed surface it does."""
    return all(_crossings(corners, place, way) > 0 for way in (ASKEW, -ASKEW))


def _crossings(corners: Floats, place: Floats, ray: Floats) -> int:
    """How often a ray leaves triangles less how often it enters them."""
    far, facing = along(corners, place, ray)
    return int(-np.sign(facing[np.isfinite(far)]).sum())
