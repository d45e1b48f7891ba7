"""Texture filtering: a plate looked up at shot pixels through a homography, by bicubic lookups in
mip levels half an octave apart, several along the longer axis of a footprint (anisotropic filtering
in the manner of McCormack et al. 1999)."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit

from ..arrays import Floats, Floats32
from .cubic import keys_weights
from .dressing import ROOM
from .pixel import fetched, fetched_between, four, got, of_four, put, sheet_like
from .pyramid import PAD
from .screen import TILE
from .throws import PlateRecord

LARGER = 1.0 + 1e-3  # squared footprint length, plate px, above which mip levels are used
PIECE = 32  # px of a run over which the footprint is interpolated linearly
STEADY = 0.1  # relative change of a footprint's axes over a run up to which the run is one piece
MOST_TAPS = 12
# Between two levels, the share of the way at which blending starts and over which it goes on. A
# narrow band, because a blended pixel costs two lookups.
BLEND_FROM, BLEND_OVER = 0.45, 0.1
SHORTEST = 12  # lookups that are worth a run of their own
INSET = 64.0  # plate px from the edge beyond which no footprint is taken to reach it
VECTOR = 16  # lookups addressed by one vector instruction, at the most
STOP, MIRROR = 0, 2  # indices into EDGES
Frame = Any
Scratch = Any
Nine = Any  # a homography as nine floats, row by row
Four = Any


# Working arrays for a run of lookups, one record for the same reason as `PLATE_RECORD`. at: index
# of each lookup's pixel, in two mip levels. place: its fraction along x and weights along y,
# likewise. sum: of several taps.
SCRATCH = np.dtype([
    ("at", np.int32, (2, TILE)), ("place", np.float32, (2, 5, TILE)), ("sum", float, (4, TILE)),
])  # fmt: skip


class Workspace(NamedTuple):
    """Workspace to fill a tile. one: (1, 1). by: (4, TILE) and room: (ROOM,), for what a tile is
    dressed with."""

    scratch: Scratch  # (1,)
    one: Frame
    by: Floats32
    room: Floats


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def folded(u: float, end: float, edge: int) -> float:
    """A coordinate outside [0, end] brought inside: mirrored, or clamped to the edge."""
    if edge == MIRROR and (u < 0.0 or u > end):
        u = abs(u) % (2.0 * end)
        if u > end:
            u = 2.0 * end - u
    if not u > 0.0:  # also where u is NaN
        return 0.0
    return min(u, end)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def nine(mapping: Floats, t: int) -> Nine:
    """One of homographies (T, 3, 3) as a tuple, which is cheaper to pass on than a slice."""
    return (
        mapping[t, 0, 0], mapping[t, 0, 1], mapping[t, 0, 2],
        mapping[t, 1, 0], mapping[t, 1, 1], mapping[t, 1, 2],
        mapping[t, 2, 0], mapping[t, 2, 1], mapping[t, 2, 2],
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def share_of(h: Nine, x: float, y: float, right: float, bottom: float, edge: int) -> float:
    """The share, 0 to 1, of a shot pixel's footprint that lies inside the plate: for each axis the
    distance of its centre from the edges, relative to the footprint's extent along that axis."""
    w = h[6] * x + h[7] * y + h[8]
    if w <= 0.0:
        return 0.0
    if edge != STOP:
        return 1.0
    uw, vw, inset = h[0] * x + h[1] * y + h[2], h[3] * x + h[4] * y + h[5], INSET * w
    if inset < uw < right * w - inset and inset < vw < bottom * w - inset:
        return 1.0
    u, v = uw / w, vw / w
    share = _share_along(u, right, (h[0] - u * h[6]) / w, (h[1] - u * h[7]) / w)
    return share * _share_along(v, bottom, (h[3] - v * h[6]) / w, (h[4] - v * h[7]) / w)


