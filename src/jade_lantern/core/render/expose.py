"""Shading of a frame: pixels are looked up in the plates of the lanterns that their surface takes.

Each tile is shaded row by row, in runs of pixels that show one surface. Pixels where surfaces meet
are then shaded again from sixteen samples, each surface weighted by the samples that it covers.
Tiles in which a picture can be clear are shaded by `through`, the others here: there the nearest
surface is all that a pixel shows."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from ..arrays import Floats, Indices, Indices32
from ..threads import in_threads
from .dressing import Dressing, dress_run
from .lookup import (
    Frame,
    Nine,
    Scratch,
    Workspace,
    filter_run,
    look_up,
    nine,
    share_of,
    workspace_for,
)
from .meeting import mark_meetings, picture_breaks
from .pixel import cover, four, got, nothing, of_four, over, put, recolour, scaled
from .reach import FULL, WHOLE, inverse_at, reach
from .screen import TILE, ScreenArrays
from .through import expose_tiles_through, is_seen_through
from .throws import Buffers, PlateRecord, Plates, Throws
from .tile import (
    MANY,
    NOTHING,
    SAMPLE_X,
    SAMPLE_Y,
    SAMPLES,
    SIDE,
    cells_of,
    find_thin,
    front_of_tile,
    in_cell,
    sample_edge,
    see_tile,
)

Value = Any


@njit(cache=True, nogil=True, error_model="numpy")
def _all_of(
    out: Frame, begun: Value, begin: int, end: int, screen: ScreenArrays, throws: Throws, plates:
    Plates, buffers: Buffers, s: int, x: int, y: int, workspace: Workspace,
) -> Value:  # fmt: skip
    """The colour `begun` composited over the throws from begin to end at a pixel of surface s."""
    total = begun
    inverse = inverse_at(throws.inverse, s, x + 0.5, y + 0.5)
    for t in range(begin, end):
        k, h = throws.lantern[t], nine(throws.mapping, t)
        plate = plates[k]
        if cover(total, plate.white) >= FULL:
            break
        share = reach(plate, buffers, k, h, x + 0.5, y + 0.5, inverse, throws.plane[s])
        if share <= 0.0:
            continue
        here = look_up(workspace, plate, h, x, y)
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
        inverse = inverse_at(throws.inverse, s, x + 0.5, y + 0.5)
        share = reach(plate, buffers, k, h, x + 0.5, y + 0.5, inverse, throws.plane[s])
        if share <= 0.0:
            here = nothing(out)
        elif ahead:
            here = got(out, y, x)
        else:
            here = look_up(workspace, plate, h, x, y)
        if 0.0 < share < 1.0:
            here = scaled(here, share)
        if end > begin + 1 and cover(here, plate.white) < FULL:
            here = _all_of(
                out, here, begin + 1, end, screen, throws, plates, buffers, s, x, y, workspace
            )
        put(out, y, x, here)


@njit(cache=True, nogil=True, error_model="numpy")
def _edge_pixel(
    out: Frame, x: int, y: int, middle: int, screen: ScreenArrays, triangles: Indices, throws:
    Throws, plates: Plates, buffers: Buffers, dressing: Dressing, nearest: Floats,
    who: Indices32, workspace: Workspace,
) -> Value:  # fmt: skip
    """The colour of a pixel where surfaces meet: each surface is weighted by the share of the
    samples that it covers. All are looked up at the pixel's centre, not at their samples, so that
    seen from the lens the plate comes back exactly; light falls on the middle of its samples, for
    the centre may lie inside of something. middle: the surface at the centre, whose colour
    is in the frame already."""
    sample_edge(x, y, screen.edges, screen.surface, screen.inverse_depth, triangles, nearest, who)
    frame, surfaces, lights = dressing
    red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
    for s in range(SAMPLES):
        q = who[s]
        if q == NOTHING:
            continue
        part, across, down = 0.0, 0.0, 0.0
        for t in range(s, SAMPLES):
            if who[t] == q:
                part += 1.0 / SAMPLES
                across += SAMPLE_X[t]
                down += SAMPLE_Y[t]
                who[t] = NOTHING
        if q == middle:
            here = got(out, y, x)
        else:
            here = _all_of(
                out, nothing(out), throws.first[q], throws.first[q + 1], screen, throws, plates,
                buffers, q, x, y, workspace,
            )  # fmt: skip
            if len(surfaces) and surfaces[q].on:
                dress_run(
                    frame[0], surfaces[q], lights, x + across / (part * SAMPLES),
                    y + down / (part * SAMPLES), np.int64(1), workspace.by, workspace.room,
                )  # fmt: skip
                put(workspace.one, 0, 0, here)
                recolour(
                    workspace.one,
                    np.int64(0),
                    np.int64(0),
                    np.int64(1),
                    workspace.by,
                    frame[0].haze,
                )
                here = got(workspace.one, 0, 0)
        r, g, b, a = four(here)  # premultiplied: a transparent pixel's colour has no weight
        red += part * r
        green += part * g
        blue += part * b
        alpha += part * a
    return of_four(out, red, green, blue, alpha)


def expose(
    out: Frame, fills: Indices32, screen: ScreenArrays, throws: Throws, plates: Plates, buffers:
    Buffers, dressing: Dressing,
) -> None:  # fmt: skip
    """Shade a whole frame in place: (H, W) uint32 RGBA, or (H, W, 4) float32 premultiplied.

    fills: (H, W) takes the surface that fills most of each pixel, NOTHING for none; or empty.
    """
    given = (out, fills, screen, throws, plates, buffers, dressing)
    tiles = screen.across * screen.down
    in_threads(tiles, lambda begin, end: _expose_tiles(*given, begin, end))
    if throws.clear.any():  # compiled only where it is needed
        in_threads(tiles, lambda begin, end: expose_tiles_through(*given, begin, end))


@njit(cache=True, nogil=True, error_model="numpy")
def _expose_tiles(
    out: Frame, fills: Indices32, screen: ScreenArrays, throws: Throws, plates: Plates, buffers:
    Buffers, dressing: Dressing, begin_tile: int, end_tile: int,
) -> None:  # fmt: skip
    """Shade the tiles from begin_tile to end_tile, which are numbered row by row, but for those
    that `through` shades."""
    rows, cols = out.shape[0], out.shape[1]
    clear = throws.clear
    frame, surfaces, lights = dressing
    for tile in range(begin_tile, end_tile):
        ty, tx = tile // screen.across, tile % screen.across
        triangles = screen.bin_triangles[screen.bin_start[tile] : screen.bin_start[tile + 1]]
        y0, x0 = ty * TILE, tx * TILE
        y1, x1 = min(y0 + TILE, rows), min(x0 + TILE, cols)
        if len(triangles) == 0:
            if len(fills):
                fills[y0:y1, x0:x1] = NOTHING
            for y in range(y0, y1):
                for x in range(x0, x1):
                    put(out, y, x, nothing(out))
            continue
        front = front_of_tile(
            tx, ty, screen.edges, screen.surface, screen.inverse_depth, triangles
        )  # fmt: skip
        if is_seen_through(front, clear, screen.surface, triangles):
            continue
        alone = front != NOTHING
        workspace = workspace_for(out)
        seen = np.empty((SIDE, SIDE), np.int32)
        depth = np.empty((SIDE, SIDE))
        passed = np.empty((SIDE, SIDE), np.bool_)
        meets = np.empty(SIDE, np.int32)
        by, room = workspace.by, workspace.room
        scratch = workspace.scratch[0]
        # Numba copies a NamedTuple wherever one of its fields is read, so they are read once here
        first, lantern, mapping, buffer_at = (
            throws.first, throws.lantern, throws.mapping, buffers.address
        )  # fmt: skip
        nearest = np.empty(SAMPLES)
        who = np.empty(SAMPLES, np.int32)
        parted = not alone and len(triangles) > MANY
        cells = cells_of(tx, ty, screen.box, triangles) if parted else (triangles, triangles)
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
        if len(fills):
            fills[y0:y1, x0:x1] = seen[1 : y1 - y0 + 1, 1 : x1 - x0 + 1]
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
                    inside = inside and buffer_at[k] == 0
                if count != 1 or not inside:
                    _end_run(out, y, x, run, s, ahead, screen, throws, plates, buffers, workspace)
                if len(surfaces) and surfaces[s].on:
                    n = run - x
                    dress_run(frame[0], surfaces[s], lights, x + 0.5, y + 0.5, n, by, room)
                    recolour(out, y, x, n, by, frame[0].haze)
                x = run
            if alone:
                continue
            mark_meetings(seen, passed, r, x1 - x0, meets)
            for x in range(x0, x1):
                c = x - x0 + 1
                if meets[c] == 0:
                    continue
                s = seen[r, c]
                if (
                    passed[r, c]
                    or picture_breaks(first, lantern, mapping, s, seen[r, c - 1], x, y)
                    or picture_breaks(first, lantern, mapping, s, seen[r, c + 1], x, y)
                    or picture_breaks(first, lantern, mapping, s, seen[r - 1, c], x, y)
                    or picture_breaks(first, lantern, mapping, s, seen[r + 1, c], x, y)
                ):
                    some = in_cell(cells, x, y) if parted else triangles
                    put(out, y, x, _edge_pixel(
                        out, x, y, s, screen, some, throws, plates, buffers, dressing,
                        nearest, who, workspace
                    ))  # fmt: skip
