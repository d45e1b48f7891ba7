"""Darkening where surfaces meet: how much of the light from all sides is kept from a place by what
stands near it, without any grain.

Of a place, each face near it hides as much of the light as its form factor says, in closed form
(Lambert 1760; Baum et al. 1989). Faces of one flat piece add up; several hide what the others
leave, as if they stood anywhere before one another. The faces of a body that bulges everywhere
add up too: those that are turned to the place or, from within it, all. What is as far away as the
reach hides nothing.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import carray, njit

from ..arrays import Floats
from .occlusion import pointer

# Of each face that can hide: corners; normal, of length one; middle, radius: of a ball round it;
# flat: what its light adds up with; sides: BOTH where either side hides; OUTER where only the one
# that the normal is on does, as of a closed body; CONVEX for one of a body that bulges everywhere.
FACE_RECORD = np.dtype([
    ("corners", float, (3, 3)), ("normal", float, (3,)), ("middle", float, (3,)),
    ("radius", float), ("flat", np.int64), ("sides", np.int64),
])  # fmt: skip
FACE_WORDS = FACE_RECORD.itemsize // 8
BOTH, OUTER, CONVEX = 0, 1, 2
LEAST = 1e-9  # metres; what is nearer to a plane than this is in it


@njit(cache=True, nogil=True, error_model="numpy")
def left_of_light(
    near: int, faces: int, total: int, count: int, reach: float, x: float, y: float, z: float, nx:
    float, ny: float, nz: float,
) -> float:  # fmt: skip
    """The share of light from all sides that comes to a place (x, y, z) with a normal. near: the
    address of the numbers of `count` faces, those of one flat piece after one another; faces: of
    the `total` FACE_RECORDs that they are of."""
    which = carray(pointer(near), (count,), np.int64)
    corners = carray(pointer(faces), (total, FACE_WORDS), np.float64)
    numbers = carray(pointer(faces), (total, FACE_WORDS), np.int64)
    left, hidden, last = 1.0, 0.0, np.int64(-1)
    # of a convex body: what those of its faces hide that are turned away, and whether any is not
    behind, turned = 0.0, False
    v, h = np.empty((3, 3)), np.empty(3)
    for i in range(count):
        face = corners[which[i]]
        # how far before its plane the place is
        side = face[9] * (x - face[0]) + face[10] * (y - face[1]) + face[11] * (z - face[2])
        if abs(side) >= reach:
            continue
        ax, ay, az, far = x - face[12], y - face[13], z - face[14], reach + face[15]
        if ax * ax + ay * ay + az * az >= far * far:
            continue
        flat = numbers[which[i], 16]
        if flat != last:
            left *= 1.0 - min(hidden if turned else hidden + behind, 1.0)
            hidden, behind, turned, last = 0.0, 0.0, False, flat
        sides = numbers[which[i], 17]
        if sides != BOTH:
            if side <= LEAST:
                if sides == CONVEX and not turned:
                    behind += _hides(face, v, h, reach, x, y, z, nx, ny, nz)
                continue
            turned = True
        hidden += _hides(face, v, h, reach, x, y, z, nx, ny, nz)
    return left * (1.0 - min(hidden if turned else hidden + behind, 1.0))


@njit(cache=True, nogil=True, error_model="numpy")
def _hides(
    face: Floats,
    v: Floats,
    h: Floats,
    reach: float,
    x: float,
    y: float,
    z: float,
    nx: float,
    ny: float,
    nz: float,
) -> float:
    """The form factor of a face before a place, less where it is farther away. v: (3, 3), h: (3,)
    to work in."""
    high, highest = (0.0, 0.0, 0.0), -1.0
    for k in range(3):
        v[k, 0], v[k, 1], v[k, 2] = face[3 * k] - x, face[3 * k + 1] - y, face[3 * k + 2] - z
        h[k] = v[k, 0] * nx + v[k, 1] * ny + v[k, 2] * nz
        highest = max(highest, h[k])
    if highest <= LEAST:
        return 0.0
    away = _distance(v)
    if away >= reach:
        return 0.0
    out, begun = 0.0, False
    first, last = high, high
    for k in range(3):
        j = (k + 1) % 3
        if h[k] > LEAST:
            at = (v[k, 0], v[k, 1], v[k, 2])
            if begun:
                out += _turn(last, at, nx, ny, nz)
            else:
                first, begun = at, True
            last = at
        if (h[k] > LEAST) != (h[j] > LEAST):  # the edge goes through the plane of the place
            part = h[k] / (h[k] - h[j])
            at = (
                v[k, 0] + (v[j, 0] - v[k, 0]) * part, v[k, 1] + (v[j, 1] - v[k, 1]) * part,
                v[k, 2] + (v[j, 2] - v[k, 2]) * part,
            )  # fmt: skip
            if begun:
                out += _turn(last, at, nx, ny, nz)
            else:
                first, begun = at, True
            last = at
    out += _turn(last, first, nx, ny, nz)
    t = 1.0 - away / reach
    return abs(out) / (2.0 * np.pi) * t * t * (3.0 - 2.0 * t)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _turn(a: Any, b: Any, nx: float, ny: float, nz: float) -> float:
    """The angle from one direction to another, times how much the turn is about the normal."""
    cx, cy, cz = a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
    length = np.sqrt(cx * cx + cy * cy + cz * cz)
    if length <= 1e-30:
        return 0.0
    angle = np.arctan2(length, a[0] * b[0] + a[1] * b[1] + a[2] * b[2])
    return angle * (cx * nx + cy * ny + cz * nz) / length


@njit(cache=True, nogil=True, error_model="numpy")
def _distance(v: Floats) -> float:
    """How far a triangle (3, 3) is from the origin (Ericson 2005, ch. 5)."""
    nearest = 1e300
    inside = True
    ux, uy, uz = v[1, 0] - v[0, 0], v[1, 1] - v[0, 1], v[1, 2] - v[0, 2]
    wx, wy, wz = v[2, 0] - v[0, 0], v[2, 1] - v[0, 1], v[2, 2] - v[0, 2]
    nx, ny, nz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
    square = nx * nx + ny * ny + nz * nz
    for k in range(3):
        j = (k + 1) % 3
        ex, ey, ez = v[j, 0] - v[k, 0], v[j, 1] - v[k, 1], v[j, 2] - v[k, 2]
        along = ex * ex + ey * ey + ez * ez
        t = 0.0
        if along > 0.0:
            t = min(max(-(ex * v[k, 0] + ey * v[k, 1] + ez * v[k, 2]) / along, 0.0), 1.0)
        px, py, pz = v[k, 0] + t * ex, v[k, 1] + t * ey, v[k, 2] + t * ez
        nearest = min(nearest, px * px + py * py + pz * pz)
        # is the origin on the inner side of this edge?
        ax, ay, az = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
        inside = inside and ax * v[k, 0] + ay * v[k, 1] + az * v[k, 2] <= 0.0
    if inside and square > 0.0:
        off = nx * v[0, 0] + ny * v[0, 1] + nz * v[0, 2]
        return abs(off) / np.sqrt(square)
    return np.sqrt(nearest)