@njit(cache=True, nogil=True, error_model="numpy")
def _share_along(u: float, end: float, ux: float, uy: float) -> float:
    """The share of a footprint at u that lies in [0, end]. ux, uy: derivatives of u by the shot
    pixel's x and y."""
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
def _squares(h: Nine, x: float, y: float) -> tuple[float, float]:
    """The squared lengths of a footprint's axes, as in `footprint_of` but without directions."""
    over = 1.0 / (h[6] * x + h[7] * y + h[8])
    u, v = (h[0] * x + h[1] * y + h[2]) * over, (h[3] * x + h[4] * y + h[5]) * over
    ux, vx = (h[0] - u * h[6]) * over, (h[3] - v * h[6]) * over
    uy, vy = (h[1] - u * h[7]) * over, (h[4] - v * h[7]) * over
    p, q, r = ux * ux + uy * uy, ux * vx + uy * vy, vx * vx + vy * vy
    root = np.sqrt((p - r) * (p - r) + 4.0 * q * q)
    return 0.5 * (p + r + root), max(0.5 * (p + r - root), 0.0)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _taps(major: float, minor: float) -> int:
    """The number of taps along a footprint's longer axis, from its squared lengths."""
    if not major > LARGER or major < 2.25 * max(minor, 1.0):
        return 1
    return max(min(int(np.sqrt(major / max(minor, 1.0)) + 0.5), MOST_TAPS), 1)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _fineness(major: float, minor: float, taps: int) -> float:
    """The mip level, fractional, whose pixels are as large as one tap's share of a footprint.
    Levels are half an octave apart, so that is the base-2 log of the squared size."""
    if not major > LARGER:
        return 0.0
    size = major if taps == 1 else max(major / (taps * taps), max(minor, 1.0))
    return float(np.log2(np.float32(size)))


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _between(fine: float, level: int, last: int) -> float:
    """The weight of the next smaller level, 0 to 1, at fractional level `fine`."""
    if level >= last:
        return 0.0
    return min(max((fine - level - BLEND_FROM) * (1.0 / BLEND_OVER), 0.0), 1.0)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _until(past: float, grow: float, n: int) -> int:
    """The length of the leading part of a run of n lookups that stays in one mip regime.

    past: the fractional part of the mip level at the first lookup. grow: its change per lookup.
    Blending between two levels starts at BLEND_FROM and ends BLEND_OVER later; the run is split
    where it crosses either, so that each part reads one level throughout or two throughout. It is
    not split where one part would be shorter than SHORTEST."""
    begin, end = BLEND_FROM, BLEND_FROM + BLEND_OVER
    if grow < 0.0:
        past, grow, begin, end = -past, -grow, -end, -begin
    bound = begin if past < begin else end
    part = int((bound - past) / grow) + 1
    return part if SHORTEST <= part <= n - SHORTEST else n


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _aim_run(
    n: int, plate: PlateRecord, level: int, h: Nine, px: float, py: float, shift: Four, scratch:
    Scratch, k: int,
) -> None:  # fmt: skip
    """Addresses and weights in one mip level for n pixels of a row from (px, py) on, into slot k of
    the scratch arrays, where `_fetch_run` reads them.

    shift: an offset (x, y) in plate pixels and its change per pixel. The loop has no branch, and
    its count is rounded up to whole vectors, so that it compiles to vector code without a tail."""
    at, place, line = scratch.at[k], scratch.place[k], np.int32(plate.stride[level])
    su, sv = plate.scale[level, 0], plate.scale[level, 1]
    right, bottom = plate.right, plate.bottom
    u0, v0 = h[0] * px + h[1] * py + h[2], h[3] * px + h[4] * py + h[5]
    w0 = h[6] * px + h[7] * py + h[8]
    du, dv, dw = h[0], h[3], h[6]
    sx, sy, gx, gy = shift
    for i in range((n + VECTOR - 1) & -VECTOR):
        inv = 1.0 / (w0 + i * dw)
        u = (u0 + i * du) * inv + sx + i * gx
        v = (v0 + i * dv) * inv + sy + i * gy
        u = min(max(u, 0.0), right) * su + (PAD - 0.5)
        v = min(max(v, 0.0), bottom) * sv + (PAD - 0.5)
        iu, iv = np.int32(u), np.int32(v)
        at[i] = iv * line + iu
        place[0, i] = np.float32(u - iu)
        place[1, i], place[2, i], place[3, i], place[4, i] = keys_weights(np.float32(v - iv))


