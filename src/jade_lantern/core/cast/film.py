"""A frame filmed: runs of one surface looked up in its lanterns' plates, and the pixels where
surfaces meet put together of their shares."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..arrays import Floats, Floats32, Indices, Indices32
from .cubic import keys_weights
from .first import unhidden
from .lookup import LARGER, MIRROR, Frame, Value, filtered, footprint_of, share_of
from .pyramid import PAD
from .throws import Films, Sights, Throws
from .tile import NOTHING, SAMPLES, SIDE, find_thin, sample_edge, see_tile
from .value import cover, fetched, four, got, nothing, of_four, over, put, scaled
from .visibility import TILE, Laid

SCATTER = 7919  # a prime: neighbouring tiles cost alike, so they are dealt out far apart
SAME_PLACE = 0.35  # plate px that two surfaces' lookups may differ by and be one picture
FULL = 1.0 - 1e-6  # cover beneath which nothing shows


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _reach(
    films: Films, sights: Sights, k: int, H: Floats, x: float, y: float, inverse: float,
    plane: Floats,
) -> float:  # fmt: skip
    """How much of a shot pixel a lantern's picture reaches. inverse: one over the place's depth
    before the shot camera."""
    share = share_of(H, x, y, films.right[k], films.bottom[k], films.edge[k])
    if share > 0.0 and sights.address[k] != 0:
        w = H[2, 0] * x + H[2, 1] * y + H[2, 2]
        u = (H[0, 0] * x + H[0, 1] * y + H[0, 2]) / w
        v = (H[1, 0] * x + H[1, 1] * y + H[1, 2]) / w
        share *= unhidden(sights, k, u, v, w / inverse, plane)
    return share * films.strength[k]


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _inverse_at(inverse_depth: Floats, s: int, x: float, y: float) -> float:
    return inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]


@njit(cache=True, nogil=True, error_model="numpy")
def _all_of(
    out: Frame, begun: Value, begin: int, end: int, laid: Laid, throws: Throws, films: Films,
    sights: Sights, s: int, x: float, y: float,
) -> Value:  # fmt: skip
    """A place with the throws from begin on laid under what has begun."""
    total = begun
    inverse = _inverse_at(laid.inverse_depth, s, x, y)
    for t in range(begin, end):
        if cover(total, films.white) >= FULL:
            break
        k, H = throws.lantern[t], throws.mapping[t]
        share = _reach(films, sights, k, H, x, y, inverse, laid.plane[s])
        if share <= 0.0:
            continue
        here = filtered(out, films, k, H, x, y)
        if share < 1.0:
            here = scaled(here, share)
        total = over(total, here, films.white)
    return total


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _near_run(
    out: Frame, films: Films, k: int, H: Floats, y: int, xa: int, n: int, at: Indices32,
    weight: Floats32,
) -> None:  # fmt: skip
    """A run where plate pixels are at least as large as shot pixels: one lookup each."""
    px, py = xa + 0.5, y + 0.5
    right, bottom = films.right[k], films.bottom[k]
    line = films.stride[k, 0]
    origin = films.start[k, 0] - line - 1
    u0 = H[0, 0] * px + H[0, 1] * py + H[0, 2]
    v0 = H[1, 0] * px + H[1, 1] * py + H[1, 2]
    w0 = H[2, 0] * px + H[2, 1] * py + H[2, 2]
    du, dv, dw = H[0, 0], H[1, 0], H[2, 0]
    for i in range(n):
        inv = 1.0 / (w0 + i * dw)
        u = min(max((u0 + i * du) * inv, 0.0), right) + (PAD - 0.5)
        v = min(max((v0 + i * dv) * inv, 0.0), bottom) + (PAD - 0.5)
        iu, iv = np.int32(u), np.int32(v)
        at[i] = origin + iv * line + iu
        a = keys_weights(np.float32(u - iu))
        b = keys_weights(np.float32(v - iv))
        weight[0, i], weight[1, i], weight[2, i], weight[3, i] = a
        weight[4, i], weight[5, i], weight[6, i], weight[7, i] = b
    address, deep = films.address[k], films.deep
    for i in range(n):
        put(out, y, xa + i, fetched(
            out, deep, address, np.int64(at[i]), line,
            (
                weight[0, i], weight[1, i], weight[2, i], weight[3, i],
                weight[4, i], weight[5, i], weight[6, i], weight[7, i],
            ),
        ))  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _look_up_run(
    out: Frame, y: int, xa: int, xb: int, s: int, laid: Laid, throws: Throws, films: Films,
    sights: Sights, at: Indices32, weight: Floats32,
) -> None:  # fmt: skip
    """Fill out[y, xa:xb] of one surface from its lanterns."""
    begin, end = throws.first[s], throws.first[s + 1]
    if begin == end:
        for x in range(xa, xb):
            put(out, y, x, nothing(out))
        return
    k, H = throws.lantern[begin], throws.mapping[begin]
    n = xb - xa
    px, py, qx = xa + 0.5, y + 0.5, xb - 0.5
    ahead = (
        H[2, 0] * px + H[2, 1] * py + H[2, 2] > 0.0 and H[2, 0] * qx + H[2, 1] * py + H[2, 2] > 0.0
    )
    near = False
    if ahead and films.edge[k] != MIRROR:
        large = max(footprint_of(H, px, py)[2], footprint_of(H, qx, py)[2])
        near = large <= LARGER
    if near:
        _near_run(out, films, k, H, y, xa, n, at, weight)
    # a run is straight in the plate: where both its ends are well inside, all of it is
    right, bottom, edge = films.right[k], films.bottom[k], films.edge[k]
    inside = (
        ahead and sights.address[k] == 0 and films.strength[k] >= 1.0
        and share_of(H, px, py, right, bottom, edge) >= 1.0
        and share_of(H, qx, py, right, bottom, edge) >= 1.0
    )  # fmt: skip
    if inside and near and end == begin + 1:
        return
    for i in range(n):
        cx = px + i
        share = 1.0
        if not inside:
            inverse = _inverse_at(laid.inverse_depth, s, cx, py)
            share = _reach(films, sights, k, H, cx, py, inverse, laid.plane[s])
        if share <= 0.0:
            here = nothing(out)
        elif near:
            here = got(out, y, xa + i)
        else:
            here = filtered(out, films, k, H, cx, py)
        if 0.0 < share < 1.0:
            here = scaled(here, share)
        if end > begin + 1 and cover(here, films.white) < FULL:
            here = _all_of(
                out, here, begin + 1, end, laid, throws, films, sights, s, x, py
            )  # fmt: skip
        put(out, y, xa + i, here)


@njit(cache=True, nogil=True, error_model="numpy")
def _edge_pixel(
    out: Frame, x: int, y: int, laid: Laid, triangles: Indices, throws: Throws, films: Films,
    sights: Sights, nearest: Floats, who: Indices32,
) -> Value:  # fmt: skip
    """One pixel where surfaces meet: each counted by how much of the pixel it fills, and looked
    up at the pixel's centre, so that at the lens the plate itself comes back."""
    sample_edge(x, y, laid.edges, laid.surface, laid.inverse_depth, triangles, nearest, who)
    red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
    for s in range(SAMPLES):
        q = who[s]
        if q == NOTHING:
            continue
        part = 0.0
        for t in range(s, SAMPLES):
            if who[t] == q:
                part += 1.0 / SAMPLES
                who[t] = NOTHING
        here = _all_of(
            out, nothing(out), throws.first[q], throws.first[q + 1], laid, throws, films, sights,
            q, x + 0.5, y + 0.5,
        )  # fmt: skip
        r, g, b, a = four(here)  # premultiplied, so that no colour of nothing is mixed
        red += part * r
        green += part * g
        blue += part * b
        alpha += part * a
    return of_four(out, red, green, blue, alpha)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy", inline="always")
