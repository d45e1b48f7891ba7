"""A plate looked up at a shot pixel: where in it the pixel falls, how much of the pixel is inside
it, and the plate filtered by the pixel's footprint."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit

from ..arrays import Floats, Floats32, Indices32
from .cubic import keys_weights
from .pyramid import PAD
from .throws import Film
from .value import blended, fetched, four, got, of_four, put, sheet_like
from .visibility import TILE

LARGER = 1.0 + 1e-3  # square of how many plate pixels a shot pixel spans before it is prefiltered
PIECE = 32  # px of a run over which a footprint goes over evenly into another
STEADY = 0.1  # of a footprint's area: what changes less over a whole run is one piece
MOST_TAPS = 12
BLEND_FROM, BLEND_OVER = 0.45, 0.1  # of a half octave: where two copies are blended
STOP, MIRROR = 0, 2  # a lantern's edges, by their place in EDGES
Frame = Any
Scratch = Any
Nine = Any  # the numbers of a mapping, row by row
Four = Any


# Where compiled code puts things down while it looks up a run; one record, for the same reason as
# `FILM` is one.
SCRATCH = np.dtype([
    ("at", np.int32, (TILE,)), ("weight", np.float32, (8, TILE)), ("sum", float, (4, TILE)),
])  # fmt: skip


class Room(NamedTuple):
    """Room to fill a tile. near: (2, TILE) a piece from either of two copies. one: (1, 1)."""

    scratch: Scratch  # (1,)
    near: Frame
    one: Frame


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


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def nine(mapping: Floats, t: int) -> Nine:
    """One of mappings (T, 3, 3) as numbers, which cost less to hand on than a part of an array."""
    return (
        mapping[t, 0, 0], mapping[t, 0, 1], mapping[t, 0, 2],
        mapping[t, 1, 0], mapping[t, 1, 1], mapping[t, 1, 2],
        mapping[t, 2, 0], mapping[t, 2, 1], mapping[t, 2, 2],
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def share_of(h: Nine, x: float, y: float, right: float, bottom: float, edge: int) -> float:
    """How much of a shot pixel lies inside the plate, 0 to 1: by how far its centre is from each
    of the plate's edges, against how far the pixel reaches across it."""
    w = h[6] * x + h[7] * y + h[8]
    if w <= 0.0:
        return 0.0
    if edge != STOP:
        return 1.0
    u = (h[0] * x + h[1] * y + h[2]) / w
    v = (h[3] * x + h[4] * y + h[5]) / w
    share = 1.0
    if not (u > 64.0 and u < right - 64.0):
        share *= _share_along(u, right, (h[0] - u * h[6]) / w, (h[1] - u * h[7]) / w)
    if not (v > 64.0 and v < bottom - 64.0):
        share *= _share_along(v, bottom, (h[3] - v * h[6]) / w, (h[4] - v * h[7]) / w)
    return share


@njit(cache=True, nogil=True, error_model="numpy")
def _share_along(u: float, end: float, ux: float, uy: float) -> float:
    """The share of a pixel between 0 and an end. ux, uy: how far it reaches along this axis."""
    reach = max(np.sqrt(ux * ux + uy * uy), 1e-9)
    share = min(max(u / reach + 0.5, 0.0), 1.0)
    return share * min(max((end - u) / reach + 0.5, 0.0), 1.0)


