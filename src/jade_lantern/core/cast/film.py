"""The compiled heart of the cast: visibility by tile, lookup by run, edges by sixteen samples."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..arrays import Flags, Floats, Floats32, Indices, Indices32, Packed
from .cubic import footprint, keys_weights
from .pyramid import PAD
from .visibility import TILE

SIDE = TILE + 2  # a tile with the pixel round it that tells where edges are
NOTHING = -1
SAMPLES = 16
SAMPLE_X = np.array([((s * 5) % 16 + 0.5) / 16.0 for s in range(SAMPLES)])
SAMPLE_Y = np.array([(s + 0.5) / 16.0 for s in range(SAMPLES)])
SCATTER = 7919  # a prime: neighbouring tiles cost alike, so they are dealt out far apart
SAME_PLACE = 0.35  # plate px that two surfaces' lookups may differ by and be one picture
LIES_ON = 1.0 - 1e-9  # inverse depths that differ by less are one plane's; the later one wins
SLACK = 1e-7  # px; a sample on a shared edge belongs to both sides, so that there is no crack


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy", inline="always")
def _row_span(edges: Floats, i: int, y: float, x0: float, x1: float) -> tuple[float, float]:
    """Where, between x0 and x1, row y lies inside triangle i."""
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
def _see_tile(
    tx: int, ty: int, edges: Floats, box: Floats, surface: Indices, inverse_depth: Floats,
    triangles: Indices, seen: Indices32, depth: Floats,
) -> None:  # fmt: skip
    """Fill seen (SIDE, SIDE) with the nearest surface at each pixel centre of a grown tile."""
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
            for c in range(c0, c1):
                z = base + zx * c
                # of two in one plane the later one is seen, whatever rounding says
                if z > depth[row, c] * LIES_ON:
                    depth[row, c] = z
                    seen[row, c] = s


@njit(cache=True, nogil=True, error_model="numpy")
def _find_thin(
    tx: int, ty: int, edges: Floats, box: Floats, surface: Indices, owner: Indices, thin: Flags,
    triangles: Indices, seen: Indices32, passed: Flags,
) -> None:  # fmt: skip
    """Mark in passed (SIDE, SIDE) the pixels that a narrow triangle passes without being what is
    seen at their centres, so that its share of them is counted."""
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


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _look_up_run(
    out: Packed, y: int, xa: int, xb: int, mapping: Floats, s: int,
    pixels: Packed, start: Indices, stride: Indices, scale: Floats,
    right: float, bottom: float, hold: bool, at: Indices32, weight: Floats32,
) -> None:  # fmt: skip
    """Fill out[y, xa:xb] (uint32) from the plate through one surface's mapping H."""
    n = xb - xa
    px, py = xa + 0.5, y + 0.5
    level = _level(mapping, s, (xa + xb) * 0.5, py, len(start))
    su, sv = scale[level, 0], scale[level, 1]
    line = stride[level]
    origin = start[level] - line - 1
    u0 = mapping[s, 0, 0] * px + mapping[s, 0, 1] * py + mapping[s, 0, 2]
    v0 = mapping[s, 1, 0] * px + mapping[s, 1, 1] * py + mapping[s, 1, 2]
    w0 = mapping[s, 2, 0] * px + mapping[s, 2, 1] * py + mapping[s, 2, 2]
    du, dv, dw = mapping[s, 0, 0], mapping[s, 1, 0], mapping[s, 2, 0]
    for i in range(n):
        inv = 1.0 / (w0 + i * dw)
        u = min(max((u0 + i * du) * inv, 0.0), right) * su + (PAD - 0.5)
        v = min(max((v0 + i * dv) * inv, 0.0), bottom) * sv + (PAD - 0.5)
        iu, iv = np.int32(u), np.int32(v)
        at[i] = origin + iv * line + iu
        a = keys_weights(np.float32(u - iu))
        b = keys_weights(np.float32(v - iv))
        weight[0, i], weight[1, i], weight[2, i], weight[3, i] = a
        weight[4, i], weight[5, i], weight[6, i], weight[7, i] = b
    for i in range(n):
        out[y, xa + i] = footprint(
            pixels, np.int64(at[i]), line,
            (
                weight[0, i], weight[1, i], weight[2, i], weight[3, i],
                weight[4, i], weight[5, i], weight[6, i], weight[7, i],
            ),
        )  # fmt: skip
    if hold and w0 > 0.0 and w0 + (n - 1) * dw > 0.0:
        return
    # a run is straight in the plate: where both its ends are well inside, all of it is
    if (
        _share(mapping, s, px, py, right, bottom, hold) >= 1.0
        and _share(mapping, s, px + n - 1, py, right, bottom, hold) >= 1.0
    ):
        return
    for i in range(n):
        share = _share(mapping, s, px + i, py, right, bottom, hold)
        if share < 1.0:
            out[y, xa + i] = _thinned(out[y, xa + i], share)


