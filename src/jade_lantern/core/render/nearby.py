"""What stands so near to the surfaces of a cast that it darkens them, set up once for all frames in
which nothing moves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy  # its submodules load on first use
from numpy.typing import NDArray

from ..arrays import Flags, Floats, Indices
from ..mesh import SAME, Mesh, is_closed, joined, outward, welded
from .covers import can_be_clear, is_light
from .darkening import BOTH, CONVEX, FACE_RECORD, LEAST, OUTER
from .land import Cast
from .lights import Darkening

MOST_FACES = 2000  # of a thing; one of more hides as its hull does, and is not darkened itself
LEAST_AREA = 1e-13  # of a thing's size squared: less is an edge
MOST_HULL = 300  # faces of such a hull; one of more hides as the box round it does


@dataclass(frozen=True, eq=False)
class Nearby:
    """faces: (T,) FACE_RECORD. near: the numbers of those near to each flat piece of a cast, piece
    after piece: those of piece f are near[first[f] : first[f + 1]]."""

    faces: NDArray[np.void]
    near: Indices
    first: Indices


def nearby(cast: Cast, darkening: Darkening, clearness: tuple[object, ...]) -> Nearby:
    """What darkens each flat piece of a cast. clearness: what tells casts apart by where light
    comes through, that share where things stand."""
    key = "nearby", darkening.reach_m, darkening.casts, clearness
    return cast.kept(key, lambda: _nearby(cast, darkening))


def _nearby(cast: Cast, darkening: Darkening) -> Nearby:
    hides = [
        i for i, target in enumerate(cast.targets)
        if target.proxy in darkening.casts and len(target.mesh.triangles)
        and not is_light(cast, target) and not can_be_clear(cast, target)
    ]  # fmt: skip
    parts = [_faces_of(cast.targets[i].mesh) for i in hides]
    begin = 0
    for part in parts:
        part["flat"] += begin
        begin = int(part["flat"].max()) + 1
    faces = np.concatenate([np.zeros(0, FACE_RECORD), *parts])
    flat = cast.triangles.flat
    low, high = _boxes(cast.triangles.corners, flat)
    dense = np.array([len(t.mesh.triangles) > MOST_FACES for t in cast.targets], bool)
    taken = np.unique(flat[~dense[cast.triangles.owner]]) if len(flat) else np.zeros(0, np.int64)
    lists = [np.zeros(0, np.int64)] * len(low)
    if len(faces):
        plane = np.zeros((len(low), 4))
        plane[flat] = cast.planes[0]
        face_low, face_high = faces["corners"].min(axis=1), faces["corners"].max(axis=1)
        for f in taken.tolist():
            over = (face_low <= high[f] + darkening.reach_m).all(axis=1)
            over &= (face_high >= low[f] - darkening.reach_m).all(axis=1)
            some = np.nonzero(over)[0]
            off = faces["corners"][some] @ plane[f, :3] - plane[f, 3]
            lists[f] = some[np.abs(off).max(axis=1, initial=0.0) > 10 * LEAST]
    count = np.array([len(one) for one in lists], np.int64)
    near = np.concatenate([np.zeros(0, np.int64), *lists])
    return Nearby(faces, near, np.concatenate([[0], np.cumsum(count)]).astype(np.int64))


def _boxes(corners: Floats, flat: Indices) -> tuple[Floats, Floats]:
    """(F, 3) the lowest and highest of all triangles (M, 3, 3) of each flat piece."""
    count = int(flat.max(initial=-1)) + 1
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, flat, corners.min(axis=1))
    np.maximum.at(high, flat, corners.max(axis=1))
    return low, high


def _faces_of(mesh: Mesh) -> NDArray[np.void]:
    """The faces by which a mesh hides, those of one flat piece after one another."""
    if len(mesh.triangles) > MOST_FACES:
        mesh = _hull(mesh)
    triangles = joined([mesh])
    order = np.argsort(triangles.flat, kind="stable")
    corners = triangles.corners[order]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normal, axis=1)
    there = length > LEAST_AREA * np.ptp(corners.reshape(-1, 3), axis=0).max(initial=0.0) ** 2
    corners, normal, order = corners[there], normal[there] / length[there, None], order[there]
    sides, way = _sides(mesh, corners, normal)
    out = np.zeros(len(corners), FACE_RECORD)
    out["corners"], out["normal"], out["flat"] = corners, normal, triangles.flat[order]
    out["normal"] *= way
    out["sides"] = sides
    if sides == CONVEX:
        out["flat"] = 0
    out["middle"] = (corners.min(axis=1) + corners.max(axis=1)) / 2
    out["radius"] = np.linalg.norm(corners - out["middle"][:, None], axis=2).max(axis=1)
    return out


def _sides(mesh: Mesh, corners: Floats, normal: Floats) -> tuple[int, Floats]:
    """Which sides of the faces of a mesh hide, and (T, 1) 1 or -1, by which their normals are
    outward. corners: (T, 3, 3)."""
    even = np.ones((len(normal), 1))
    if not is_closed(welded(mesh)):
        return BOTH, even
    size = np.ptp(mesh.points, axis=0).max()
    off = corners.reshape(-1, 3) @ normal.T - (corners[:, 0] * normal).sum(axis=1)
    low, high = off.min(axis=0), off.max(axis=0)
    if (np.minimum(-low, high) <= 1e-5 * size).all():  # all is on one side of each face
        return CONVEX, np.where(high > -low, -1.0, 1.0)[:, None]
    way = outward(mesh)
    return (OUTER, even * way) if way else (BOTH, even)


def _hull(mesh: Mesh) -> Mesh:
    """The hull round a mesh; of many faces, its box."""
    points: Floats = mesh.points[np.unique(mesh.triangles)]
    thin: Flags = np.ptp(points, axis=0) <= SAME * np.ptp(points, axis=0).max()
    if not thin.any():
        hull = scipy.spatial.ConvexHull(points)
        if len(hull.simplices) <= MOST_HULL:
            corners = points[hull.simplices]
            across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            turned = (across * hull.equations[:, :3]).sum(axis=1) < 0
            simplices = np.where(turned[:, None], hull.simplices[:, ::-1], hull.simplices)
            return Mesh(
                points, simplices.astype(np.int32), np.arange(len(simplices), dtype=np.int32)
            )
    low, high = points.min(axis=0), points.max(axis=0)
    corners = np.array([[(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]]
                        for i in (0, 1) for j in (0, 1) for k in (0, 1)])  # fmt: skip
    quads = np.array([(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4),
                      (1, 5, 7, 3)])  # fmt: skip
    triangles = quads[:, [0, 1, 2, 0, 2, 3]].reshape(-1, 3).astype(np.int32)
    return Mesh(corners, triangles, np.repeat(np.arange(6, dtype=np.int32), 2))
