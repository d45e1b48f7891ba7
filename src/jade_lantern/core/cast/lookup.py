"""A plate looked up at a shot pixel: where in it the pixel falls, how much of the pixel is inside
it, and the plate filtered by the pixel's footprint."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from ..arrays import Floats
from .cubic import keys_weights
from .pyramid import PAD
from .throws import Films
from .value import blended, fetched, four, of_four

LARGER = 1.0 + 1e-3  # square of how many plate pixels a shot pixel spans before it is prefiltered
ROUND = 1.5  # square of how much longer than wide a footprint may be and count as round
MOST_TAPS = 12
BLEND_FROM, BLEND_OVER = 0.25, 0.5  # of a half octave: where two copies are blended
STOP, MIRROR = 0, 2  # a lantern's edges, by their place in EDGES
Frame = Any
Value = Any


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def folded(u: float, end: float, edge: int) -> float:
    """A place beyond the plate's edge brought back into it."""
    if edge == MIRROR and (u < 0.0 or u > end):
        u = abs(u) % (2.0 * end)
        if u > end:
            u = 2.0 * end - u
    if not u > 0.0:  # also what is no number
        return 0.0
    return min(u, end)


@njit(cache=True, nogil=True, error_model="numpy")
def share_of(H: Floats, x: float, y: float, right: float, bottom: float, edge: int) -> float:
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
def footprint_of(H: Floats, x: float, y: float) -> tuple[float, float, float, float]:
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
    u = folded(u, films.right[k], edge) * films.scale[k, level, 0] + (PAD - 0.5)
    v = folded(v, films.bottom[k], edge) * films.scale[k, level, 1] + (PAD - 0.5)
    iu, iv = np.int64(u), np.int64(v)
    a = keys_weights(np.float32(u - iu))
    b = keys_weights(np.float32(v - iv))
    line = films.stride[k, level]
    return fetched(
        out, films.deep, films.address[k], films.start[k, level] + (iv - 1) * line + iu - 1, line,
        (a[0], a[1], a[2], a[3], b[0], b[1], b[2], b[3]),
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def filtered(out: Frame, films: Films, k: int, H: Floats, x: float, y: float) -> Value:
    """The plate at a shot pixel, as much of it as the pixel's footprint covers: taps along its
    longer axis, from copies whose pixels are as large as it is wide."""
    w = H[2, 0] * x + H[2, 1] * y + H[2, 2]
    u = (H[0, 0] * x + H[0, 1] * y + H[0, 2]) / w
    v = (H[1, 0] * x + H[1, 1] * y + H[1, 2]) / w
    ax, ay, major, minor = footprint_of(H, x, y)
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
