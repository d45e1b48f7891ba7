"""The compiled heart of the cast: visibility by tile, lookup by run, edges by sixteen samples."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import carray, njit, prange, types
from numba.extending import intrinsic

from ..arrays import Flags, Floats, Floats32, Indices, Indices32
from .cubic import keys_weights
from .pyramid import PAD
from .throws import Films, Sights, Throws
from .value import blended, cover, fetched, four, got, nothing, of_four, over, put, scaled
from .visibility import TILE, Laid

SIDE = TILE + 2  # a tile with the pixel round it that tells where edges are
NOTHING = -1
SAMPLES = 16
SAMPLE_X = np.array([((s * 5) % 16 + 0.5) / 16.0 for s in range(SAMPLES)])
SAMPLE_Y = np.array([(s + 0.5) / 16.0 for s in range(SAMPLES)])
SCATTER = 7919  # a prime: neighbouring tiles cost alike, so they are dealt out far apart
SAME_PLACE = 0.35  # plate px that two surfaces' lookups may differ by and be one picture
LIES_ON = 1.0 - 1e-9  # inverse depths that differ by less are one plane's; the later one wins
LARGER = 1.0 + 1e-3  # square of how many plate pixels a shot pixel spans before it is prefiltered
ROUND = 1.5  # square of how much longer than wide a footprint may be and count as round
MOST_TAPS = 12
BLEND_FROM, BLEND_OVER = 0.25, 0.5  # of a half octave: where two copies are blended
FULL = 1.0 - 1e-6  # cover beneath which nothing shows
STOP, MIRROR = 0, 2  # a lantern's edges, by their place in EDGES
HIDDEN = 1.0 + 1e-6  # so much nearer than a place, by inverse depth, something must be to hide it
SAME_PLANE = 1e-6
Frame = Any
Value = Any
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


@intrinsic
def address_as_void_pointer(typing_context: Any, address: Any) -> Any:
    """An address, int64, as a pointer that `carray` takes."""

    def generate(context: Any, b: Any, sig: Any, args: Any) -> Any:
        return b.inttoptr(args[0], context.get_value_type(types.voidptr))

    return types.voidptr(types.int64), generate


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _folded(u: float, end: float, edge: int) -> float:
    """A place beyond the plate's edge brought back into it."""
    if edge == MIRROR and (u < 0.0 or u > end):
        u = abs(u) % (2.0 * end)
        if u > end:
            u = 2.0 * end - u
    if not u > 0.0:  # also what is no number
        return 0.0
    return min(u, end)


@njit(cache=True, nogil=True, error_model="numpy")
def _share(H: Floats, x: float, y: float, right: float, bottom: float, edge: int) -> float:
    """How much of a shot pixel lies inside the plate, 0 to 1: by how far its centre is from each
    of the plate's edges, against how far the pixel reaches across it."""
    w = H[2, 0] * x + H[2, 1] * y + H[2, 2]
    if w <= 0.0:
        return 0.0
    if edge != STOP:
        return 1.0
    share = 1.0
    for k in range(2):
        u = (H[k, 0] * x + H[k, 1] * y + H[k, 2]) / w
        end = right if k == 0 else bottom
        if u > 64.0 and u < end - 64.0:
            continue
        ux = (H[k, 0] - u * H[2, 0]) / w
        uy = (H[k, 1] - u * H[2, 1]) / w
        reach = max(np.sqrt(ux * ux + uy * uy), 1e-9)
        for off in (u, end - u):
            share *= min(max(off / reach + 0.5, 0.0), 1.0)
    return share


@njit(cache=True, nogil=True, error_model="numpy")
def _sees(
    sights: Sights, k: int, row: int, column: int, x: float, y: float, far: float, plane: Floats
) -> bool:
    """Whether nothing lies before a place at one of a lantern's own pixels. (x, y): where the place
    is in that lantern's sight. far: its depth before the lantern. plane: (4,) that it lies in."""
    wide, high = sights.size[k, 0], sights.size[k, 1]
    surfaces = carray(address_as_void_pointer(sights.address[k]), (high, wide), np.int32)
    s = surfaces[min(max(row, 0), high - 1), min(max(column, 0), wide - 1)]
    if s < 0:
        return True
    z = sights.depth[sights.first[k] + s]
    if (z[0] * x + z[1] * y + z[2]) * far <= HIDDEN:
        return True
    other = sights.plane[sights.first[k] + s]
    apart, large = 0.0, 1.0
    for i in range(4):
        apart = max(apart, abs(plane[i] - other[i]))
        large = max(large, abs(plane[i]))
    # a plane that both show is one place, whatever rounding says
    return apart < SAME_PLANE * large