@njit(cache=True, nogil=True, inline="always")
def _thinned(p: np.uint32, share: float) -> np.uint32:
    """A pixel with so much of its cover."""
    alpha = np.uint32(np.float64(p >> np.uint32(24)) * share + 0.5)
    if alpha == 0:
        return np.uint32(0)
    return (p & np.uint32(0xFFFFFF)) | (alpha << np.uint32(24))


@njit(cache=True, nogil=True, error_model="numpy")
def _share(
    mapping: Floats, s: int, x: float, y: float, right: float, bottom: float, hold: bool
) -> float:
    """How much of a shot pixel lies inside the plate, 0 to 1: by how far its centre is from each
    of the plate's edges, against how far the pixel reaches across it."""
    w = mapping[s, 2, 0] * x + mapping[s, 2, 1] * y + mapping[s, 2, 2]
    if w <= 0.0:
        return 0.0
    if hold:
        return 1.0
    share = 1.0
    for k in range(2):
        u = (mapping[s, k, 0] * x + mapping[s, k, 1] * y + mapping[s, k, 2]) / w
        end = right if k == 0 else bottom
        if u > 64.0 and u < end - 64.0:
            continue
        ux = (mapping[s, k, 0] - u * mapping[s, 2, 0]) / w
        uy = (mapping[s, k, 1] - u * mapping[s, 2, 1]) / w
        reach = max(np.sqrt(ux * ux + uy * uy), 1e-9)
        for off in (u, end - u):
            share *= min(max(off / reach + 0.5, 0.0), 1.0)
    return share


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _look_up_one(
    x: float, y: float, mapping: Floats, s: int,
    pixels: Packed, start: Indices, stride: Indices, scale: Floats,
    right: float, bottom: float, hold: bool,
) -> np.uint32:  # fmt: skip
    u = mapping[s, 0, 0] * x + mapping[s, 0, 1] * y + mapping[s, 0, 2]
    v = mapping[s, 1, 0] * x + mapping[s, 1, 1] * y + mapping[s, 1, 2]
    w = mapping[s, 2, 0] * x + mapping[s, 2, 1] * y + mapping[s, 2, 2]
    share = _share(mapping, s, x, y, right, bottom, hold)
    if share <= 0.0:
        return np.uint32(0)
    level = _level(mapping, s, x, y, len(start))
    u = min(max(u / w, 0.0), right) * scale[level, 0] + (PAD - 0.5)
    v = min(max(v / w, 0.0), bottom) * scale[level, 1] + (PAD - 0.5)
    iu, iv = np.int64(u), np.int64(v)
    a = keys_weights(np.float32(u - iu))
    b = keys_weights(np.float32(v - iv))
    p = footprint(
        pixels, start[level] + (iv - 1) * stride[level] + iu - 1, stride[level],
        (a[0], a[1], a[2], a[3], b[0], b[1], b[2], b[3]),
    )  # fmt: skip
    return p if share >= 1.0 else _thinned(p, share)


