"""A mesh as a value: points and triangles, and nothing that hangs on them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles in the world.

    points: (N, 3) metres. triangles: (M, 3) indices. faces: (M,) which flat or smooth face each
    triangle belongs to; edges between faces are the ones a wire shows.
    """

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    faces: NDArray[np.int32]

    @cached_property
    def wire(self) -> NDArray[np.int32]:
        """(E, 2) the edges that bound a face or part two of them."""
        sides = np.sort(self.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
        faces = np.repeat(self.faces, 3)
        edges, which, count = np.unique(sides, axis=0, return_inverse=True, return_counts=True)
        least, most = np.full(len(edges), faces.max(initial=0)), np.zeros(len(edges), faces.dtype)
        np.minimum.at(least, which.ravel(), faces)
        np.maximum.at(most, which.ravel(), faces)
        out: NDArray[np.int32] = edges[(count == 1) | (least < most)].astype(np.int32)
        return out

    def moved(self, turn: NDArray[np.float64], place: NDArray[np.float64]) -> Mesh:
        """The same, each point ``turn @ p + place``. turn: (3, 3). place: (3,)."""
        return Mesh(self.points @ turn.T + place, self.triangles, self.faces)


def mesh_of(points: Any, quads: Any) -> Mesh:
    """A mesh of flat quads, each its own face. points: (N, 3). quads: lists of four indices."""
    tris, faces = [], []
    for i, (a, b, c, d) in enumerate(quads):
        tris += [(a, b, c), (a, c, d)]
        faces += [i, i]
    return Mesh(np.asarray(points, float), np.array(tris, np.int32), np.array(faces, np.int32))


def joined(meshes: list[Mesh]) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """All corners (M, 3, 3) of several meshes' triangles, and (M,) which mesh each came from."""
    if not meshes:
        return np.zeros((0, 3, 3)), np.zeros(0, np.int64)
    corners = np.concatenate([m.points[m.triangles] for m in meshes])
    owner = np.concatenate([np.full(len(m.triangles), i) for i, m in enumerate(meshes)])
    return np.ascontiguousarray(corners), owner.astype(np.int64)


def filled(rings: NDArray[np.float64], ends: NDArray[np.unsignedinteger[Any]]) -> NDArray[np.int32]:
    """Triangles (M, 3), anticlockwise, that fill rings of points (N, 2) in a plane: the first
    one's inside without the others'. ends: where each ring ends."""
    out = mapbox_earcut.triangulate_float64(rings, ends.astype(np.uint32)).reshape(-1, 3)
    a, b, c = (rings[out[:, i]] for i in range(3))
    turned = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0] < 0
    out[turned] = out[turned][:, ::-1]
    return out.astype(np.int32)


def nearest_triangle(
    corners: NDArray[np.float64], origin: NDArray[np.float64], ray: NDArray[np.float64]
) -> tuple[float, int]:
    """How far along a ray the nearest of triangles (M, 3, 3) is met, and which one; -1 for none
    (Moeller & Trumbore 1997)."""
    if not len(corners):
        return np.inf, -1
    a, u, v = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    p = np.cross(ray, v)
    det = (u * p).sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        s = origin - a
        x = (s * p).sum(axis=1) / det
        q = np.cross(s, u)
        y = (q @ ray) / det
        far = (v * q).sum(axis=1) / det
        hit = (x >= 0) & (y >= 0) & (x + y <= 1) & (far > 1e-9) & (np.abs(det) > 1e-15)
    far = np.where(hit, far, np.inf)
    i = int(np.argmin(far))
    return float(far[i]), (i if np.isfinite(far[i]) else -1)
