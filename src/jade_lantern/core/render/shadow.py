"""What a light sees: visibility buffers of a sun or a lamp, and how much of it a place sees.

A sun is a lantern at infinity, so its buffer is drawn along parallel rays; a lamp is six of them,
each a little wider than its side of a cube. A place is dark where a surface in the buffer is nearer
to the light than the place's own plane is there: numbers of surfaces and exact planes are compared,
as for lanterns, so nothing shadows itself. The edge is as soft as the light is large: what hides
the place is found first, and how far it is from it says over how wide a disc places are then asked
(percentage-closer filtering, Reeves et al. 1987; its width after Fernando 2005).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import carray, njit

from ..arrays import Floats, Indices, Indices32
from .occlusion import pointer

SUN, LAMP = 0, 1
FACES = 6
SPREAD = 1.2  # of a lamp's buffers: the tangent of half their angle, so that discs lie in one
TAPS = 32
GOLDEN = np.pi * (3.0 - np.sqrt(5.0))
# a disc, evenly filled (Vogel 1979)
TAP_X = np.sqrt((np.arange(TAPS) + 0.5) / TAPS) * np.cos(GOLDEN * np.arange(TAPS))
TAP_Y = np.sqrt((np.arange(TAPS) + 0.5) / TAPS) * np.sin(GOLDEN * np.arange(TAPS))
NEARER = 1e-6  # relative to the nearness of a place: what is nearer by more hides it
CELL = 32  # px of a buffer a side, of the cells by which it is known that no edge is near
NONE, MANY = np.int32(-1), np.int32(-2)
WIDEST = 0.2  # of a buffer's width: no disc is wider

# A light as compiled code reads it. takes: 1 where only its shadow shows. place: of a lamp; of a
# sun, the way towards it. size: of a lamp its radius, metres; of a sun the tangent of its angular
# radius. Of each buffer, (side, side): address: of its surface numbers, int32; depth, flats: by
# surface its nearness, linear in the buffer's pixel, and the flat piece that it is of; count: how
# many surfaces there are; cells: see `cells_of`. Nothing casts a shadow in it where address is 0.
# onto: (3, 4) from the world to a sun's buffer: pixels, and nearness, metres. scale: its pixels a
# metre; of a lamp, the focal length of its buffers, px. most: the nearness of what is nearest.
LIGHT_RECORD = np.dtype([
    ("kind", np.int64), ("takes", np.int64), ("place", float, (3,)), ("size", float),
    ("address", np.int64, (FACES,)), ("depth", np.int64, (FACES,)), ("flats", np.int64, (FACES,)),
    ("count", np.int64, (FACES,)), ("cells", np.int64, (FACES,)), ("side", np.int64),
    ("onto", float, (3, 4)), ("scale", float), ("most", float),
])  # fmt: skip
LightRecord = Any
# Of each face of a cube, the ways right, down and ahead.
AHEAD = np.array([[1.0, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]])
DOWN = np.array([[0.0, -1, 0], [0, -1, 0], [0, 0, 1], [0, 0, 1], [0, -1, 0], [0, -1, 0]])
FACE_AXES = np.stack([np.cross(DOWN, AHEAD), DOWN, AHEAD], axis=1)


@njit(cache=True, nogil=True)
def cells_of(surfaces: Indices32, flats: Indices) -> Indices32:
    """(side / CELL, side / CELL) the flat piece that alone is seen in a cell of a buffer and in
    those around it; NONE where nothing is seen there, MANY where several are, or one and nothing.
    """
    n = surfaces.shape[0] // CELL
    own, out = np.empty((n, n), np.int32), np.empty((n, n), np.int32)
    for i in range(n):
        for j in range(n):
            s = surfaces[i * CELL, j * CELL]
            first = NONE if s < 0 else np.int32(flats[s])
            for r in range(i * CELL, (i + 1) * CELL):
                for c in range(j * CELL, (j + 1) * CELL):
                    q = surfaces[r, c]
                    if q != s and (NONE if q < 0 else np.int32(flats[q])) != first:
                        first = MANY
            own[i, j] = first
    for i in range(n):
        for j in range(n):
            out[i, j] = own[i, j]
            for a in range(max(i - 1, 0), min(i + 2, n)):
                for b in range(max(j - 1, 0), min(j + 2, n)):
                    if own[a, b] != own[i, j]:
                        out[i, j] = MANY
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def cube_face(dx: float, dy: float, dz: float) -> tuple[int, float, float, float]:
    """The face of a cube that a direction passes, and how far it goes there to the right, down and
    ahead."""
    ax, ay, az = abs(dx), abs(dy), abs(dz)
    if ax >= ay and ax >= az:
        face = 0 if dx > 0.0 else 1
    elif ay >= az:
        face = 2 if dy > 0.0 else 3
    else:
        face = 4 if dz > 0.0 else 5
    m = FACE_AXES[face]
    return (
        face, m[0, 0] * dx + m[0, 1] * dy + m[0, 2] * dz,
        m[1, 0] * dx + m[1, 1] * dy + m[1, 2] * dz, m[2, 0] * dx + m[2, 1] * dy + m[2, 2] * dz,
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _hides(
    surfaces: Any, depth: Floats, flats: Indices, own: Floats, flat: int, at: Any, x: float, y:
    float, size: float,
) -> float:  # fmt: skip
    """The nearness of what is at (x, y) of a buffer, if it hides what lies on the plane `own` there
    and is before a place of it; else 0. at: that place in the buffer, and its nearness. size: of
    the light, in pixels of the buffer for each unit of nearness.

    A surface is known at the middle of its pixel only, so planes are compared there. Where two
    meet in a hollow, each is before the other's plane beyond the fold, but not before the place
    itself: that is asked too, unless the surface lies well within the cone of light.
    """
    side = surfaces.shape[0]
    column, row = min(max(int(x), 0), side - 1), min(max(int(y), 0), side - 1)
    s = surfaces[row, column]
    if s < 0 or flats[s] == flat:
        return 0.0
    cx, cy = column + 0.5, row + 0.5
    z = depth[s, 0] * cx + depth[s, 1] * cy + depth[s, 2]
    if z <= (own[0] * cx + own[1] * cy + own[2]) * (1.0 + NEARER):
        return 0.0
    u, v, near = at
    if depth[s, 0] * u + depth[s, 1] * v + depth[s, 2] > near * (1.0 + NEARER):
        return z
    return z if (z - near) * size > 0.5 * (abs(x - u) + abs(y - v)) else 0.0


@njit(cache=True, nogil=True, error_model="numpy")
def sees_light(
    light: LightRecord, flat: int, tilt: Floats, x: float, y: float, z: float, wide: float
) -> float:
    """How much of a light a place (x, y, z) sees, from 0 to 1. flat: the flat piece that it is on.
    tilt: (FACES, 3) that piece's nearness in the light's buffers. wide: how large a pixel of the
    frame is there, metres."""
    face, side, scale = 0, light.side, light.scale
    if light.kind == SUN:
        m = light.onto
        u = m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]
        v = m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]
        near = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
        wide *= scale
        if u < 0.0 or v < 0.0 or u >= side or v >= side:
            return 1.0
    else:
        place = light.place
        face, across, down, ahead = cube_face(x - place[0], y - place[1], z - place[2])
        near = 1.0 / max(ahead, 1e-9)
        u, v = 0.5 * side + scale * across * near, 0.5 * side + scale * down * near
        wide *= scale * near
    if light.address[face] == 0:
        return 1.0
    # the finest edge: as wide as a pixel of the frame, or of the buffer
    fine = min(max(0.5 * wide, 0.75), WIDEST * side)
    # as wide a disc as what is nearest to the light would ask for
    size = light.size * scale
    search = min(max(size * (light.most - near), fine), WIDEST * side)
    own, at = tilt[face], (u, v, near)
    if search < CELL:
        n = side // CELL
        cells = carray(pointer(light.cells[face]), (n, n), np.int32)
        alone = cells[min(max(int(v), 0), side - 1) // CELL, min(max(int(u), 0), side - 1) // CELL]
        if alone == NONE or alone == flat:  # noqa: SIM109  (compiled code)
            return 1.0
    else:
        alone = MANY
    count = light.count[face]
    surfaces = carray(pointer(light.address[face]), (side, side), np.int32)
    depth = carray(pointer(light.depth[face]), (count, 3), np.float64)
    flats = carray(pointer(light.flats[face]), (count,), np.int64)
    if alone != MANY:  # one surface hides all of the disc, or none: both planes are flat there
        found = 0
        for i in range(4):
            a, b = u + search * (1.0 if i & 1 else -1.0), v + search * (1.0 if i & 2 else -1.0)
            found += _hides(surfaces, depth, flats, own, flat, at, a, b, size) > 0.0
        if found == 0 or found == 4:
            return 1.0 - found / 4
    found, total = 0, 0.0
    for i in range(TAPS):
        a, b = u + search * TAP_X[i], v + search * TAP_Y[i]
        hit = _hides(surfaces, depth, flats, own, flat, at, a, b, size)
        if hit > 0.0:
            found += 1
            total += hit
    if found == 0 or found == TAPS or search <= fine:
        return 1.0 - found / TAPS
    radius = min(max(size * (total / found - near), fine), search)
    found = 0
    for i in range(TAPS):
        a, b = u + radius * TAP_X[i], v + radius * TAP_Y[i]
        found += _hides(surfaces, depth, flats, own, flat, at, a, b, size) > 0.0
    return 1.0 - found / TAPS
