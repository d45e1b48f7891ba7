"""Rasterisation of one tile: the nearest surface at each pixel centre, pixels that a thin triangle
passes without covering a centre, and the nearest surface at each of a pixel's sixteen samples."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices, Indices32
from .screen import TILE

SIDE = TILE + 2  # a tile and a border of one pixel, by which edges at its rim are found
NOTHING = -1
MIXED = -2
SAMPLES = 16
SAMPLE_X = np.array([((s * 5) % 16 + 0.5) / 16.0 for s in range(SAMPLES)])
SAMPLE_Y = np.array([(s + 0.5) / 16.0 for s in range(SAMPLES)])
# Ratio of inverse depths above which two surfaces count as coplanar. The one later in the scene
# then wins, so that the order never depends on rounding.
COPLANAR = 1.0 - 1e-9
CELL = 4  # px; tiles with more than MANY triangles are parted into cells
CELLS = TILE // CELL
MANY = 48
SLACK = 1e-7  # px; samples on a shared edge belong to both triangles, so that no crack appears


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy", inline="always")
def _row_span(edges: Floats, i: int, y: float, x0: float, x1: float) -> tuple[float, float]:
    """The part of [x0, x1] in which row y is inside triangle i; empty where its end is first."""
    for k in range(3):
        a = edges[i, k, 0]
        rest = edges[i, k, 1] * y + edges[i, k, 2] + SLACK
        if a > 1e-12:
            x0 = max(x0, -rest / a)
        elif a < -1e-12:
            x1 = min(x1, -rest / a)
        elif rest < 0.0:
            x1 = x0 - 1.0
    return x0, x1


@njit(cache=True, nogil=True, error_model="numpy")
def front_of_tile(
    tx: int, ty: int, edges: Floats, surface: Indices, inverse_depth: Floats, triangles: Indices
) -> int:
    """The surface that covers a whole tile, border included, in front of all others; NOTHING where
    there is none. Inverse depths are linear, so it is enough to compare them at the corners."""
    x, y = tx * TILE - 1 + 0.5 * SIDE, ty * TILE - 1 + 0.5 * SIDE
    half = 0.5 * (SIDE - 1)
    front, nearest = NOTHING, 0.0
    for i in triangles:
        fills = True
        for k in range(3):
            a, b = edges[i, k, 0], edges[i, k, 1]
            fills &= a * x + b * y + edges[i, k, 2] >= half * (abs(a) + abs(b))
        if fills:
            s = surface[i]
            z = inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]
            if z > nearest:
                front, nearest = s, z
    if front == NOTHING:
        return NOTHING
    fx, fy = inverse_depth[front, 0] * COPLANAR, inverse_depth[front, 1] * COPLANAR
    nearest *= COPLANAR
    for i in triangles:
        s = surface[i]
        if s == front:
            continue
        zx, zy = inverse_depth[s, 0], inverse_depth[s, 1]
        ahead = nearest - (zx * x + zy * y + inverse_depth[s, 2])
        if ahead <= half * (abs(fx - zx) + abs(fy - zy)):
            return NOTHING
    return front


@njit(cache=True, nogil=True, error_model="numpy")
def see_tile(
    tx: int, ty: int, edges: Floats, box: Floats, surface: Indices, inverse_depth: Floats,
    triangles: Indices, seen: Indices32, depth: Floats,
) -> None:  # fmt: skip
    """Fill seen (SIDE, SIDE) with the nearest surface at each pixel centre of a tile and its
    border, and depth (SIDE, SIDE) with its inverse depth."""
    seen[:] = NOTHING
    depth[:] = 0.0
    left, top = tx * TILE - 1, ty * TILE - 1
    for i in triangles:
        s = surface[i]
        zx, zy, z1 = inverse_depth[s, 0], inverse_depth[s, 1], inverse_depth[s, 2]
        first = max(int(np.floor(box[i, 1])) - top - 1, 0)
        last = min(int(np.ceil(min(box[i, 3], 1e8))) - top + 1, SIDE)
        for row in range(first, last):
            y = top + row + 0.5
            lo, hi = _row_span(edges, i, y, left + 0.5, left + SIDE - 0.5)
            if hi < lo:
                continue
            c0 = max(int(np.ceil(lo - 0.5)) - left, 0)
            c1 = min(int(np.floor(hi - 0.5)) - left + 1, SIDE)
            base = zy * y + z1 + zx * (left + 0.5)
            near, who = depth[row], seen[row]
            for c in range(c0, c1):  # no branch, so that it runs several pixels at once
                z, old = base + zx * c, near[c]
                # of two coplanar surfaces the later one is seen
                nearer = z > old * COPLANAR
                near[c] = z if nearer else old
                who[c] = np.int32(s) if nearer else who[c]


@njit(cache=True, nogil=True, error_model="numpy")
def find_thin(
    tx: int, ty: int, edges: Floats, box: Floats, surface: Indices, owner: Indices, thin: Flags,
    triangles: Indices, seen: Indices32, passed: Flags,
) -> None:  # fmt: skip
    """Mark in passed (SIDE, SIDE) the pixels that a thin triangle overlaps while another mesh is
    seen at their centre, so that they are sampled."""
    passed[:] = False
    left, top = tx * TILE - 1, ty * TILE - 1
    for i in triangles:
        if not thin[i]:
            continue
        whose = owner[surface[i]]
        first = max(int(np.floor(box[i, 1])) - top, 0)
        last = min(int(np.ceil(min(box[i, 3], 1e8))) - top, SIDE)
        c0 = max(int(np.floor(box[i, 0])) - left, 0)
        c1 = min(int(np.ceil(min(box[i, 2], 1e8))) - left, SIDE)
        for row in range(first, last):
            for c in range(c0, c1):
                s = seen[row, c]
                if s != NOTHING and owner[s] == whose:
                    continue
                room = 1.0
                for k in range(3):
                    a, b = edges[i, k, 0], edges[i, k, 1]
                    away = a * (left + c + 0.5) + b * (top + row + 0.5) + edges[i, k, 2]
                    room = min(room, away + 0.5 * (abs(a) + abs(b)))
                if room > 0.0:
                    passed[row, c] = True


@njit(cache=True, nogil=True)
def cells_of(tx: int, ty: int, box: Floats, triangles: Indices) -> tuple[Indices, Indices]:
    """A tile's triangles by cells of CELL pixels a side, so that a pixel of a tile with many asks
    few of them: those of cell k are the second from first[k] to first[k + 1]."""
    first = np.zeros(CELLS * CELLS + 1, np.int64)
    out = np.empty(0, np.int64)
    for fill in range(2):
        if fill == 1:
            for k in range(CELLS * CELLS):
                first[k + 1] += first[k]
            out = np.empty(first[CELLS * CELLS], np.int64)
        cursor = first[:-1].copy()
        for i in triangles:
            c0 = max(int(np.floor((box[i, 0] - SLACK - tx * TILE) / CELL)), 0)
            r0 = max(int(np.floor((box[i, 1] - SLACK - ty * TILE) / CELL)), 0)
            c1 = min(int(np.floor((min(box[i, 2], 1e8) + SLACK - tx * TILE) / CELL)), CELLS - 1)
            r1 = min(int(np.floor((min(box[i, 3], 1e8) + SLACK - ty * TILE) / CELL)), CELLS - 1)
            for r in range(r0, r1 + 1):
                for c in range(c0, c1 + 1):
                    k = r * CELLS + c
                    if fill == 0:
                        first[k + 1] += 1
                    else:
                        out[cursor[k]] = i
                        cursor[k] += 1
    return first, out


@njit(cache=True, nogil=True, inline="always")
def in_cell(cells: tuple[Indices, Indices], x: int, y: int) -> Indices:
    """The triangles of the cell that a pixel is in."""
    k = (y % TILE) // CELL * CELLS + (x % TILE) // CELL
    return cells[1][cells[0][k] : cells[0][k + 1]]


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def sample_edge(
    x: int, y: int, edges: Floats, surface: Indices, inverse_depth: Floats, triangles: Indices,
    nearest: Floats, who: Indices32,
) -> None:  # fmt: skip
    """Fill who (SAMPLES,) with the nearest surface at each sample of a pixel, NOTHING for none, and
    nearest (SAMPLES,) with its inverse depth."""
    cx, cy = x + 0.5, y + 0.5
    nearest[:] = 0.0
    who[:] = NOTHING
    for i in triangles:
        least = 1.0
        for k in range(3):
            a, b = edges[i, k, 0], edges[i, k, 1]
            room = a * cx + b * cy + edges[i, k, 2] + 0.5 * (abs(a) + abs(b)) + SLACK
            least = min(least, room)
        if least < 0.0:
            continue
        q = surface[i]
        zx, zy, z1 = inverse_depth[q, 0], inverse_depth[q, 1], inverse_depth[q, 2]
        a0, b0, a1, b1, a2, b2 = (
            edges[i, 0, 0], edges[i, 0, 1], edges[i, 1, 0],
            edges[i, 1, 1], edges[i, 2, 0], edges[i, 2, 1],
        )  # fmt: skip
        # values at the pixel's corner, from which each sample is two multiply-adds away
        c0 = a0 * x + b0 * y + edges[i, 0, 2] + SLACK
        c1 = a1 * x + b1 * y + edges[i, 1, 2] + SLACK
        c2 = a2 * x + b2 * y + edges[i, 2, 2] + SLACK
        zc = zx * x + zy * y + z1
        for s in range(SAMPLES):  # no branches, so that it runs several samples at once
            z = zc + zx * SAMPLE_X[s] + zy * SAMPLE_Y[s]
            e = min(
                min(c0 + a0 * SAMPLE_X[s] + b0 * SAMPLE_Y[s], z - nearest[s] * COPLANAR),
                min(
                    c1 + a1 * SAMPLE_X[s] + b1 * SAMPLE_Y[s],
                    c2 + a2 * SAMPLE_X[s] + b2 * SAMPLE_Y[s],
                ),
            )
            nearest[s] = z if e > 0.0 else nearest[s]
            who[s] = q if e > 0.0 else who[s]


@njit(cache=True, nogil=True, error_model="numpy")
def by_depth(
    tx: int, ty: int, surface: Indices, inverse_depth: Floats, triangles: Indices
) -> tuple[Indices, Floats, Floats]:
    """A tile's triangles in order of the nearest that their planes come to the camera within it,
    and bounds of their inverse depths there: the largest, descending, and the least."""
    x, y = tx * TILE - 1 + 0.5 * SIDE, ty * TILE - 1 + 0.5 * SIDE
    half = 0.5 * (SIDE - 1)
    ordered = triangles.copy()
    near, far = np.empty(len(triangles)), np.empty(len(triangles))
    for j in range(len(triangles)):
        i = triangles[j]
        z = inverse_depth[surface[i]]
        middle, reach = z[0] * x + z[1] * y + z[2], half * (abs(z[0]) + abs(z[1]))
        k = j
        while k > 0 and near[k - 1] < middle + reach:
            ordered[k], near[k], far[k] = ordered[k - 1], near[k - 1], far[k - 1]
            k -= 1
        ordered[k], near[k], far[k] = i, middle + reach, middle - reach
    return ordered, near, far


@njit(cache=True, nogil=True, error_model="numpy")
def next_of_tile(
    tx: int, ty: int, edges: Floats, surface: Indices, inverse_depth: Floats, triangles: Indices,
    before: int,
) -> int:  # fmt: skip
    """The surface that is next behind surface `before` in a whole tile, which that one fills;
    NOTHING where there is none at all, MIXED where not one fills the tile in front of all others
    that are behind, or where some are behind in a part only."""
    x, y = tx * TILE - 1 + 0.5 * SIDE, ty * TILE - 1 + 0.5 * SIDE
    half = 0.5 * (SIDE - 1)
    zx, zy, z1 = inverse_depth[before, 0], inverse_depth[before, 1], inverse_depth[before, 2]
    limit = zx * x + zy * y + z1
    front, nearest, any_behind = NOTHING, 0.0, False
    for i in triangles:
        s = surface[i]
        if s == before:
            continue
        z = inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]
        turn = half * (abs(zx - inverse_depth[s, 0]) + abs(zy - inverse_depth[s, 1]))
        least = limit * (1.0 - COPLANAR) + turn
        if z - limit > least:
            continue
        if limit - z <= least:
            return MIXED
        any_behind = True
        fills = True
        for k in range(3):
            a, b = edges[i, k, 0], edges[i, k, 1]
            fills &= a * x + b * y + edges[i, k, 2] >= half * (abs(a) + abs(b))
        if fills and z > nearest:
            front, nearest = s, z
    if front == NOTHING:
        return MIXED if any_behind else NOTHING
    zx, zy = inverse_depth[front, 0], inverse_depth[front, 1]
    for i in triangles:
        s = surface[i]
        if s in (front, before):
            continue
        z = inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]
        if z > limit:
            continue
        turn = half * (abs(zx - inverse_depth[s, 0]) + abs(zy - inverse_depth[s, 1]))
        if nearest - z <= nearest * (1.0 - COPLANAR) + turn:
            return MIXED
    return front


@njit(cache=True, nogil=True, error_model="numpy")
def see_tile_behind(
    tx: int, ty: int, edges: Floats, box: Floats, surface: Indices, inverse_depth: Floats,
    ordered: Indices, near: Floats, far: Floats, limit: Floats, tie: Indices32, seen: Indices32,
    depth: Floats,
) -> None:  # fmt: skip
    """Fill seen and depth (SIDE, SIDE) with what is next behind inverse depths `limit`, where 0
    means that nothing is. Of surfaces at that very depth, those before `tie` are behind it.
    ordered, near, far: as `by_depth` gives them."""
    seen[:] = NOTHING
    depth[:] = 0.0
    left, top = tx * TILE - 1, ty * TILE - 1
    nearest = limit.max() / COPLANAR
    for j in range(len(ordered)):
        if far[j] > nearest:
            continue
        if j % 8 == 7 and _is_full(limit, depth, near[j]):
            break
        i = ordered[j]
        s = np.int32(surface[i])
        zx, zy, z1 = inverse_depth[s, 0], inverse_depth[s, 1], inverse_depth[s, 2]
        first = max(int(np.floor(box[i, 1])) - top - 1, 0)
        last = min(int(np.ceil(min(box[i, 3], 1e8))) - top + 1, SIDE)
        for row in range(first, last):
            y = top + row + 0.5
            lo, hi = _row_span(edges, i, y, left + 0.5, left + SIDE - 0.5)
            if hi < lo:
                continue
            c0 = max(int(np.ceil(lo - 0.5)) - left, 0)
            c1 = min(int(np.floor(hi - 0.5)) - left + 1, SIDE)
            base = zy * y + z1 + zx * (left + 0.5)
            bound, order, found, who = limit[row], tie[row], depth[row], seen[row]
            for c in range(c0, c1):  # no branch, so that it runs several pixels at once
                z, old, far_off = base + zx * c, found[c], bound[c]
                behind = (z < far_off * COPLANAR) | ((z * COPLANAR <= far_off) & (s < order[c]))
                ahead = (z * COPLANAR > old) | ((z > old * COPLANAR) & (s > who[c]))
                nearer = behind & ahead
                found[c] = z if nearer else old
                who[c] = s if nearer else who[c]


@njit(cache=True, nogil=True)
def _is_full(limit: Floats, depth: Floats, near: float) -> bool:
    """Whether everywhere that something may come, something has that is nearer than `near`."""
    for row in range(SIDE):
        for c in range(SIDE):
            if limit[row, c] > 0.0 and depth[row, c] * COPLANAR <= near:
                return False
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def touching(x: int, y: int, edges: Floats, triangles: Indices) -> Indices:
    """Those of the triangles that may cover a part of a pixel."""
    cx, cy = x + 0.5, y + 0.5
    out = np.empty(len(triangles), np.int64)
    count = 0
    for i in triangles:
        least = 1.0
        for k in range(3):
            a, b = edges[i, k, 0], edges[i, k, 1]
            room = a * cx + b * cy + edges[i, k, 2] + 0.5 * (abs(a) + abs(b)) + SLACK
            least = min(least, room)
        if least >= 0.0:
            out[count] = i
            count += 1
    return out[:count]


@njit(cache=True, nogil=True, error_model="numpy")
def sample_behind(
    x: int, y: int, edges: Floats, surface: Indices, inverse_depth: Floats, triangles: Indices,
    limit: Floats, tie: Indices32, nearest: Floats, who: Indices32,
) -> None:  # fmt: skip
    """Fill who and nearest as `sample_edge` does, with what is next behind inverse depths `limit`
    (SAMPLES,). Of surfaces at that very depth, those before `tie` are behind it. triangles: as
    `touching` gives them."""
    nearest[:] = 0.0
    who[:] = NOTHING
    for i in triangles:
        q = surface[i]
        zx, zy, z1 = inverse_depth[q, 0], inverse_depth[q, 1], inverse_depth[q, 2]
        for s in range(SAMPLES):
            px, py = x + SAMPLE_X[s], y + SAMPLE_Y[s]
            z, old = zx * px + zy * py + z1, nearest[s]
            if z >= limit[s] * COPLANAR and not (z * COPLANAR <= limit[s] and q < tie[s]):
                continue
            if not (z * COPLANAR > old or (z > old * COPLANAR and q > who[s])):
                continue
            inside = True
            for k in range(3):
                inside &= edges[i, k, 0] * px + edges[i, k, 1] * py + edges[i, k, 2] + SLACK > 0.0
            if inside:
                nearest[s], who[s] = z, q