@njit(cache=True, nogil=True, error_model="numpy")
def _level(mapping: Floats, s: int, x: float, y: float, levels: int) -> int:
    """The copy of the plate whose pixels are about as large as this shot pixel's footprint."""
    w = mapping[s, 2, 0] * x + mapping[s, 2, 1] * y + mapping[s, 2, 2]
    u = (mapping[s, 0, 0] * x + mapping[s, 0, 1] * y + mapping[s, 0, 2]) / w
    v = (mapping[s, 1, 0] * x + mapping[s, 1, 1] * y + mapping[s, 1, 2]) / w
    ux, vx = (
        (mapping[s, 0, 0] - u * mapping[s, 2, 0]) / w,
        (mapping[s, 1, 0] - v * mapping[s, 2, 0]) / w,
    )
    uy, vy = (
        (mapping[s, 0, 1] - u * mapping[s, 2, 1]) / w,
        (mapping[s, 1, 1] - v * mapping[s, 2, 1]) / w,
    )
    a, b, c = ux * ux + vx * vx, ux * uy + vx * vy, uy * uy + vy * vy
    worst = 0.5 * (a + c + np.sqrt((a - c) ** 2 + 4 * b * b))
    if not worst > 1.0:
        return 0
    return min(int(np.log2(worst) + 0.4), levels - 1)  # half octaves: log2 of the square


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _edge_pixel(
    x: int, y: int, edges: Floats, surface: Indices, inverse_depth: Floats, triangles: Indices,
    mapping: Floats, pixels: Packed, start: Indices, stride: Indices, scale: Floats,
    right: float, bottom: float, hold: bool, nearest: Floats, who: Indices32,
) -> np.uint32:  # fmt: skip
    """One pixel where surfaces meet: each counted by how much of the pixel it fills, and looked
    up at the pixel's centre, so that at the lens the plate itself comes back."""
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
        # at the pixel's corner, so that a sample is one multiply and add on from there
        c0 = a0 * x + b0 * y + edges[i, 0, 2] + SLACK
        c1 = a1 * x + b1 * y + edges[i, 1, 2] + SLACK
        c2 = a2 * x + b2 * y + edges[i, 2, 2] + SLACK
        zc = zx * x + zy * y + z1
        for s in range(SAMPLES):  # no branches, so that it runs several samples at once
            z = zc + zx * SAMPLE_X[s] + zy * SAMPLE_Y[s]
            e = min(
                min(c0 + a0 * SAMPLE_X[s] + b0 * SAMPLE_Y[s], z - nearest[s] * LIES_ON),
                min(
                    c1 + a1 * SAMPLE_X[s] + b1 * SAMPLE_Y[s],
                    c2 + a2 * SAMPLE_X[s] + b2 * SAMPLE_Y[s],
                ),
            )
            nearest[s] = z if e > 0.0 else nearest[s]
            who[s] = q if e > 0.0 else who[s]
    red, green, blue, cover = np.int64(0), np.int64(0), np.int64(0), np.int64(0)
    for s in range(SAMPLES):
        q = who[s]
        if q == NOTHING:
            continue
        share = 0
        for t in range(s, SAMPLES):
            if who[t] == q:
                share += 1
                who[t] = NOTHING
        p = _look_up_one(
            cx, cy, mapping, q, pixels, start, stride, scale, right, bottom, hold
        )  # fmt: skip
        weight = share * np.int64(p >> 24)  # premultiplied, so that no colour of nothing is mixed
        red += weight * np.int64(p & 255)
        green += weight * np.int64((p >> 8) & 255)
        blue += weight * np.int64((p >> 16) & 255)
        cover += weight
    if cover == 0:
        return np.uint32(0)
    half = cover // 2
    alpha = np.uint32((cover + SAMPLES // 2) // SAMPLES)
    return (
        np.uint32((red + half) // cover) | (np.uint32((green + half) // cover) << np.uint32(8))
        | (np.uint32((blue + half) // cover) << np.uint32(16)) | (alpha << np.uint32(24))
    )  # fmt: skip


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy", inline="always")
def _parted(mapping: Floats, s: int, q: int, x: int, y: int) -> bool:
    """Whether the picture is parted between a pixel's surface and its neighbour's: not where the
    two read the plate at the same place, as along a fold, or anywhere at the lens itself."""
    if s == q:
        return False
    if s == NOTHING or q == NOTHING:
        return True
    px, py = x + 0.5, y + 0.5
    w = mapping[s, 2, 0] * px + mapping[s, 2, 1] * py + mapping[s, 2, 2]
    v = mapping[q, 2, 0] * px + mapping[q, 2, 1] * py + mapping[q, 2, 2]
    if w <= 0.0 or v <= 0.0:
        return True
    apart = 0.0
    for k in range(2):
        a = mapping[s, k, 0] * px + mapping[s, k, 1] * py + mapping[s, k, 2]
        b = mapping[q, k, 0] * px + mapping[q, k, 1] * py + mapping[q, k, 2]
        apart = max(apart, abs(a * v - b * w))
    return apart > SAME_PLACE * w * v


@njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def expose(
    out: Packed, edges: Floats, box: Floats, surface: Indices, inverse_depth: Floats,
    mapping: Floats, owner: Indices, thin: Flags, bin_start: Indices, bin_triangles: Indices,
    across: int, down: int, pixels: Packed, start: Indices, stride: Indices, scale: Floats,
    right: float, bottom: float, hold: bool,
) -> None:  # fmt: skip
    """Fill out (H, W) uint32 RGBA. mapping: (S, 3, 3) shot pixel to plate pixel by surface."""
    rows, cols = out.shape
    tiles = across * down
    stride_of_tiles = SCATTER if tiles % SCATTER else 1
    for turn in prange(tiles):
        tile = turn * stride_of_tiles % tiles
        ty, tx = tile // across, tile % across
        triangles = bin_triangles[bin_start[tile] : bin_start[tile + 1]]
        y0, x0 = ty * TILE, tx * TILE
        y1, x1 = min(y0 + TILE, rows), min(x0 + TILE, cols)
        if len(triangles) == 0:
            out[y0:y1, x0:x1] = 0
            continue
        seen = np.empty((SIDE, SIDE), np.int32)
        depth = np.empty((SIDE, SIDE))
        passed = np.empty((SIDE, SIDE), np.bool_)
        at = np.empty(TILE, np.int32)
        weight = np.empty((8, TILE), np.float32)
        nearest = np.empty(SAMPLES)
        who = np.empty(SAMPLES, np.int32)
        _see_tile(tx, ty, edges, box, surface, inverse_depth, triangles, seen, depth)
        _find_thin(tx, ty, edges, box, surface, owner, thin, triangles, seen, passed)
        for y in range(y0, y1):
            r = y - y0 + 1
            x = x0
            while x < x1:
                s = seen[r, x - x0 + 1]
                run = x + 1
                while run < x1 and seen[r, run - x0 + 1] == s:
                    run += 1
                if s == NOTHING:
                    out[y, x:run] = 0
                else:
                    _look_up_run(
                        out, y, x, run, mapping, s, pixels, start, stride, scale,
                        right, bottom, hold, at, weight,
                    )  # fmt: skip
                x = run
            for x in range(x0, x1):
                c = x - x0 + 1
                s = seen[r, c]
                if (
                    passed[r, c]
                    or _parted(mapping, s, seen[r, c - 1], x, y)
                    or _parted(mapping, s, seen[r, c + 1], x, y)
                    or _parted(mapping, s, seen[r - 1, c], x, y)
                    or _parted(mapping, s, seen[r + 1, c], x, y)
                ):
                    out[y, x] = _edge_pixel(
                        x, y, edges, surface, inverse_depth, triangles, mapping, pixels, start,
                        stride, scale, right, bottom, hold, nearest, who,
                    )  # fmt: skip