@njit(cache=True, nogil=True, error_model="numpy")
def _aim_mirrored(
    n: int, plate: PlateRecord, level: int, h: Nine, px: float, py: float, shift: Four, scratch:
    Scratch, k: int,
) -> None:  # fmt: skip
    """`_aim_run` for a plate that is mirrored past its edge."""
    at, place, line = scratch.at[k], scratch.place[k], np.int32(plate.stride[level])
    su, sv = plate.scale[level, 0], plate.scale[level, 1]
    sx, sy, gx, gy = shift
    for i in range(n):
        x = px + i
        inv = 1.0 / (h[6] * x + h[7] * py + h[8])
        u = folded((h[0] * x + h[1] * py + h[2]) * inv + sx + i * gx, plate.right, MIRROR)
        v = folded((h[3] * x + h[4] * py + h[5]) * inv + sy + i * gy, plate.bottom, MIRROR)
        u = u * su + (PAD - 0.5)
        v = v * sv + (PAD - 0.5)
        iu, iv = np.int32(u), np.int32(v)
        at[i] = iv * line + iu
        place[0, i] = np.float32(u - iu)
        place[1, i], place[2, i], place[3, i], place[4, i] = keys_weights(np.float32(v - iv))


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _aim(
    n: int, plate: PlateRecord, level: int, h: Nine, px: float, py: float, shift: Four, scratch:
    Scratch, k: int,
) -> None:  # fmt: skip
    if plate.edge == MIRROR:
        _aim_mirrored(n, plate, level, h, px, py, shift, scratch, k)
    else:
        _aim_run(n, plate, level, h, px, py, shift, scratch, k)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _place(place: Floats32, i: int) -> Any:
    return place[0, i], place[1, i], place[2, i], place[3, i], place[4, i]


