"""Meshes cut so that a texture stretched over each triangle is where the projection puts it.

A lantern's picture lies on a surface in perspective; a plain texture lies on a triangle evenly.
Along an edge whose ends are at depths a and b, the two are apart by at most

    length in pixels * (sqrt(k) - 1) / (sqrt(k) + 1),   k = b / a

so each edge is cut where that is most, until it is less than asked. The cut depends on the edge
alone, so that neighbours agree and no crack opens.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..arrays import Flags, Floats, Indices
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh

MOST_TRIANGLES = 400_000


@dataclass(frozen=True)
class Textured:
    """points (N, 3), triangles (M, 3), and pixels (N, 2) of the plate at each point."""

    points: Floats
    triangles: NDArray[np.int32]
    pixels: Floats


def cut(mesh: Mesh, lantern: Camera, tolerance_px: float = 0.2) -> tuple[Textured, Textured]:
    """The part of a mesh that the lantern's picture reaches, cut finely; and the rest.

    Both have every point that stands on the border between them, so that no crack opens there.
    Raises ValueError where the tolerance would need more than MOST_TRIANGLES triangles.
    """
    corners: list[Floats] = []
    reached: list[bool] = []
    for triangle in mesh.points[mesh.triangles]:
        for polygon, inside in _parted(triangle, lantern):
            fan = _fan_of(polygon)
            corners += fan
            reached += [inside] * len(fan)
    points, triangles = _welded(corners)
    lit = np.array(reached, bool)
    # edges each within half keep the middle of the triangle within the whole
    points, triangles, lit = _refined(points, triangles, lit, lantern, tolerance_px / 2)
    return _part(points, triangles[lit], lantern), _part(points, triangles[~lit], None)


def _part(points: Floats, triangles: NDArray[np.int32], lantern: Camera | None) -> Textured:
    """Some of the triangles with only the points that they use."""
    used, index = np.unique(triangles, return_inverse=True)
    own = points[used]
    pixels = np.zeros((len(own), 2)) if lantern is None else lantern.project(own)[0]
    return Textured(own, index.reshape(-1, 3).astype(np.int32), pixels)


def _parted(triangle: Floats, lantern: Camera) -> list[tuple[Floats, bool]]:
    """A triangle (3, 3) in convex polygons, each inside the lantern's frame or outside.

    Every piece is parted by every plane of the frame, also those that are outside already: so
    the pieces meet corner to corner, and along an edge the neighbouring triangle has the same.
    """
    m = lantern.projection()
    w, h = float(lantern.width), float(lantern.height)
    planes = [m[2], m[0], w * m[2] - m[0], m[1], h * m[2] - m[1]]
    offsets = [NEAREST * world_size(lantern), 0.0, 0.0, 0.0, 0.0]
    pieces = [(triangle, True)]
    for plane, offset in zip(planes, offsets, strict=True):
        parted: list[tuple[Floats, bool]] = []
        for polygon, inside in pieces:
            value = (polygon - lantern.position) @ plane - offset
            kept, lost = _halved(polygon, value), _halved(polygon, -value)
            if kept is not None:
                parted.append((kept, inside))
            if lost is not None:
                parted.append((lost, False))
        pieces = parted
    return pieces


def _halved(polygon: Floats, value: Floats) -> Floats | None:
    """The part of a convex polygon where value, linear over it, is positive."""
    out: list[Floats] = []
    for i in range(len(polygon)):
        j = (i + 1) % len(polygon)
        a, b = value[i], value[j]
        if a >= 0:
            out.append(polygon[i])
        if (a > 0) != (b > 0) and a != 0 and b != 0:
            # from the same end whichever way the edge runs, so that neighbours agree to the bit
            if a > 0:
                out.append(polygon[i] + (polygon[j] - polygon[i]) * (a / (a - b)))
            else:
                out.append(polygon[j] + (polygon[i] - polygon[j]) * (b / (b - a)))
    if len(out) < 3 or not np.any(value > 1e-12):
        return None
    return np.array(out)


def _fan_of(polygon: Floats) -> list[Floats]:
    return [
        np.stack([polygon[0], polygon[i], polygon[i + 1]])
        for i in range(1, len(polygon) - 1)
        if np.linalg.norm(np.cross(polygon[i] - polygon[0], polygon[i + 1] - polygon[0])) > 1e-12
    ]


def _welded(triangles: list[Floats]) -> tuple[Floats, NDArray[np.int32]]:
    if not triangles:
        return np.zeros((0, 3)), np.zeros((0, 3), np.int32)
    corners = np.concatenate(triangles)
    _, first, index = np.unique(
        np.round(corners, 9), axis=0, return_index=True, return_inverse=True
    )
    return corners[first], index.reshape(-1, 3).astype(np.int32)


def _refined(
    points: Floats,
    triangles: NDArray[np.int32],
    lit: Flags,
    lantern: Camera,
    tolerance_px: float,
) -> tuple[Floats, NDArray[np.int32], Flags]:
    """Cut every edge of a lit triangle that is off by more than the tolerance, until none is. Its
    neighbours are cut with it, lit or not."""
    near = NEAREST * world_size(lantern)
    while lit.any():
        pixels, depth = lantern.project(points)
        ends = np.sort(np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=-1), axis=-1)
        edges, of = np.unique(ends.reshape(-1, 2), axis=0, return_inverse=True)
        of = of.reshape(-1, 3)
        a, b = edges[:, 0], edges[:, 1]
        root = np.sqrt(np.maximum(depth[b], near) / np.maximum(depth[a], near))
        off = np.linalg.norm(pixels[a] - pixels[b], axis=1) * np.abs(root - 1) / (root + 1)
        long = np.zeros(len(edges), bool)
        long[of[lit]] = True
        long &= off > tolerance_px
        if not long.any():
            break
        if len(triangles) > MOST_TRIANGLES:
            raise ValueError("too many triangles")
        t = 1.0 / (1.0 + root[long])
        middle = np.full(len(edges), -1, np.int64)
        middle[long] = len(points) + np.arange(int(long.sum()))
        points = np.concatenate(
            [points, points[a[long]] + (points[b[long]] - points[a[long]]) * t[:, None]]
        )
        triangles, parent = _divided(triangles, middle[of])
        lit = lit[parent]
    return points, triangles, lit


def _divided(triangles: NDArray[np.int32], middles: Indices) -> tuple[NDArray[np.int32], Indices]:
    """Triangles with the edges that have a middle (not -1) cut there, and for each new triangle
    the row of the one that it is a part of."""
    out: list[Indices] = []
    parents: list[Indices] = []

    def add(rows: Indices, *parts: Indices) -> None:
        out.extend(parts)
        parents.extend([rows] * len(parts))

    count = (middles >= 0).sum(axis=1)
    whole = np.nonzero(count == 0)[0]
    add(whole, triangles[whole].astype(np.int64))
    for wanted in (1, 2, 3):
        rows = np.nonzero(count == wanted)[0]
        if not len(rows):
            continue
        t, m = triangles[rows].astype(np.int64), middles[rows]
        if wanted == 3:
            add(
                rows, _fan(t[:, 0], m[:, 0], m[:, 2]), _fan(t[:, 1], m[:, 1], m[:, 0]),
                _fan(t[:, 2], m[:, 2], m[:, 1]), _fan(m[:, 0], m[:, 1], m[:, 2]),
            )  # fmt: skip
            continue
        # Turn each triangle so that its first edge is the one unlike the other two: the cut edge
        # where one is cut, the whole edge where two are.
        odd = np.argmax((m >= 0) == (wanted == 1), axis=1)
        each = np.arange(len(rows))
        v = [t[each, (odd + k) % 3] for k in range(3)]
        e = [m[each, (odd + k) % 3] for k in range(3)]
        if wanted == 1:
            add(rows, _fan(v[0], e[0], v[2]), _fan(e[0], v[1], v[2]))
        else:
            add(
                rows, _fan(v[0], v[1], e[1]), _fan(v[0], e[1], e[2]), _fan(e[1], v[2], e[2])
            )  # fmt: skip
    return np.concatenate(out).astype(np.int32), np.concatenate(parents)


def _fan(a: Indices, b: Indices, c: Indices) -> Indices:
    return np.stack([a, b, c], axis=1)
