"""A mesh as a value: points, triangles and faces."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

# Relative to a face's size: triangles whose corners are farther from one plane are not coplanar.
# Coordinates far from the origin are rounded to a multiple of FLAT_ROUNDING of themselves.
FLAT, FLAT_ROUNDING = 1e-7, 1e-14


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

    @cached_property
    def flats(self) -> NDArray[np.int64]:
        """(M,) the flat piece that each triangle belongs to: pieces of one number lie in one plane.
        A flat face is one piece; a bent one falls into runs of coplanar triangles."""
        corners = self.points[self.triangles]
        if not len(corners):
            return np.zeros(0, np.int64)
        slack = FLAT_ROUNDING * np.abs(corners).max()
        _, face = np.unique(self.faces, return_inverse=True)
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        area = np.linalg.norm(normal, axis=1)
        normal /= np.maximum(area, np.finfo(float).tiny)[:, None]
        # each face against the plane of its largest triangle
        order = np.lexsort((-area, face))
        begin = np.searchsorted(face[order], np.arange(face.max() + 1))
        largest = order[begin]
        off, reach = _off_plane(corners, corners[largest, 0][face], normal[largest][face])
        most_off, size = (np.maximum.reduceat(v[order], begin) for v in (off, reach))
        bent = (most_off > FLAT * size + slack)[face]
        # in a bent face each triangle against the plane of the one before it
        off, reach = _off_plane(corners, np.roll(corners[:, 0], 1, 0), np.roll(normal, 1, 0))
        new = bent & (off > FLAT * reach + slack)
        new |= np.diff(face, prepend=-1) != 0
        run = np.cumsum(new)
        return np.where(bent, run, run.max() + 1 + face).astype(np.int64)

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


def _off_plane(
    corners: NDArray[np.float64], place: NDArray[np.float64], normal: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(M,) how far triangles' corners (M, 3, 3) are at most from planes through places (M, 3), and
    how far from the places themselves."""
    away = corners - place[:, None]
    off = np.abs(np.einsum("mij,mj->mi", away, normal)).max(axis=1)
    return off, np.sqrt((away**2).sum(axis=2).max(axis=1))


class Triangles(NamedTuple):
    """The triangles of several meshes. corners: (M, 3, 3) in the world, metres. owner: (M,) index
    of the mesh. flat: (M,) triangles of one number lie in one plane and are of one mesh."""

    corners: NDArray[np.float64]
    owner: NDArray[np.int64]
    flat: NDArray[np.int64]

    def of(self, which: NDArray[np.bool_]) -> Triangles:
        """Some of them, by a mask (M,)."""
        return Triangles(self.corners[which], self.owner[which], self.flat[which])


def joined(meshes: list[Mesh]) -> Triangles:
    """The triangles of several meshes, in order."""
    if not meshes:
        return Triangles(np.zeros((0, 3, 3)), np.zeros(0, np.int64), np.zeros(0, np.int64))
    corners = np.concatenate([m.points[m.triangles] for m in meshes])
    counts = [len(m.triangles) for m in meshes]
    owner = np.repeat(np.arange(len(meshes)), counts).astype(np.int64)
    pieces = [int(m.flats.max(initial=-1)) + 1 for m in meshes]
    begin = np.cumsum([0, *pieces[:-1]])
    flat = np.concatenate([m.flats for m in meshes]) + np.repeat(begin, counts)
    return Triangles(np.ascontiguousarray(corners), owner, flat)


def filled(rings: NDArray[np.float64], ends: NDArray[np.unsignedinteger[Any]]) -> NDArray[np.int32]:
    """Triangles (M, 3), anticlockwise, that fill rings of points (N, 2) in a plane: the first
    one's inside without the others'. ends: where each ring ends."""
    out = mapbox_earcut.triangulate_float64(rings, ends.astype(np.uint32)).reshape(-1, 3)
    a, b, c = (rings[out[:, i]] for i in range(3))
    turned = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0] < 0
    out[turned] = out[turned][:, ::-1]
    return out.astype(np.int32)


def along(
    corners: NDArray[np.float64], origin: NDArray[np.float64], ray: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How far along a ray each of triangles (M, 3, 3) is met, infinite where it is not, and the
    determinant: positive where the ray meets its front (Moeller & Trumbore 1997)."""
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
    return np.where(hit, far, np.inf), det


def nearest_triangle(
    corners: NDArray[np.float64], origin: NDArray[np.float64], ray: NDArray[np.float64]
) -> tuple[float, int]:
    """How far along a ray the nearest of triangles (M, 3, 3) is met, and which one; -1 for none."""
    if not len(corners):
        return np.inf, -1
    far, _ = along(corners, origin, ray)
    i = int(np.argmin(far))
    return float(far[i]), (i if np.isfinite(far[i]) else -1)


SAME = 1e-6  # of a mesh's size: points that are nearer to each other are one


def welded(mesh: Mesh) -> NDArray[np.int64]:
    """(K, 3) the triangles of a mesh by points of which no two are in one place, without those of
    no extent, as at the poles of a ball, where corners come together."""
    size = np.ptp(mesh.points, axis=0).max(initial=0.0)
    if size <= 0.0 or not len(mesh.triangles):
        return np.zeros((0, 3), np.int64)
    steps = np.round((mesh.points - mesh.points.min(axis=0)) / (SAME * size)).astype(np.int64)
    _, of = np.unique(steps @ [1, 1 << 21, 1 << 42], return_inverse=True)
    triangles = np.asarray(of.ravel()[mesh.triangles], np.int64)
    return triangles[(triangles != np.roll(triangles, 1, axis=1)).all(axis=1)]


def is_closed(triangles: NDArray[np.int64]) -> bool:
    """Whether two welded triangles meet at each edge."""
    a, b = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    total = int(triangles.max(initial=0)) + 1
    _, times = np.unique(np.minimum(a, b) * total + np.maximum(a, b), return_counts=True)
    return len(times) > 0 and bool((times == 2).all())


def outward(mesh: Mesh) -> int:
    """Of a closed body whose triangles all go one way round: 1 where that is anticlockwise, seen
    from outside, and -1 where it is clockwise. 0 for what is open, or goes both ways."""
    triangles = welded(mesh)
    if not is_closed(triangles):
        return 0
    a, b = triangles.ravel(), np.roll(triangles, -1, axis=1).ravel()
    total = int(triangles.max()) + 1
    forth, back = np.sort(a * total + b), np.sort(b * total + a)
    if not np.array_equal(forth, back) or (np.diff(forth) == 0).any():
        return 0
    p, q, r = (mesh.points[mesh.triangles[:, k]] - mesh.points[0] for k in range(3))
    return int(np.sign((p * np.cross(q, r)).sum()))
