"""Shading of a frame: pixels are looked up in the plates of the lanterns that their surface takes.

Each tile is shaded row by row, in runs of pixels that show one surface. Pixels where surfaces meet
are then shaded again from sixteen samples, each surface weighted by the samples that it covers."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices, Indices32
from ..threads import in_threads
from .lookup import Frame, Nine, Scratch, Workspace, filter_run, nine, share_of, workspace_for
from .occlusion import unhidden
from .pixel import cover, four, got, nothing, of_four, over, put, scaled
from .screen import TILE, ScreenArrays
from .throws import Buffers, PlateRecord, Plates, Throws
from .tile import NOTHING, SAMPLES, SIDE, find_thin, front_of_tile, sample_edge, see_tile

SAME_PLACE = 0.35  # plate px; two surfaces whose lookups differ by less show one unbroken picture
FULL = 1.0 - 1e-6  # alpha from which lanterns farther down the row are not looked up
WHOLE = 1.0 - 1e-6  # share of a pixel inside the plate from which it counts as all of it
Value = Any


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _reach(
    plate: PlateRecord, buffers: Buffers, k: int, h: Nine, x: float, y: float, inverse: float,
    plane: Floats,
) -> float:  # fmt: skip
    """The share, 0 to 1, of a shot pixel at (x, y) that is lit by a lantern: how much of it lies
    inside the plate and is not hidden from the lantern, times the lantern's strength.

    inverse: one over the depth of the surface before the shot camera. plane: (4,) the surface's.
    """
    share = share_of(h, x, y, plate.right, plate.bottom, plate.edge)
    if share > 0.0 and buffers.address[k] != 0:
        w = h[6] * x + h[7] * y + h[8]
        u = (h[0] * x + h[1] * y + h[2]) / w
        v = (h[3] * x + h[4] * y + h[5]) / w
        share *= unhidden(buffers, k, u, v, w / inverse, plane)
    return share * plate.strength


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _inverse_at(inverse_depth: Floats, s: int, x: float, y: float) -> float:
    return inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]


@njit(cache=True, nogil=True, error_model="numpy")
def _all_of(
    out: Frame, begun: Value, begin: int, end: int, screen: ScreenArrays, throws: Throws, plates:
    Plates, buffers: Buffers, s: int, x: int, y: int, workspace: Workspace,
) -> Value:  # fmt: skip
    """The colour `begun` composited over the throws from begin to end at a pixel of surface s."""
    total = begun
    inverse = _inverse_at(throws.inverse, s, x + 0.5, y + 0.5)
    for t in range(begin, end):
        k, h = throws.lantern[t], nine(throws.mapping, t)
        plate = plates[k]
        if cover(total, plate.white) >= FULL:
            break
        share = _reach(plate, buffers, k, h, x + 0.5, y + 0.5, inverse, throws.plane[s])
        if share <= 0.0:
            continue
        filter_run(workspace.one, 0, 0, plate, h, x, y, 1, workspace.scratch[0])
        here = got(workspace.one, 0, 0)
        if share < 1.0:
            here = scaled(here, share)
        total = over(total, here, plate.white)
    return total


@njit(cache=True, nogil=True, error_model="numpy")
def _begin_run(
    out: Frame, y: int, xa: int, xb: int, plate: PlateRecord, h: Nine, scratch: Scratch
) -> tuple[bool, bool]:  # fmt: skip
    """Fill out[y, xa:xb] from one lantern's plate, if the whole run is in front of the lantern.
    Returns whether it is, and whether the whole run lies inside the plate."""
    px, py, qx = xa + 0.5, y + 0.5, xb - 0.5
    w = h[7] * py + h[8]
    if h[6] * px + w <= 0.0 or h[6] * qx + w <= 0.0:
        return False, False
    filter_run(out, y, xa, plate, h, xa, y, xb - xa, scratch)
    # a homography maps the run to a straight line in the plate, and the plate is convex, so if both
    # ends are inside, the whole run is
    right, bottom, edge = plate.right, plate.bottom, plate.edge
    inside = (
        share_of(h, px, py, right, bottom, edge) >= WHOLE
        and share_of(h, qx, py, right, bottom, edge) >= WHOLE
    )
    return True, inside


@njit(cache=True, nogil=True, error_model="numpy")
def _end_run(
    out: Frame, y: int, xa: int, xb: int, s: int, ahead: bool, screen: ScreenArrays, throws: Throws,
    plates: Plates, buffers: Buffers, workspace: Workspace,
) -> None:  # fmt: skip
    """Finish out[y, xa:xb], a run of surface s, pixel by pixel: take away what the first lantern
    does not reach, and composite what is left over the next lanterns.

    ahead: the run is in front of the first lantern, and `_begin_run` has filled it from its plate.
    """
    begin, end = throws.first[s], throws.first[s + 1]
    if begin == end:
        for x in range(xa, xb):
            put(out, y, x, nothing(out))
        return
    k, h = throws.lantern[begin], nine(throws.mapping, begin)
    plate = plates[k]
    for x in range(xa, xb):
        inverse = _inverse_at(throws.inverse, s, x + 0.5, y + 0.5)
        share = _reach(plate, buffers, k, h, x + 0.5, y + 0.5, inverse, throws.plane[s])
        if share <= 0.0:
            here = nothing(out)
        elif ahead:
            here = got(out, y, x)
        else:
            filter_run(workspace.one, 0, 0, plate, h, x, y, 1, workspace.scratch[0])
            here = got(workspace.one, 0, 0)
        if 0.0 < share < 1.0:
            here = scaled(here, share)
        if end > begin + 1 and cover(here, plate.white) < FULL:
            here = _all_of(
                out, here, begin + 1, end, screen, throws, plates, buffers, s, x, y, workspace
            )
        put(out, y, x, here)


@njit(cache=True, nogil=True, error_model="numpy")
def _edge_pixel(
    out: Frame, x: int, y: int, screen: ScreenArrays, triangles: Indices, throws: Throws, plates:
    Plates, buffers: Buffers, nearest: Floats, who: Indices32, workspace: Workspace,
) -> Value:  # fmt: skip
    """The colour of a pixel where surfaces meet: each surface is weighted by the share of the
    samples that it covers. All are looked up at the pixel's centre, not at their samples, so that
    seen from the lens the plate comes back exactly."""
    sample_edge(x, y, screen.edges, screen.surface, screen.inverse_depth, triangles, nearest, who)
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
            out, nothing(out), throws.first[q], throws.first[q + 1], screen, throws, plates,
            buffers, q, x, y, workspace,
        )  # fmt: skip
        r, g, b, a = four(here)  # premultiplied: a transparent pixel's colour has no weight
        red += part * r
        green += part * g
        blue += part * b
        alpha += part * a
    return of_four(out, red, green, blue, alpha)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _picture_breaks(
    first: Indices, lantern: Indices, mapping: Floats, s: int, q: int, x: int, y: int
) -> bool:
    """Whether the picture breaks between a pixel's surface s and its neighbour's q. It does not
    where both read the same plates at the same places, as along a fold, or everywhere when seen
    from the lens itself; such pixels need no samples."""
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
    """Set meets[1 : n + 1] for row r of a tile: zero where a pixel and its four neighbours show one
    surface and no thin triangle passes, anything else otherwise. (Xor, so that it vectorises.)"""
    here, above, below, thin = seen[r], seen[r - 1], seen[r + 1], passed[r]
    for c in range(1, n + 1):
        s = here[c]
        meets[c] = (
            (s ^ here[c - 1]) | (s ^ here[c + 1]) | (s ^ above[c]) | (s ^ below[c])
            | np.int32(thin[c])
        )  # fmt: skip


def expose(
    out: Frame, screen: ScreenArrays, throws: Throws, plates: Plates,
    buffers: Buffers,
) -> None:  # fmt: skip
    """Shade a whole frame in place: (H, W) uint32 RGBA, or (H, W, 4) float32 premultiplied."""
    in_threads(
        screen.across * screen.down,
        lambda begin, end: _expose_tiles(out, screen, throws, plates, buffers, begin, end),
    )


@njit(cache=True, nogil=True, error_model="numpy")
def _expose_tiles(
    out: Frame, screen: ScreenArrays, throws: Throws, plates: Plates, buffers: Buffers, begin_tile:
    int, end_tile: int,
) -> None:  # fmt: skip
    """Shade the tiles from begin_tile to end_tile, which are numbered row by row."""
    rows, cols = out.shape[0], out.shape[1]
    for tile in range(begin_tile, end_tile):
        ty, tx = tile // screen.across, tile % screen.across
        triangles = screen.bin_triangles[screen.bin_start[tile] : screen.bin_start[tile + 1]]
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
        workspace = workspace_for(out)
        scratch = workspace.scratch[0]
        # Numba copies a NamedTuple wherever one of its fields is read, so they are read once here
        first, lantern, mapping, buffer_at = (
            throws.first, throws.lantern, throws.mapping, buffers.address
        )  # fmt: skip
        nearest = np.empty(SAMPLES)
        who = np.empty(SAMPLES, np.int32)
        front = front_of_tile(
            tx, ty, screen.edges, screen.surface, screen.inverse_depth, triangles
        )  # fmt: skip
        alone = front != NOTHING
        if alone:
            seen[:] = front
        else:
            see_tile(
                tx, ty, screen.edges, screen.box, screen.surface, screen.inverse_depth, triangles,
                seen, depth,
            )  # fmt: skip
            find_thin(
                tx, ty, screen.edges, screen.box, screen.surface, screen.owner, screen.thin,
                triangles, seen, passed,
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
                    plate = plates[k]
                    ahead, inside = _begin_run(out, y, x, run, plate, nine(mapping, begin), scratch)
                    inside = inside and buffer_at[k] == 0 and plate.strength >= 1.0
                if count != 1 or not inside:
                    _end_run(out, y, x, run, s, ahead, screen, throws, plates, buffers, workspace)
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
                    or _picture_breaks(first, lantern, mapping, s, seen[r, c - 1], x, y)
                    or _picture_breaks(first, lantern, mapping, s, seen[r, c + 1], x, y)
                    or _picture_breaks(first, lantern, mapping, s, seen[r - 1, c], x, y)
                    or _picture_breaks(first, lantern, mapping, s, seen[r + 1, c], x, y)
                ):
                    put(out, y, x, _edge_pixel(
                        out, x, y, screen, triangles, throws, plates, buffers, nearest, who,
                        workspace
                    ))  # fmt: skip