def _parted(throws: Throws, s: int, q: int, x: int, y: int) -> bool:
    """Whether the picture is parted between a pixel's surface and its neighbour's: not where the
    two read the same plates at the same places, as along a fold, or anywhere at the lens itself."""
    if s == q:
        return False
    if s == NOTHING or q == NOTHING:
        return True
    a, b = throws.first[s], throws.first[q]
    count = throws.first[s + 1] - a
    if throws.first[q + 1] - b != count:
        return True
    px, py = x + 0.5, y + 0.5
    for t in range(count):
        if throws.lantern[a + t] != throws.lantern[b + t]:
            return True
        F, G = throws.mapping[a + t], throws.mapping[b + t]
        w = F[2, 0] * px + F[2, 1] * py + F[2, 2]
        v = G[2, 0] * px + G[2, 1] * py + G[2, 2]
        if w <= 0.0 or v <= 0.0:
            return True
        apart = 0.0
        for k in range(2):
            f = F[k, 0] * px + F[k, 1] * py + F[k, 2]
            g = G[k, 0] * px + G[k, 1] * py + G[k, 2]
            apart = max(apart, abs(f * v - g * w))
        if apart > SAME_PLACE * w * v:
            return True
    return False


@njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def expose(out: Frame, laid: Laid, throws: Throws, films: Films, sights: Sights) -> None:
    """Fill a frame: (H, W) uint32 RGBA, or (H, W, 4) float32."""
    rows, cols = out.shape[0], out.shape[1]
    tiles = laid.across * laid.down
    stride_of_tiles = SCATTER if tiles % SCATTER else 1
    for turn in prange(tiles):
        tile = turn * stride_of_tiles % tiles
        ty, tx = tile // laid.across, tile % laid.across
        triangles = laid.bin_triangles[laid.bin_start[tile] : laid.bin_start[tile + 1]]
        y0, x0 = ty * TILE, tx * TILE
        y1, x1 = min(y0 + TILE, rows), min(x0 + TILE, cols)
        if len(triangles) == 0:
            for y in range(y0, y1):
                for x in range(x0, x1):
                    put(out, y, x, nothing(out))
            continue
        seen = np.empty((SIDE, SIDE), np.int32)
        depth = np.empty((SIDE, SIDE))
        passed = np.empty((SIDE, SIDE), np.bool_)
        at = np.empty(TILE, np.int32)
        weight = np.empty((8, TILE), np.float32)
        nearest = np.empty(SAMPLES)
        who = np.empty(SAMPLES, np.int32)
        see_tile(
            tx, ty, laid.edges, laid.box, laid.surface, laid.inverse_depth, triangles, seen, depth
        )
        find_thin(
            tx, ty, laid.edges, laid.box, laid.surface, laid.owner, laid.thin, triangles, seen,
            passed,
        )  # fmt: skip
        for y in range(y0, y1):
            r = y - y0 + 1
            x = x0
            while x < x1:
                s = seen[r, x - x0 + 1]
                run = x + 1
                while run < x1 and seen[r, run - x0 + 1] == s:
                    run += 1
                if s == NOTHING:
                    for i in range(x, run):
                        put(out, y, i, nothing(out))
                else:
                    _look_up_run(
                        out, y, x, run, s, laid, throws, films, sights, at, weight
                    )  # fmt: skip
                x = run
            for x in range(x0, x1):
                c = x - x0 + 1
                s = seen[r, c]
                if (
                    passed[r, c]
                    or _parted(throws, s, seen[r, c - 1], x, y)
                    or _parted(throws, s, seen[r, c + 1], x, y)
                    or _parted(throws, s, seen[r - 1, c], x, y)
                    or _parted(throws, s, seen[r + 1, c], x, y)
                ):
                    put(out, y, x, _edge_pixel(
                        out, x, y, laid, triangles, throws, films, sights, nearest, who
                    ))  # fmt: skip