@njit(cache=True, nogil=True, error_model="numpy")
def footprint_of(h: Nine, x: float, y: float) -> tuple[float, float, float, float]:
    """The axes of a shot pixel's footprint in the plate: the longer one (its x and y) and the
    squares of both lengths (the ellipse of Heckbert 1989)."""
    w = h[6] * x + h[7] * y + h[8]
    u = (h[0] * x + h[1] * y + h[2]) / w
    v = (h[3] * x + h[4] * y + h[5]) / w
    ux, vx = (h[0] - u * h[6]) / w, (h[3] - v * h[6]) / w
    uy, vy = (h[1] - u * h[7]) / w, (h[4] - v * h[7]) / w
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
def _taps(major: float, minor: float) -> int:
    """How many lookups along a footprint's longer axis cover it, from its squared lengths."""
    if not major > LARGER:
        return 1
    return max(min(int(np.sqrt(major / max(minor, 1.0)) + 0.5), MOST_TAPS), 1)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _fineness(major: float, minor: float, taps: int) -> float:
    """The copy whose pixels are as large as a tap's share of a footprint, in half octaves (which is
    the log of the square) from the plate itself."""
    if not major > LARGER:
        return 0.0
    return np.log2(max(major / (taps * taps), max(minor, 1.0)))


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _between(fine: float, level: int, last: int) -> float:
    """How far it has gone over from a copy to the next smaller one."""
    if level >= last:
        return 0.0
    return min(max((fine - level - BLEND_FROM) * (1.0 / BLEND_OVER), 0.0), 1.0)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _aim_run(
    n: int, line: int, su: float, sv: float, right: float, bottom: float, h: Nine, px: float,
    py: float, shift: Four, at: Indices32, weight: Floats32,
) -> None:  # fmt: skip
    """Where in one copy of a plate n pixels from (px, py) on fall, as what `_fetch_run` reads:
    beside their own places by a shift (x, y) and what it grows by a pixel. There is no branch in
    this loop, so that it becomes vector code."""
    u0, v0 = h[0] * px + h[1] * py + h[2], h[3] * px + h[4] * py + h[5]
    w0 = h[6] * px + h[7] * py + h[8]
    du, dv, dw = h[0], h[3], h[6]
    sx, sy, gx, gy = shift
    for i in range(n):
        inv = 1.0 / (w0 + i * dw)
        u = (u0 + i * du) * inv + sx + i * gx
        v = (v0 + i * dv) * inv + sy + i * gy
        u = min(max(u, 0.0), right) * su + (PAD - 0.5)
        v = min(max(v, 0.0), bottom) * sv + (PAD - 0.5)
        iu, iv = np.int32(u), np.int32(v)
        at[i] = iv * np.int32(line) + iu
        a = keys_weights(np.float32(u - iu))
        b = keys_weights(np.float32(v - iv))
        weight[0, i], weight[1, i], weight[2, i], weight[3, i] = a
        weight[4, i], weight[5, i], weight[6, i], weight[7, i] = b


@njit(cache=True, nogil=True, error_model="numpy")
def _aim_mirrored(
    n: int, line: int, su: float, sv: float, right: float, bottom: float, h: Nine, px: float,
    py: float, shift: Four, at: Indices32, weight: Floats32,
) -> None:  # fmt: skip
    """The same for a plate that is mirrored past its edge."""
    sx, sy, gx, gy = shift
    for i in range(n):
        x = px + i
        inv = 1.0 / (h[6] * x + h[7] * py + h[8])
        u = folded((h[0] * x + h[1] * py + h[2]) * inv + sx + i * gx, right, MIRROR)
        v = folded((h[3] * x + h[4] * py + h[5]) * inv + sy + i * gy, bottom, MIRROR)
        u = u * su + (PAD - 0.5)
        v = v * sv + (PAD - 0.5)
        iu, iv = np.int32(u), np.int32(v)
        at[i] = iv * np.int32(line) + iu
        a = keys_weights(np.float32(u - iu))
        b = keys_weights(np.float32(v - iv))
        weight[0, i], weight[1, i], weight[2, i], weight[3, i] = a
        weight[4, i], weight[5, i], weight[6, i], weight[7, i] = b


@njit(cache=True, nogil=True, error_model="numpy")
def _fetch_run(
    into: Frame, row: int, column: int, n: int, deep: bool, address: int, start: int, line: int,
    at: Indices32, weight: Floats32,
) -> None:  # fmt: skip
    """into[row, column:] one bicubic lookup each of n places in the copy of a plate that begins
    at start."""
    origin = start - line - 1
    for i in range(n):
        put(into, row, column + i, fetched(
            into, deep, address, origin + np.int64(at[i]), line,
            (
                weight[0, i], weight[1, i], weight[2, i], weight[3, i],
                weight[4, i], weight[5, i], weight[6, i], weight[7, i],
            ),
        ))  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _level_run(
    into: Frame, row: int, column: int, n: int, film: Film, level: int, h: Nine, px: float,
    py: float, shift: Four, at: Indices32, weight: Floats32,
) -> None:  # fmt: skip
    """into[row, column:] one lookup each of n pixels from (px, py) on, from one copy of a plate."""
    line = film.stride[level]
    su, sv = film.scale[level, 0], film.scale[level, 1]
    if film.edge == MIRROR:
        _aim_mirrored(n, line, su, sv, film.right, film.bottom, h, px, py, shift, at, weight)
    else:
        _aim_run(n, line, su, sv, film.right, film.bottom, h, px, py, shift, at, weight)
    deep, address, start = film.deep != 0, film.address, film.start[level]
    _fetch_run(into, row, column, n, deep, address, start, line, at, weight)


