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

import cv2
import numpy as np
from numba import carray, njit

from ..arrays import Bytes, Floats, Indices, Indices32
from ..threads import in_threads
from .occlusion import pointer

SUN, LAMP = 0, 1
FACES = 6
SPREAD = 1.2  # of a lamp's buffers: the tangent of half their angle, so that discs lie in one
TAPS, SEARCHED = 32, 16  # of a disc: for how much is hidden, and first for what hides it
CELL = 32  # px of a buffer a side, of the cells whose nearest is kept
GOLDEN = np.pi * (3.0 - np.sqrt(5.0))
# a disc, evenly filled (Vogel 1979)
TAP_X = np.sqrt((np.arange(TAPS) + 0.5) / TAPS) * np.cos(GOLDEN * np.arange(TAPS))
TAP_Y = np.sqrt((np.arange(TAPS) + 0.5) / TAPS) * np.sin(GOLDEN * np.arange(TAPS))
SEARCH_X = np.sqrt((np.arange(SEARCHED) + 0.5) / SEARCHED) * np.cos(GOLDEN * np.arange(SEARCHED))
SEARCH_Y = np.sqrt((np.arange(SEARCHED) + 0.5) / SEARCHED) * np.sin(GOLDEN * np.arange(SEARCHED))
NEARER = 1e-6  # relative to the nearness of a place: what is nearer by more hides it
WIDEST = 0.2  # of a buffer's width: no disc is wider

# A light as compiled code reads it. takes: 1 where only its shadow shows. place: of a lamp; of a
# sun, the way towards it. size: of a lamp its radius, metres; of a sun the tangent of its angular
# radius. Of each buffer, (side, side): address: of its surface numbers, int32; depth, flats: by
# surface its nearness, linear in the buffer's pixel, and the flat piece that it is of; count: how
# many surfaces there are; edges, peaks: see `edge_distance`. Nothing casts a shadow in it where
# address is 0. onto: (3, 4) from the world to a sun's buffer: pixels, and nearness, metres. scale:
# its pixels a metre; of a lamp, the focal length of its buffers, px. most: the nearness of what is
# nearest. energy: address of (S, 3), what it adds to each surface of the shot; of a lamp, at one
# metre and squarely. tilt: address of (FACES, S, 3), each surface's nearness in each buffer;
# surfaces: S.
LIGHT_RECORD = np.dtype([
    ("kind", np.int64), ("takes", np.int64), ("place", float, (3,)), ("size", float),
    ("address", np.int64, (FACES,)), ("depth", np.int64, (FACES,)), ("flats", np.int64, (FACES,)),
    ("count", np.int64, (FACES,)), ("edges", np.int64, (FACES,)), ("peaks", np.int64, (FACES,)),
    ("side", np.int64),
    ("onto", float, (3, 4)), ("scale", float), ("most", float), ("energy", np.int64),
    ("tilt", np.int64), ("surfaces", np.int64),
])  # fmt: skip
LightRecord = Any
# Of each face of a cube, the ways right, down and ahead.
AHEAD = np.array([[1.0, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]])
DOWN = np.array([[0.0, -1, 0], [0, -1, 0], [0, 0, 1], [0, 0, 1], [0, -1, 0], [0, -1, 0]])
FACE_AXES = np.stack([np.cross(DOWN, AHEAD), DOWN, AHEAD], axis=1)