@njit(cache=True, nogil=True, error_model="numpy")
def _fetch_run(
    into: Frame,
    row: int,
    column: int,
    n: int,
    plate: PlateRecord,
    level: int,
    scratch: Scratch,
    k: int,
) -> None:
    """Fill into[row, column : column + n] by one bicubic lookup each in one mip level."""
    at, place, line = scratch.at[k], scratch.place[k], plate.stride[level]
    deep, address, origin = plate.deep != 0, plate.address, plate.start[level] - line - 1
    for i in range(n):
        v = fetched(into, deep, address, origin + np.int64(at[i]), line, _place(place, i))
        put(into, row, column + i, v)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _fetch_between(
    into: Frame, i: int, plate: PlateRecord, level: int, share: float, scratch: Scratch
) -> Any:
    """Lookup i, blended between a mip level and the next. share: the weight of the next."""
    line, line_2 = plate.stride[level], plate.stride[level + 1]
    origin, origin_2 = plate.start[level] - line - 1, plate.start[level + 1] - line_2 - 1
    return fetched_between(
        into, plate.deep != 0, plate.address,
        origin + np.int64(scratch.at[0, i]), line, _place(scratch.place[0], i),
        origin_2 + np.int64(scratch.at[1, i]), line_2, _place(scratch.place[1], i),
        np.float32(share),
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _between_run(
    into: Frame, row: int, column: int, n: int, plate: PlateRecord, level: int, fine: float, grow:
    float, scratch: Scratch,
) -> None:  # fmt: skip
    """Fill into[row, column : column + n] by lookups blended between a mip level and the next.
    fine: the fractional level at the first. grow: its change per lookup."""
    last = plate.levels - 1
    for i in range(n):
        share = _between(fine + i * grow, level, last)
        put(into, row, column + i, _fetch_between(into, i, plate, level, share, scratch))


@njit(cache=True, nogil=True, error_model="numpy")
def _tapped_run(
    into: Frame, row: int, column: int, n: int, plate: PlateRecord, h: Nine, px: float, py: float,
    taps: int, level: int, fine: float, grow: float, scratch: Scratch,
) -> None:  # fmt: skip
    """Fill into[row, column : column + n] by the mean of several taps each, along the longer axis
    of the footprint."""
    last, total = plate.levels - 1, scratch.sum
    ax, ay, _, _ = footprint_of(h, px, py)
    bx, by, _, _ = footprint_of(h, px + n, py)
    sign = 1.0 if ax * bx + ay * by >= 0.0 else -1.0
    dax, day = (sign * bx - ax) / n, (sign * by - ay) / n
    to = fine + n * grow
    first, second = _between(fine, level, last), _between(to, level, last)
    apart = first != second or 0.0 < first < 1.0
    one = level + 1 if not apart and first >= 1.0 else level
    deep, line = plate.deep != 0, plate.stride[one]
    origin = plate.start[one] - line - 1
    for tap in range(taps):
        part = (tap + 0.5) / taps - 0.5
        shift = (part * ax, part * ay, part * dax, part * day)
        _aim(n, plate, one, h, px, py, shift, scratch, 0)
        if apart:
            _aim(n, plate, level + 1, h, px, py, shift, scratch, 1)
        for i in range(n):
            if apart:
                share = _between(fine + i * grow, level, last)
                v = four(_fetch_between(into, i, plate, level, share, scratch))
            else:
                at, place = origin + np.int64(scratch.at[0, i]), _place(scratch.place[0], i)
                v = four(fetched(into, deep, plate.address, at, line, place))
            for c in range(4):
                total[c, i] = v[c] + (total[c, i] if tap else 0.0)
    r = 1.0 / taps
    for i in range(n):
        put(into, row, column + i, of_four(
            into, r * total[0, i], r * total[1, i], r * total[2, i], r * total[3, i]
        ))  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def filter_run(
    into: Frame, row: int, column: int, plate: PlateRecord, h: Nine, left: int, y: int, n: int,
    scratch: Scratch,
) -> None:  # fmt: skip
    """Fill into[row, column : column + n] with the plate filtered at n pixels of a row of the
    frame, from (left, y) on. All of them have to be in front of the lantern."""
    _filter_run(into, row, column, plate, h, left, y, n, scratch)
    if plate.dark:
        for i in range(column, column + n):
            put(into, row, i, of_four(into, 0.0, 0.0, 0.0, four(got(into, row, i))[3]))


@njit(cache=True, nogil=True, error_model="numpy")
def _filter_run(
    into: Frame, row: int, column: int, plate: PlateRecord, h: Nine, left: int, y: int, n: int,
    scratch: Scratch,
) -> None:  # fmt: skip
    """`filter_run` but for plates that are dark.

    The run is cut into pieces over which the footprint changes little and the mip regime is the
    same; each piece is looked up by the cheapest of the functions above that does it right."""
    last = plate.levels - 1
    px, py = left + 0.5, y + 0.5
    still = (0.0, 0.0, 0.0, 0.0)
    here = _squares(h, px, py)
    done = 0
    while done < n:
        m = n - done
        x = px + done
        there = _squares(h, x + m, py) if n > 1 else here
        if max(here[0], there[0]) <= LARGER:
            _aim(m, plate, 0, h, x, py, still, scratch, 0)
            _fetch_run(into, row, column + done, m, plate, 0, scratch, 0)
            return
        if m > PIECE and max(abs(there[0] - here[0]), abs(there[1] - here[1])) > STEADY * here[1]:
            m = PIECE
            there = _squares(h, x + m, py)
        taps = max(_taps(here[0], here[1]), _taps(there[0], there[1]))
        fine, to = _fineness(here[0], here[1], taps), _fineness(there[0], there[1], taps)
        level = min(int(min(fine, to)), last)
        if max(fine, to) > level + 1 + BLEND_FROM and m > 1:
            # more than one level is crossed within the piece: one pixel at a time
            m = 1
            there = _squares(h, x + 1, py)
            to = fine
            level = min(int(fine), last)
        grow = (to - fine) / m
        first, second = _between(fine, level, last), _between(to, level, last)
        if first != second and taps == 1:
            # keep the blended part, which costs two lookups, as short as it can be
            part = _until(fine - level, grow, m)
            if part < m:
                m = part
                there = _squares(h, x + m, py)
                to = _fineness(there[0], there[1], taps)
                grow = (to - fine) / m
                second = first if first <= 0.0 or first >= 1.0 else _between(to, level, last)
        if taps > 1:
            _tapped_run(
                into, row, column + done, m, plate, h, x, py, taps, level, fine, grow, scratch
            )
        elif first == second and (first <= 0.0 or first >= 1.0):
            one = level if first <= 0.0 else level + 1
            _aim(m, plate, one, h, x, py, still, scratch, 0)
            _fetch_run(into, row, column + done, m, plate, one, scratch, 0)
        else:
            _aim(m, plate, level, h, x, py, still, scratch, 0)
            _aim(m, plate, level + 1, h, x, py, still, scratch, 1)
            _between_run(into, row, column + done, m, plate, level, fine, grow, scratch)
        here = there
        done += m


@njit(cache=True, nogil=True)
def workspace_for(out: Frame) -> Workspace:
    """Workspace to fill tiles of a frame."""
    by, room = np.empty((4, TILE), np.float32), np.empty(ROOM)
    return Workspace(np.empty(1, SCRATCH), sheet_like(out, 1, 1), by, room)


@njit(cache=True, nogil=True, error_model="numpy")
def look_up(workspace: Workspace, plate: PlateRecord, h: Nine, x: int, y: int) -> Any:
    """The plate filtered at one pixel of the frame, which has to be in front of the lantern."""
    # `np.int64` because Numba compiles a function once more for each literal that it is called with
    zero, one = np.int64(0), np.int64(1)
    filter_run(workspace.one, zero, zero, plate, h, x, y, one, workspace.scratch[0])
    return got(workspace.one, 0, 0)
