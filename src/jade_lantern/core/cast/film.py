"""A frame filmed: runs of one surface looked up in its lanterns' plates, and the pixels where
surfaces meet put together of their shares."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, prange

from ..arrays import Flags, Floats, Indices, Indices32
from .first import unhidden
from .lookup import Frame, Nine, Room, Scratch, filter_run, nine, room_for, share_of
from .throws import Film, Films, Sights, Throws
from .tile import NOTHING, SAMPLES, SIDE, find_thin, front_of_tile, sample_edge, see_tile
from .value import cover, four, got, nothing, of_four, over, put, scaled
from .visibility import TILE, Laid

SCATTER = 7919  # a prime: neighbouring tiles cost alike, so they are dealt out far apart
SAME_PLACE = 0.35  # plate px that two surfaces' lookups may differ by and be one picture
FULL = 1.0 - 1e-6  # cover beneath which nothing shows
WHOLE = 1.0 - 1e-6  # of a pixel: what is missing is rounding
Value = Any


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _reach(
    film: Film, sights: Sights, k: int, h: Nine, x: float, y: float, inverse: float,
    plane: Floats,
) -> float:  # fmt: skip
    """How much of a shot pixel a lantern's picture reaches. inverse: one over the place's depth
    before the shot camera."""
    share = share_of(h, x, y, film.right, film.bottom, film.edge)
    if share > 0.0 and sights.address[k] != 0:
        w = h[6] * x + h[7] * y + h[8]
        u = (h[0] * x + h[1] * y + h[2]) / w
        v = (h[3] * x + h[4] * y + h[5]) / w
        share *= unhidden(sights, k, u, v, w / inverse, plane)
    return share * film.strength


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _inverse_at(inverse_depth: Floats, s: int, x: float, y: float) -> float:
    return inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]


@njit(cache=True, nogil=True, error_model="numpy")
def _all_of(
    out: Frame, begun: Value, begin: int, end: int, laid: Laid, throws: Throws, films: Films,
    sights: Sights, s: int, x: int, y: int, room: Room,
) -> Value:  # fmt: skip
    """A pixel with the throws from begin on laid under what has begun."""
    total = begun
    inverse = _inverse_at(throws.inverse, s, x + 0.5, y + 0.5)
    for t in range(begin, end):
        k, h = throws.lantern[t], nine(throws.mapping, t)
        film = films[k]
        if cover(total, film.white) >= FULL:
            break
        share = _reach(film, sights, k, h, x + 0.5, y + 0.5, inverse, throws.plane[s])
        if share <= 0.0:
            continue
        filter_run(room.one, 0, 0, film, h, x, y, 1, room.scratch[0])
        here = got(room.one, 0, 0)
        if share < 1.0:
            here = scaled(here, share)
        total = over(total, here, film.white)
    return total


@njit(cache=True, nogil=True, error_model="numpy")
def _begin_run(
    out: Frame, y: int, xa: int, xb: int, film: Film, h: Nine, scratch: Scratch
) -> tuple[bool, bool]:  # fmt: skip
    """Fill out[y, xa:xb] from the plate of one lantern, if all of it lies before the lantern.
    Returns whether it does, and whether all of it lies well inside the plate."""
    px, py, qx = xa + 0.5, y + 0.5, xb - 0.5
    w = h[7] * py + h[8]
    if h[6] * px + w <= 0.0 or h[6] * qx + w <= 0.0:
        return False, False
    filter_run(out, y, xa, film, h, xa, y, xb - xa, scratch)
    # a run is straight in the plate: where both its ends are well inside, all of it is
    right, bottom, edge = film.right, film.bottom, film.edge
    inside = (
        share_of(h, px, py, right, bottom, edge) >= WHOLE
        and share_of(h, qx, py, right, bottom, edge) >= WHOLE
    )
    return True, inside


@njit(cache=True, nogil=True, error_model="numpy")
def _end_run(
    out: Frame, y: int, xa: int, xb: int, s: int, ahead: bool, laid: Laid, throws: Throws,
    films: Films, sights: Sights, room: Room,
) -> None:  # fmt: skip
    """The rest of out[y, xa:xb] of one surface, in which the first lantern's picture is already
    where the run lies ahead of it: cut where the lantern does not reach, and the next ones laid
    under what it leaves."""
    begin, end = throws.first[s], throws.first[s + 1]
    if begin == end:
        for x in range(xa, xb):
            put(out, y, x, nothing(out))
        return
    k, h = throws.lantern[begin], nine(throws.mapping, begin)
    film = films[k]
    for x in range(xa, xb):
        inverse = _inverse_at(throws.inverse, s, x + 0.5, y + 0.5)
        share = _reach(film, sights, k, h, x + 0.5, y + 0.5, inverse, throws.plane[s])
        if share <= 0.0:
            here = nothing(out)
        elif ahead:
            here = got(out, y, x)
        else:
            filter_run(room.one, 0, 0, film, h, x, y, 1, room.scratch[0])
            here = got(room.one, 0, 0)
        if 0.0 < share < 1.0:
            here = scaled(here, share)
        if end > begin + 1 and cover(here, film.white) < FULL:
            here = _all_of(out, here, begin + 1, end, laid, throws, films, sights, s, x, y, room)
        put(out, y, x, here)


@njit(cache=True, nogil=True, error_model="numpy")
def _edge_pixel(
    out: Frame, x: int, y: int, laid: Laid, triangles: Indices, throws: Throws, films: Films,
    sights: Sights, nearest: Floats, who: Indices32, room: Room,
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
            q, x, y, room,
        )  # fmt: skip
        r, g, b, a = four(here)  # premultiplied, so that no colour of nothing is mixed
        red += part * r
        green += part * g
        blue += part * b
        alpha += part * a
    return of_four(out, red, green, blue, alpha)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _parted(
    first: Indices, lantern: Indices, mapping: Floats, s: int, q: int, x: int, y: int
) -> bool:
    """Whether the picture is parted between a pixel's surface and its neighbour's: not where the
    two read the same plates at the same places, as along a fold, or anywhere at the lens itself."""
    if s == q:
        return False
    if s == NOTHING or q == NOTHING:
        return True
    a, b = first[s], first[q]
    count = first[s + 1] - a
    if first[q + 1] - b != count:
        return True
    px, py = x + 0.5, y + 0.5
    for t in range(count):
        i, j = a + t, b + t
        if lantern[i] != lantern[j]:
            return True
        w = mapping[i, 2, 0] * px + mapping[i, 2, 1] * py + mapping[i, 2, 2]
        v = mapping[j, 2, 0] * px + mapping[j, 2, 1] * py + mapping[j, 2, 2]
        if w <= 0.0 or v <= 0.0:
            return True
        apart = 0.0
        for k in range(2):
            f = mapping[i, k, 0] * px + mapping[i, k, 1] * py + mapping[i, k, 2]
            g = mapping[j, k, 0] * px + mapping[j, k, 1] * py + mapping[j, k, 2]
            apart = max(apart, abs(f * v - g * w))
        if apart > SAME_PLACE * w * v:
            return True
    return False


@njit(cache=True, nogil=True, error_model="numpy")
def _mark_meetings(seen: Indices32, passed: Flags, r: int, n: int, meets: Indices32) -> None:
    """meets[1 : n + 1] of a row of a tile: nothing but where a pixel's neighbours, or what passed
    between its samples, are of another surface."""
    here, above, below, thin = seen[r], seen[r - 1], seen[r + 1], passed[r]
    for c in range(1, n + 1):
        s = here[c]
        meets[c] = (
            (s ^ here[c - 1]) | (s ^ here[c + 1]) | (s ^ above[c]) | (s ^ below[c])
            | np.int32(thin[c])
        )  # fmt: skip


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
        meets = np.empty(SIDE, np.int32)
        room = room_for(out)
        scratch = room.scratch[0]
        # compiled code copies a table whole wherever it is named, so not once a pixel
        first, lantern, mapping, sighted = (
            throws.first, throws.lantern, throws.mapping, sights.address
        )  # fmt: skip
        nearest = np.empty(SAMPLES)
        who = np.empty(SAMPLES, np.int32)
        front = front_of_tile(
            tx, ty, laid.edges, laid.surface, laid.inverse_depth, triangles
        )  # fmt: skip
        alone = front != NOTHING
        if alone:
            seen[:] = front
        else:
            see_tile(
                tx, ty, laid.edges, laid.box, laid.surface, laid.inverse_depth, triangles, seen,
                depth,
            )  # fmt: skip
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
                    x = run
                    continue
                begin, count = first[s], first[s + 1] - first[s]
                ahead, inside = False, False
                if count > 0:
                    k = lantern[begin]
                    film = films[k]
                    ahead, inside = _begin_run(out, y, x, run, film, nine(mapping, begin), scratch)
                    inside = inside and sighted[k] == 0 and film.strength >= 1.0
                if count != 1 or not inside:
                    _end_run(out, y, x, run, s, ahead, laid, throws, films, sights, room)
                x = run
            if alone:
                continue
            _mark_meetings(seen, passed, r, x1 - x0, meets)
            for x in range(x0, x1):
                c = x - x0 + 1
                if meets[c] == 0:
                    continue
                s = seen[r, c]
                if (
                    passed[r, c]
                    or _parted(first, lantern, mapping, s, seen[r, c - 1], x, y)
                    or _parted(first, lantern, mapping, s, seen[r, c + 1], x, y)
                    or _parted(first, lantern, mapping, s, seen[r - 1, c], x, y)
                    or _parted(first, lantern, mapping, s, seen[r + 1, c], x, y)
                ):
                    put(out, y, x, _edge_pixel(
                        out, x, y, laid, triangles, throws, films, sights, nearest, who, room
                    ))  # fmt: skip