def edge_distance(
    surfaces: Indices32, depth: Floats, flats: Indices, owners: Indices
) -> tuple[Bytes, Floats]:
    """What is kept of a buffer (side, side) so that few places are asked more than once.

    Returns (side, side) how far each pixel is from one where something else begins, px, up to 255;
    where faces of one mesh meet in a fold nothing does. And (side / CELL, side / CELL) the most
    nearness within each cell and those around it.
    """
    side = len(surfaces)
    edge = np.ones((side, side), np.uint8)
    peaks = np.zeros((side // CELL, side // CELL))
    in_threads(
        side // CELL,
        lambda begin, end: _mark_edges(surfaces, depth, flats, owners, edge, peaks, begin, end),
    )
    far = cv2.distanceTransform(edge, cv2.DIST_C, 3).clip(0, 255)
    return far.astype(np.uint8), cv2.dilate(peaks, np.ones((3, 3), np.uint8))


@njit(cache=True, nogil=True)
def _mark_edges(
    surfaces: Indices32, depth: Floats, flats: Indices, owners: Indices, edge: Bytes, peaks: Floats,
    begin: int, end: int,
) -> None:  # fmt: skip
    """Put 0 into rows of cells from begin to end of `edge` where something else begins, and the
    most nearness into `peaks`."""
    side = len(surfaces)
    for y in range(begin * CELL, end * CELL):
        for x in range(side):
            s = surfaces[y, x]
            if s >= 0:
                z = depth[s, 0] * (x + 0.5) + depth[s, 1] * (y + 0.5) + depth[s, 2]
                cell = y // CELL, x // CELL
                peaks[cell] = max(peaks[cell], z)
            for k in range(4):
                r, c = y + (k == 3) - (k == 2), x + (k == 1) - (k == 0)
                if not (0 <= r < side and 0 <= c < side):
                    continue
                q = surfaces[r, c]
                if q == s or (q >= 0 and s >= 0 and flats[q] == flats[s]):
                    continue
                if q >= 0 and s >= 0 and owners[q] == owners[s]:
                    # in a fold both are as near half way between the pixels, to within their slopes
                    mx, my = 0.5 * (x + c) + 0.5, 0.5 * (y + r) + 0.5
                    off = (
                        (depth[s, 0] - depth[q, 0]) * mx + (depth[s, 1] - depth[q, 1]) * my
                        + depth[s, 2] - depth[q, 2]
                    )  # fmt: skip
                    slopes = (
                        abs(depth[s, 0]) + abs(depth[q, 0]) + abs(depth[s, 1]) + abs(depth[q, 1])
                    )
                    if abs(off) <= slopes:
                        continue
                edge[y, x] = 0


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


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def energy_of(light: LightRecord, surface: int) -> Any:
    """(3,) what a light adds to a surface that sees it."""
    return carray(pointer(light.energy), (light.surfaces, 3), np.float64)[surface]


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _tilt_of(light: LightRecord, face: int, surface: int) -> Any:
    """(3,) the nearness of a surface in one of a light's buffers, linear in the pixel."""
    shape = (FACES, light.surfaces, 3)
    return carray(pointer(light.tilt), shape, np.float64)[face, surface]


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _hides(
    light: LightRecord, face: int, own: Floats, flat: int, at: Any, x: float, y: float, size: float
) -> float:
    """The nearness of what is at (x, y) of a buffer, if it hides what lies on the plane `own` there
    and is before a place of it; else 0. at: that place in the buffer, and its nearness. size: of
    the light, in pixels of the buffer for each unit of nearness.

    A surface is known at the middle of its pixel only, so planes are compared there. Where two
    meet in a hollow, each is before the other's plane beyond the fold, but not before the place
    itself: that is asked too, unless the surface lies well within the cone of light.
    """
    side, count = light.side, light.count[face]
    column, row = min(max(int(x), 0), side - 1), min(max(int(y), 0), side - 1)
    s = carray(pointer(light.address[face]), (side, side), np.int32)[row, column]
    if s < 0 or carray(pointer(light.flats[face]), (count,), np.int64)[s] == flat:
        return 0.0
    depth = carray(pointer(light.depth[face]), (count, 3), np.float64)
    zx, zy, z1 = depth[s, 0], depth[s, 1], depth[s, 2]
    cx, cy = column + 0.5, row + 0.5
    z = zx * cx + zy * cy + z1
    if z <= (own[0] * cx + own[1] * cy + own[2]) * (1.0 + NEARER):
        return 0.0
    u, v, near = at
    if zx * u + zy * v + z1 > near * (1.0 + NEARER):
        return z
    return z if (z - near) * size > 0.5 * (abs(x - u) + abs(y - v)) else 0.0


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _in_buffer(light: LightRecord, x: float, y: float, z: float) -> Any:
    """Which of a light's buffers a place is in, its pixel there, its nearness, and how many pixels
    of the buffer a metre is there."""
    if light.kind == SUN:
        m = light.onto
        return (
            0, m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3],
            m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3],
            m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3], light.scale,
        )  # fmt: skip
    place = light.place
    face, across, down, ahead = cube_face(x - place[0], y - place[1], z - place[2])
    near = 1.0 / max(ahead, 1e-9)
    scale, middle = light.scale, 0.5 * light.side
    return face, middle + scale * across * near, middle + scale * down * near, near, scale * near


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _discs(
    light: LightRecord, face: int, x: float, y: float, near: float, wide: float
) -> tuple[float, float]:
    """The radii, in pixels of the buffer, of the finest disc about a place: as wide as a pixel of
    the frame, or of the buffer; and of the widest: as what is nearest to the light about there
    would ask for. wide: of a pixel of the frame, in pixels of the buffer."""
    side = light.side
    most, size = WIDEST * side, light.size * light.scale
    fine = min(max(0.5 * wide, 0.75), most)
    n = side // CELL
    row, column = min(max(int(y), 0), side - 1) // CELL, min(max(int(x), 0), side - 1) // CELL
    peak = carray(pointer(light.peaks[face]), (n, n), np.float64)[row, column]
    search = max(size * (peak - near), fine)
    if search >= CELL:  # then what lies beyond the cells around counts too
        search = max(size * (light.most - near), fine)
    return fine, min(search, most)