@njit(cache=True, nogil=True, error_model="numpy")
def hidden(sights: Sights, k: int, u: float, v: float, far: float, plane: Floats) -> bool:
    """Whether a lantern sees something before a place, at (u, v) in its plate: at all four of its
    own pixels round it, for at one alone there may be a silhouette that it lies beside."""
    x, y = u * sights.scale[k, 0], v * sights.scale[k, 1]
    column, row = int(np.floor(x - 0.5)), int(np.floor(y - 0.5))
    for dy in range(2):
        for dx in range(2):
            if _sees(sights, k, row + dy, column + dx, x, y, far, plane):
                return False
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def hider(sights: Sights, k: int, u: float, v: float) -> int:
    """What a lantern sees at a place in its plate: which target, -1 for none."""
    wide, high = sights.size[k, 0], sights.size[k, 1]
    surfaces = carray(address_as_void_pointer(sights.address[k]), (high, wide), np.int32)
    column = min(max(int(u * sights.scale[k, 0]), 0), wide - 1)
    row = min(max(int(v * sights.scale[k, 1]), 0), high - 1)
    s = surfaces[row, column]
    return -1 if s < 0 else sights.target[sights.first[k] + s]


@njit(cache=True, nogil=True, error_model="numpy")
def unhidden(sights: Sights, k: int, u: float, v: float, far: float, plane: Floats) -> float:
    """How much of a place a lantern sees, 0 to 1: all of it within a pixel of one where it is the
    nearest, so that at the lens the plate itself comes back, and nothing half a pixel on."""
    x, y = u * sights.scale[k, 0], v * sights.scale[k, 1]
    column, row = int(np.floor(x)), int(np.floor(y))
    most = 0.0
    for dy in range(-1, 2):
        near_y = min(max((1.5 - abs(y - (row + dy + 0.5))) * 2.0, 0.0), 1.0)
        for dx in range(-1, 2):
            near = near_y * min(max((1.5 - abs(x - (column + dx + 0.5))) * 2.0, 0.0), 1.0)
            if near > most and _sees(sights, k, row + dy, column + dx, x, y, far, plane):
                most = near
    return most


