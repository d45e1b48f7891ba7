"""A mesh as a value: points and triangles, and nothing that hangs on them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Mesh:
    """Triangles in the world.

    points: (N, 3) metres. triangles: (M, 3) indices. faces: (M,) which flat or smooth face each
    triangle belongs to; edges between faces are the ones a wire shows.
    """

    points: NDArray[np.float64]
    triangles: NDArray[np.int32]
    faces: NDArray[np.int32]

    def wire(self) -> NDArray[np.int32]:
        """(E, 2) the edges that bound a face or part two of them."""
        seen: dict[tuple[int, int], list[int]] = {}
        for tri, face in zip(self.triangles.tolist(), self.faces.tolist(), strict=True):
            for a, b in ((0, 1), (1, 2), (2, 0)):
                edge = (min(tri[a], tri[b]), max(tri[a], tri[b]))
                seen.setdefault(edge, []).append(face)
        keep = [e for e, f in seen.items() if len(f) == 1 or len(set(f)) > 1]
        return np.array(keep, np.int32).reshape(-1, 2)


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