@njit(cache=True, nogil=True, error_model="numpy")
def sees_for(
    light: LightRecord, surface: int, flat: int, px: float, py: float, pz: float, far_p: float, qx:
    float, qy: float, qz: float, far_q: float, n: int, wide: float,
) -> tuple[int, float]:  # fmt: skip
    """For how many of n places in a row, p being the first and q the last, all see as much of a
    light, and how much, 0 or 1; 1 and -1 where an edge is so near that each has to be asked. far_p,
    far_q: their depths before the shot camera. The others: as of `sees_light`.

    No edge is nearer than the distance that is kept of each pixel, so the row, which is straight
    in the buffer too, is followed by as much at a time.
    """
    side = light.side
    face, u, v, near, a_metre = _in_buffer(light, px, py, pz)
    to, u_2, v_2, near_2, a_metre_2 = _in_buffer(light, qx, qy, qz)
    if face != to:
        return 1, -1.0
    if light.address[face] == 0:
        return n, 1.0
    wide *= max(a_metre, a_metre_2)
    _, search = _discs(light, face, u, v, near, wide)
    length = max(abs(u_2 - u), abs(v_2 - v))
    if not (0.0 <= u < side and 0.0 <= v < side):
        return 1, -1.0
    edges = carray(pointer(light.edges[face]), (side, side), np.uint8)
    part, a, b = 0.0, u, v
    while part < 1.0:
        free = edges[int(b), int(a)] - search - 1.0
        if free <= 0.0 or not (0.0 <= u_2 < side and 0.0 <= v_2 < side):
            break
        part = min(part + max(free, 1.0) / max(length, 1e-9), 1.0)
        a, b = u + (u_2 - u) * part, v + (v_2 - v) * part
        _, search = _discs(light, face, a, b, near + (near_2 - near) * part, wide)
    if part <= 0.0:
        return 1, -1.0
    alike = n
    if part < 1.0:
        if light.kind != SUN:  # from the part of the way in the buffer to that in the world
            part = part * near_2 / ((1.0 - part) * near + part * near_2)
        part = part * far_q / ((1.0 - part) * far_p + part * far_q)  # to that in the frame
        alike = min(int(part * (n - 1)) + 1, n)
    _, search = _discs(light, face, u, v, near, wide)
    hides = _hides_disc(light, face, surface, flat, (u, v, near), search)
    if hides == 0.5:
        return 1, -1.0
    if alike > 1:
        part = (alike - 1.0) / (n - 1.0)
        part = part * far_p / ((1.0 - part) * far_q + part * far_p)
        x, y, z = px + (qx - px) * part, py + (qy - py) * part, pz + (qz - pz) * part
        _, a, b, end, _ = _in_buffer(light, x, y, z)
        _, search = _discs(light, face, a, b, end, wide)
        if _hides_disc(light, face, surface, flat, (a, b, end), search) != hides:
            return 1, -1.0
    return alike, 1.0 - hides


@njit(cache=True, nogil=True, error_model="numpy")
def _hides_disc(
    light: LightRecord, face: int, surface: int, flat: int, at: Any, search: float
) -> float:  # fmt: skip
    """Whether the one piece that is seen all about a place hides the whole disc, 1, or none of it,
    0; 0.5 otherwise. Both planes are flat, so the corners about the disc say it."""
    side = light.side
    column, row = min(max(int(at[0]), 0), side - 1), min(max(int(at[1]), 0), side - 1)
    s = carray(pointer(light.address[face]), (side, side), np.int32)[row, column]
    if s < 0:
        return 0.0
    if carray(pointer(light.flats[face]), (light.count[face],), np.int64)[s] == flat:
        return 0.0
    own, size = _tilt_of(light, face, surface), light.size * light.scale
    found = 0
    for i in range(4):
        x = at[0] + search * (1.0 if i & 1 else -1.0)
        y = at[1] + search * (1.0 if i & 2 else -1.0)
        found += _hides(light, face, own, flat, at, x, y, size) > 0.0
    return 0.0 if found == 0 else 1.0 if found == 4 else 0.5


@njit(cache=True, nogil=True, error_model="numpy")
def sees_light(
    light: LightRecord, surface: int, flat: int, x: float, y: float, z: float, wide: float
) -> float:  # fmt: skip
    """How much of a light a place (x, y, z) sees, from 0 to 1. surface: of the shot, that it is on.
    flat: the flat piece that this is. wide: how large a pixel of the frame is there, metres."""
    side = light.side
    face, u, v, near, a_metre = _in_buffer(light, x, y, z)
    if light.address[face] == 0 or not (0.0 <= u < side and 0.0 <= v < side):
        return 1.0
    fine, search = _discs(light, face, u, v, near, wide * a_metre)
    at = (u, v, near)
    edges = carray(pointer(light.edges[face]), (side, side), np.uint8)
    if edges[int(v), int(u)] > search + 1.0:
        hidden = _hides_disc(light, face, surface, flat, at, search)
        if hidden != 0.5:
            return 1.0 - hidden
    own, size = _tilt_of(light, face, surface), light.size * light.scale
    radius = fine
    if search > fine:
        found, total = 0, 0.0
        for i in range(SEARCHED):
            a, b = u + search * SEARCH_X[i], v + search * SEARCH_Y[i]
            hit = _hides(light, face, own, flat, at, a, b, size)
            if hit > 0.0:
                found += 1
                total += hit
        if found in (0, SEARCHED):
            return 1.0 - found / SEARCHED
        radius = min(max(size * (total / found - near), fine), search)
    found = 0
    for i in range(TAPS):
        a, b = u + radius * TAP_X[i], v + radius * TAP_Y[i]
        found += _hides(light, face, own, flat, at, a, b, size) > 0.0
    return 1.0 - found / TAPS