@njit(cache=True, nogil=True, error_model="numpy")
def _footprint_of(H: Floats, x: float, y: float) -> tuple[float, float, float, float]:
    """The axes of a shot pixel's footprint in the plate: the longer one (its x and y) and the
    squares of both lengths (the ellipse of Heckbert 1989)."""
    w = H[2, 0] * x + H[2, 1] * y + H[2, 2]
    u = (H[0, 0] * x + H[0, 1] * y + H[0, 2]) / w
    v = (H[1, 0] * x + H[1, 1] * y + H[1, 2]) / w
    ux, vx = (H[0, 0] - u * H[2, 0]) / w, (H[1, 0] - v * H[2, 0]) / w
    uy, vy = (H[0, 1] - u * H[2, 1]) / w, (H[1, 1] - v * H[2, 1]) / w
    p, q, r = ux * ux + uy * uy, ux * vx + uy * vy, vx * vx + vy * vy
    root = np.sqrt((p - r) * (p - r) + 4.0 * q * q)
    major, minor = 0.5 * (p + r + root), 0.5 * (p + r - root)
    # of the two forms of the eigenvector the longer is exact
    ax, ay = (major - r, q) if p >= r else (q, major - p)
    length = np.sqrt(ax * ax + ay * ay)
    if length > 0.0:
        k = np.sqrt(major) / length
        return ax * k, ay * k, major, max(minor, 0.0)
    return np.sqrt(major), 0.0, major, max(minor, 0.0)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _fetch_at(out: Frame, films: Films, k: int, level: int, u: float, v: float) -> Value:
    """The plate at a place, from one of its copies."""
    edge = films.edge[k]
    u = _folded(u, films.right[k], edge) * films.scale[k, level, 0] + (PAD - 0.5)
    v = _folded(v, films.bottom[k], edge) * films.scale[k, level, 1] + (PAD - 0.5)
    iu, iv = np.int64(u), np.int64(v)
    a = keys_weights(np.float32(u - iu))
    b = keys_weights(np.float32(v - iv))
    line = films.stride[k, level]
    return fetched(
        out, films.deep, films.address[k], films.start[k, level] + (iv - 1) * line + iu - 1, line,
        (a[0], a[1], a[2], a[3], b[0], b[1], b[2], b[3]),
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _filtered(out: Frame, films: Films, k: int, H: Floats, x: float, y: float) -> Value:
    """The plate at a shot pixel, as much of it as the pixel's footprint covers: taps along its
    longer axis, from copies whose pixels are as large as it is wide."""
    w = H[2, 0] * x + H[2, 1] * y + H[2, 2]
    u = (H[0, 0] * x + H[0, 1] * y + H[0, 2]) / w
    v = (H[1, 0] * x + H[1, 1] * y + H[1, 2]) / w
    ax, ay, major, minor = _footprint_of(H, x, y)
    if not major > LARGER:
        return _fetch_at(out, films, k, 0, u, v)
    taps = 1
    if major > ROUND * max(minor, 1.0):
        taps = min(int(np.ceil(np.sqrt(major / max(minor, 1.0)) - 0.1)), MOST_TAPS)
    # half octaves: the log of the square; a tap's own reach overlaps its neighbour's
    fine = np.log2(max(major / (taps * taps), max(minor, 1.0)))
    last = films.levels[k] - 1
    level = min(int(fine), last)
    t = min(max((fine - level - BLEND_FROM) * (1.0 / BLEND_OVER), 0.0), 1.0)
    if level >= last:
        t = 0.0
    if taps == 1:
        if t <= 0.0:
            return _fetch_at(out, films, k, level, u, v)
        if t >= 1.0:
            return _fetch_at(out, films, k, level + 1, u, v)
        a = _fetch_at(out, films, k, level, u, v)
        return blended(a, _fetch_at(out, films, k, level + 1, u, v), t)
    red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
    for i in range(taps):
        s = (i + 0.5) / taps - 0.5
        near = _fetch_at(out, films, k, level, u + s * ax, v + s * ay)
        if t > 0.0:
            near = blended(near, _fetch_at(out, films, k, level + 1, u + s * ax, v + s * ay), t)
        r, g, b, a4 = four(near)
        red += r
        green += g
        blue += b
        alpha += a4
    n = 1.0 / taps
    return of_four(out, red * n, green * n, blue * n, alpha * n)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _reach(
    films: Films, sights: Sights, k: int, H: Floats, x: float, y: float, inverse: float,
    plane: Floats, plain: bool,
) -> float:  # fmt: skip
    """How much of a shot pixel a lantern's picture reaches. inverse: one over the place's depth
    before the shot camera."""
    share = _share(H, x, y, films.right[k], films.bottom[k], films.edge[k])
    if share > 0.0 and plain and sights.address[k] != 0:
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
        share = _reach(films, sights, k, H, x, y, inverse, laid.plane[s], throws.plain[t])
        if share <= 0.0:
            continue
        here = _filtered(out, films, k, H, x, y)
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
        large = max(_footprint_of(H, px, py)[2], _footprint_of(H, qx, py)[2])
        near = large <= LARGER
    if near:
        _near_run(out, films, k, H, y, xa, n, at, weight)
    # a run is straight in the plate: where both its ends are well inside, all of it is
    right, bottom, edge = films.right[k], films.bottom[k], films.edge[k]
    inside = (
        ahead and sights.address[k] == 0 and films.strength[k] >= 1.0
        and _share(H, px, py, right, bottom, edge) >= 1.0
        and _share(H, qx, py, right, bottom, edge) >= 1.0
    )  # fmt: skip
    if inside and near and end == begin + 1:
        return
    for i in range(n):
        cx = px + i
        share = 1.0
        if not inside:
            inverse = _inverse_at(laid.inverse_depth, s, cx, py)
            share = _reach(films, sights, k, H, cx, py, inverse, laid.plane[s], throws.plain[begin])
        if share <= 0.0:
            here = nothing(out)
        elif near:
            here = got(out, y, xa + i)
        else:
            here = _filtered(out, films, k, H, cx, py)
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
    _sample_edge(x, y, laid.edges, laid.surface, laid.inverse_depth, triangles, nearest, who)
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


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _sample_edge(
    x: int, y: int, edges: Floats, surface: Indices, inverse_depth: Floats, triangles: Indices,
    nearest: Floats, who: Indices32,
) -> None:  # fmt: skip
    """Which surface is nearest at each of a pixel's samples."""
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
        _see_tile(
            tx, ty, laid.edges, laid.box, laid.surface, laid.inverse_depth, triangles, seen, depth
        )
        _find_thin(
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