@njit(cache=True, nogil=True, error_model="numpy")
def filter_run(
    into: Frame, row: int, column: int, film: Film, h: Nine, left: int, y: int, n: int,
    scratch: Scratch, near: Frame,
) -> None:  # fmt: skip
    """into[row, column:] the plate at n pixels of a row of the frame, from (left, y) on: as
    much of it as each pixel's footprint covers, by taps along its longer axis, from copies whose
    pixels are as large as it is wide, blended where it goes over from one to the next. All of the
    pixels' places lie before the lantern."""
    last = film.levels - 1
    at, weight, total = scratch.at, scratch.weight, scratch.sum
    px, py = left + 0.5, y + 0.5
    still = (0.0, 0.0, 0.0, 0.0)
    here = footprint_of(h, px, py)
    if max(here[2], footprint_of(h, px + n - 1, py)[2]) <= LARGER:
        _level_run(into, row, column, n, film, 0, h, px, py, still, at, weight)
        return
    done = 0
    while done < n:
        m = n - done
        x = px + done
        there = footprint_of(h, x + m, py)
        if m > PIECE and max(abs(there[2] - here[2]), abs(there[3] - here[3])) > STEADY * here[3]:
            m = PIECE
            there = footprint_of(h, x + m, py)
        taps = max(_taps(here[2], here[3]), _taps(there[2], there[3]))
        fine, to = _fineness(here[2], here[3], taps), _fineness(there[2], there[3], taps)
        level = min(int(min(fine, to)), last)
        if max(fine, to) > level + 1 + BLEND_FROM and m > 1:
            # it passes more than one copy: pixel by pixel
            m = 1
            there = footprint_of(h, x + 1, py)
            to = fine
            level = min(int(fine), last)
        grow = (to - fine) / m
        t0, t1 = _between(fine, level, last), _between(to, level, last)
        if taps == 1 and t0 == t1 and (t0 <= 0.0 or t0 >= 1.0):
            one = level if t0 <= 0.0 else level + 1
            _level_run(into, row, column + done, m, film, one, h, x, py, still, at, weight)
            here = there
            done += m
            continue
        sign = 1.0 if here[0] * there[0] + here[1] * there[1] >= 0.0 else -1.0
        ax, ay = here[0], here[1]
        dax, day = (sign * there[0] - ax) / m, (sign * there[1] - ay) / m
        for tap in range(taps):
            part = (tap + 0.5) / taps - 0.5
            shift = (part * ax, part * ay, part * dax, part * day)
            if t0 < 1.0 or t1 < 1.0:
                _level_run(near, 0, 0, m, film, level, h, x, py, shift, at, weight)
            if t0 > 0.0 or t1 > 0.0:
                _level_run(near, 1, 0, m, film, level + 1, h, x, py, shift, at, weight)
            for i in range(m):
                t = _between(fine + i * grow, level, last)
                if t <= 0.0:
                    v = got(near, 0, i)
                elif t >= 1.0:
                    v = got(near, 1, i)
                else:
                    v = blended(got(near, 0, i), got(near, 1, i), t)
                if taps == 1:
                    put(into, row, column + done + i, v)
                else:
                    v4 = four(v)
                    for c in range(4):
                        total[c, i] = v4[c] + (total[c, i] if tap else 0.0)
        if taps > 1:
            r = 1.0 / taps
            for i in range(m):
                put(into, row, column + done + i, of_four(
                    into, r * total[0, i], r * total[1, i], r * total[2, i],
                    r * total[3, i],
                ))  # fmt: skip
        here = there
        done += m


@njit(cache=True, nogil=True)
def room_for(out: Frame) -> Room:
    """Room to fill tiles of a frame."""
    return Room(np.empty(1, SCRATCH), sheet_like(out, 2, TILE), sheet_like(out, 1, 1))
