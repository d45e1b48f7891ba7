"""Shading of tiles in which pictures can be clear: what stands behind them is seen through them.

Surfaces are peeled off a tile, nearest first (depth peeling, Everitt 2001). Each layer is added to
what its pixels show, premultiplied, and lets a share of what is behind it through; a pixel is done
when nothing comes through any more. Where no lantern reaches a surface it is bare: it hides what is
behind it and shows nothing itself.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Floats32, Indices, Indices32
from .dressing import Dressing, dress_run
from .empty import all_empty
from .lookup import (
    Frame,
    Nine,
    Workspace,
    filter_run,
    look_up,
    nine,
    share_of,
    workspace_for,
)
from .meeting import mark_meetings, picture_breaks
from .occlusion import unhidden
from .pixel import four, got, of_four, put, sheet_like, sums_of
from .reach import FULL, WHOLE, inverse_at
from .screen import TILE, ScreenArrays
from .throws import Buffers, PlateRecord, Plates, Throws
from .tile import (
    MIXED,
    NOTHING,
    SAMPLE_X,
    SAMPLE_Y,
    SAMPLES,
    SIDE,
    by_depth,
    find_thin,
    front_of_tile,
    next_of_tile,
    sample_behind,
    see_tile,
    see_tile_behind,
    touching,
)

MOST_MIXED = 8  # layers over one another in a pixel that are added or lighten; more lie over it
SHARE, HOW, BEFORE, LAID = 0, 1, 2, 6  # of such a layer: where its numbers begin
MIXED_NUMBERS = 10
LIGHTENS = 1  # index into MIXINGS
LEAST = 1e-5  # share of a pixel below which what is behind is not looked for
SPAN = 16  # px a side of the blocks that are tested for whether the plate is wholly clear there
Shade = Any  # red, green, blue, premultiplied, alpha from 0 to 1, and the share that passes


class Layers(NamedTuple):
    """What a tile of (rows, columns) shows so far.

    colour: (rows, columns, 4) premultiplied, in the frame's units. left: (rows, columns) the share
    of what is behind that still comes through. edge: (rows, columns) pixels where surfaces meet.
    most: (rows, columns) the share of the pixel of the surface that fills most of it so far. fills:
    which that is, in the frame; empty where nobody asks. block, empty: (TILE / SPAN, TILE / SPAN)
    of each block of pixels, the surface that was last asked whether it is wholly clear there, and
    the answer. mixed: (rows, columns, MOST_MIXED, MIXED_NUMBERS) of layers that are added or
    lighten, the nearest first: the share of the pixel that shows them, how they are mixed, what the
    pixel showed before, and they themselves. many: (rows, columns) how many there are. Both are
    empty where no picture is mixed so.
    """

    colour: Floats32
    left: Floats32
    edge: Flags
    most: Floats32
    fills: Indices32
    block: Indices32
    empty: Flags
    mixed: Floats32
    many: Indices32


@njit(cache=True, nogil=True)
def is_seen_through(front: int, clear: Flags, surface: Indices, triangles: Indices) -> bool:
    """Whether a tile has a picture that can be clear. front: the surface that fills it in front of
    all others, or NOTHING. triangles: those that overlap it."""
    if front != NOTHING:
        return bool(clear[front])
    for i in triangles:  # noqa: SIM110  (compiled code takes no generators)
        if clear[surface[i]]:
            return True
    return False


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _inside(plate: PlateRecord, h: Nine, x: float, y: float, n: int) -> bool:
    """Whether n shot pixels of a row from the centre (x, y) on lie wholly inside the plate."""
    return (
        share_of(h, x, y, plate.right, plate.bottom, plate.edge) >= WHOLE
        and share_of(h, x + n - 1, y, plate.right, plate.bottom, plate.edge) >= WHOLE
    )


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _within(v: Any, white: float) -> Any:
    """A lookup, premultiplied, with its alpha from 0 to 1. Next to a sharp edge bicubic weights
    overshoot; colour goes with alpha, so that no rim shows."""
    red, green, blue, alpha = v
    a = alpha / white
    if a <= 0.0:
        return 0.0 * red, 0.0 * green, 0.0 * blue, 0.0 * a
    if a > 1.0:
        return red / a, green / a, blue / a, a / a
    return red, green, blue, a


@njit(cache=True, nogil=True, error_model="numpy")
def _put_by(mixed: Any, many: int, share: float, how: int, before: Any, v: Any) -> bool:
    """Keep a layer v that is added or lightens, until it is known what is behind it; whether there
    was room. mixed: (MOST_MIXED, MIXED_NUMBERS), of which `many` are taken."""
    if many == MOST_MIXED:
        return False
    one = mixed[many]
    one[SHARE], one[HOW] = share, how
    for k in range(4):
        one[BEFORE + k], one[LAID + k] = before[k], v[k]
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def _mix_in(colour: Any, mixed: Any, many: int, white: float) -> None:
    """Mix what was kept into a pixel (4,), the farthest first; as `picture.composite` has it."""
    for j in range(many - 1, -1, -1):
        one = mixed[j]
        share = one[SHARE]
        a = one[LAID + 3] / white
        b = (colour[3] - one[BEFORE + 3]) / (share * white)
        for k in range(3):
            v, below = one[LAID + k], (colour[k] - one[BEFORE + k]) / share
            if one[HOW] == LIGHTENS:
                v = v * (1.0 - b) + below * (1.0 - a) + max(v * b, below * a)
            else:
                v += below
            colour[k] = one[BEFORE + k] + share * v
        colour[3] = one[BEFORE + 3] + share * white * (a + b - a * b)


@njit(cache=True, nogil=True, error_model="numpy")
def _any_mixed(plates: Plates) -> bool:
    for k in range(len(plates)):  # noqa: SIM110  (compiled code takes no generators)
        if plates[k].mixing != 0:
            return True
    return False


@njit(cache=True, nogil=True, error_model="numpy")
def _shade(
    throws: Throws, plates: Plates, buffers: Buffers, s: int, x: int, y: int, begun: Any, ready:
    bool, workspace: Workspace,
) -> Shade:  # fmt: skip
    """What surface s shows at a pixel. begun: the first lantern's lookup there, if ready.

    Of lanterns that reach shares g of the pixel with alphas a, the picture covers 1 - prod(1 - g a)
    and prod(1 - g) is bare; the rest is clear. What is hidden from a lantern that lights the first
    surface only is hidden as far as its picture is there: what is clear hides nothing.
    """
    red, green, blue, left, bare = 0.0, 0.0, 0.0, 1.0, 1.0
    inverse = inverse_at(throws.inverse, s, x + 0.5, y + 0.5)
    begin = throws.first[s]
    for t in range(begin, throws.first[s + 1]):
        k, h = throws.lantern[t], nine(throws.mapping, t)
        plate = plates[k]
        share = share_of(h, x + 0.5, y + 0.5, plate.right, plate.bottom, plate.edge)
        if share <= 0.0:
            continue
        if t > begin or not ready:
            begun = look_up(workspace, plate, h, x, y)
        r, g, b, a = _within(four(begun), plate.white)
        a *= plate.strength
        lit = 1.0
        if buffers.address[k] != 0:
            w = h[6] * (x + 0.5) + h[7] * (y + 0.5) + h[8]
            u = (h[0] * (x + 0.5) + h[1] * (y + 0.5) + h[2]) / w
            v = (h[3] * (x + 0.5) + h[4] * (y + 0.5) + h[5]) / w
            lit = unhidden(buffers, k, u, v, w / inverse, throws.plane[s])
        bare *= 1.0 - share * (lit + (1.0 - lit) * (1.0 - a))
        share *= lit
        weight = left * share * plate.strength
        red += weight * r
        green += weight * g
        blue += weight * b
        left *= 1.0 - share * a
        if left <= 1.0 - FULL:
            break
    return red, green, blue, 1.0 - left, max(left - bare, 0.0)


@njit(cache=True, nogil=True, error_model="numpy")
def _shade_run(
    out: Frame, layers: Layers, line: Frame, throws: Throws, plates: Plates, buffers: Buffers,
    dressing: Dressing, s: int, x: int, y: int, n: int, workspace: Workspace,
) -> None:  # fmt: skip
    """Add n pixels of a row from x on, of surface s, to what they show. line: (1, TILE)."""
    r, c0 = y % TILE, x % TILE
    colour, left = layers.colour[r, c0:], layers.left[r, c0:]
    begin = throws.first[s]
    if begin == throws.first[s + 1]:
        left[:n] = 0.0
        return
    k, h = throws.lantern[begin], nine(throws.mapping, begin)
    plate = plates[k]
    strength, white = plate.strength, plate.white
    ready = h[6] * (x + 0.5) + h[7] * (y + 0.5) + h[8] > 0.0
    ready = ready and h[6] * (x + n - 0.5) + h[7] * (y + 0.5) + h[8] > 0.0
    alone = (
        ready and throws.first[s + 1] == begin + 1 and buffers.address[k] == 0
        and _inside(plate, h, x + 0.5, y + 0.5, n)
    )  # fmt: skip
    frame, surfaces, lights = dressing
    lit = len(surfaces) > 0 and surfaces[s].on != 0
    by, fog, mixing = workspace.by, (0.0, 0.0, 0.0), plate.mixing
    if lit:
        dress_run(frame[0], surfaces[s], lights, x + 0.5, y + 0.5, n, by, workspace.room)
        haze = frame[0].haze
        if mixing == 0:  # haze dims what is only light, and does not show by it
            fog = (haze[0], haze[1], haze[2])
    if alone and out.ndim == 3 and strength >= 1.0 and not lit and mixing == 0:
        fresh = True  # nothing is in front: the lookups are what the pixels show
        for i in range(n):
            fresh &= left[i] == 1.0
        if fresh:
            filter_run(out, y, x, plate, h, x, y, n, workspace.scratch[0])
            for i in range(n):
                alpha = colour[i, 3] / white
                if alpha < 0.0 or alpha > 1.0:
                    r, g, b, alpha = _within(four(got(out, y, x + i)), white)
                    put(out, y, x + i, of_four(out, r, g, b, alpha * white))
                left[i] = 1.0 - alpha
            return
    if ready:
        zero = np.int64(0)  # no literal: see `look_up`
        filter_run(line, zero, zero, plate, h, x, y, n, workspace.scratch[0])
    for i in range(n):
        if alone:
            red, green, blue, alpha = _within(four(got(line, 0, i)), white)
            share, passes = left[i] * strength, 1.0 - strength * alpha
        else:
            red, green, blue, alpha, passes = _shade(
                throws, plates, buffers, s, x + i, y, got(line, 0, i), ready, workspace
            )
            share = left[i]
        if lit:
            veil = by[3, i] * alpha * white
            red = red * by[0, i] + veil * fog[0]
            green = green * by[1, i] + veil * fog[1]
            blue = blue * by[2, i] + veil * fog[2]
        if mixing != 0 and left[i] > 0.0:
            part = share / left[i]  # the lantern's own strength, where it is not in the colour yet
            v = (red * part, green * part, blue * part, alpha * part * white)
            many = layers.many[r, c0 + i]
            if _put_by(layers.mixed[r, c0 + i], many, left[i], mixing, colour[i], v):
                layers.many[r, c0 + i] = many + 1
                continue
        colour[i, 0] += share * red
        colour[i, 1] += share * green
        colour[i, 2] += share * blue
        colour[i, 3] += share * alpha * white
        left[i] *= passes


@njit(cache=True, nogil=True, error_model="numpy")
def _shade_layer(
    out: Frame, layers: Layers, seen: Indices32, whole: int, line: Frame, throws: Throws, plates:
    Plates, buffers: Buffers, dressing: Dressing, bounds: Any, workspace: Workspace,
) -> bool:  # fmt: skip
    """Add a layer to what a tile shows; whether anything comes through any of its pixels. whole:
    the surface that fills it, or NOTHING. bounds: of the tile, px: left, top, right, bottom."""
    x0, y0, x1, y1 = bounds
    lefts, edges, blocks, empties = layers.left, layers.edge, layers.block, layers.empty
    most, fills = layers.most, layers.fills
    before = np.empty(TILE, np.float32)
    first, lantern, mapping, clear = throws.first, throws.lantern, throws.mapping, throws.clear
    side = np.int64(SPAN)  # no literal: see `look_up`
    more = False
    skipped = y0  # rows before this one are known to be wholly clear
    for y in range(y0, y1):
        if y < skipped:
            continue
        r = y - y0
        block, empty = blocks[r // SPAN], empties[r // SPAN]
        if whole != NOTHING and clear[whole] and r % SPAN == 0:
            needed = False
            for b in range(TILE // SPAN):
                block[b] = whole
                empty[b] = all_empty(first, lantern, mapping, plates, whole, x0 + b * SPAN, y, side)
                needed |= not empty[b]
            if not needed:
                more, skipped = True, y + SPAN
                continue
        here, left, edge = seen[r + 1, 1:], lefts[r], edges[r]
        x = x0
        while x < x1:
            s = here[x - x0]
            if left[x - x0] <= LEAST or edge[x - x0]:
                x += 1
                continue
            if s == NOTHING:
                left[x - x0] = 0.0
                x += 1
                continue
            run = x + 1
            while run < x1:
                c = run - x0
                if here[c] != s or left[c] <= LEAST or edge[c]:
                    break
                run += 1
            while x < run:
                # blocks that need no lookup are left out, those that do are put together
                end = run
                if clear[s]:
                    end = x
                    while end < run:
                        b = (end - x0) // SPAN
                        if block[b] != s:
                            block[b] = s
                            empty[b] = all_empty(
                                first,
                                lantern,
                                mapping,
                                plates,
                                s,
                                x0 + b * SPAN,
                                y - r % SPAN,
                                side,
                            )
                        if empty[b]:
                            break
                        end = min(x0 + (b + 1) * SPAN, run)
                if end > x:
                    if len(fills):
                        before[x - x0 : end - x0] = left[x - x0 : end - x0]
                    _shade_run(
                        out, layers, line, throws, plates, buffers, dressing, s, x, y, end - x,
                        workspace,
                    )  # fmt: skip
                    for c in range(x - x0, end - x0):
                        more |= left[c] > LEAST
                        if len(fills) and before[c] - left[c] > most[r, c]:
                            most[r, c], fills[y, x0 + c] = before[c] - left[c], s
                if end < run:  # the block that ended it is wholly clear
                    end = min(x0 + ((end - x0) // SPAN + 1) * SPAN, run)
                    more = True
                x = end
    return more


@njit(cache=True, nogil=True, error_model="numpy")
def _outline_shows(
    throws: Throws, inverse_depth: Floats, plates: Plates, s: int, q: int, x: int, y: int
) -> bool:
    """Whether the picture breaks between a pixel's surface s and its neighbour's q. It does not
    where the nearer of the two, whose outline it is, is wholly clear."""
    if not picture_breaks(throws.first, throws.lantern, throws.mapping, s, q, x, y):
        return False
    front = max(s, q)
    if s != NOTHING and q != NOTHING:
        px, py = x + 0.5, y + 0.5
        ahead = inverse_at(inverse_depth, s, px, py) >= inverse_at(inverse_depth, q, px, py)
        front = s if ahead else q
    return not (throws.clear[front] and all_empty(
        throws.first, throws.lantern, throws.mapping, plates, front, x, y, np.int64(1)
    ))  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _mark_edges(
    layers: Layers, seen: Indices32, passed: Flags, screen: ScreenArrays, throws: Throws, plates:
    Plates, bounds: Any,
) -> bool:  # fmt: skip
    """Mark the pixels of a layer where surfaces meet; whether there are any."""
    left, edge, inverse_depth = layers.left, layers.edge, screen.inverse_depth
    x0, y0, x1, y1 = bounds
    meets = np.empty(SIDE, np.int32)
    found = False
    for y in range(y0, y1):
        r = y - y0 + 1
        mark_meetings(seen, passed, r, x1 - x0, meets)
        for x in range(x0, x1):
            c = x - x0 + 1
            if meets[c] == 0 or left[r - 1, c - 1] <= LEAST:
                continue
            s = seen[r, c]
            breaks = passed[r, c]
            for k in range(4):
                q = seen[r + (k == 3) - (k == 2), c + (k == 1) - (k == 0)]
                if not breaks and q != s:
                    breaks = _outline_shows(throws, inverse_depth, plates, s, q, x, y)
            if breaks:
                edge[r - 1, c - 1] = found = True
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def _mixing_of(throws: Throws, plates: Plates, s: int) -> int:
    """How the picture of a surface is mixed with what is behind it."""
    begin = throws.first[s]
    if begin == throws.first[s + 1]:
        return 0
    return int(plates[throws.lantern[begin]].mixing)


@njit(cache=True, nogil=True)
def _middle_of(who: Indices32, q: int, x: int, y: int) -> tuple[float, float]:
    """The middle of those samples of a pixel that show surface q."""
    across, down, count = 0.0, 0.0, 0
    for i in range(SAMPLES):
        if who[i] == q:
            across += SAMPLE_X[i]
            down += SAMPLE_Y[i]
            count += 1
    return x + across / count, y + down / count


@njit(cache=True, nogil=True, error_model="numpy")
def _sampled(
    out: Frame, fills: Indices32, x: int, y: int, screen: ScreenArrays, triangles: Indices, throws:
    Throws, plates: Plates, buffers: Buffers, dressing: Dressing, workspace: Workspace,
) -> Any:  # fmt: skip
    """The colour of a pixel where surfaces meet: each sample sees its own surfaces in order of
    depth. All are looked up at the pixel's centre, once each, not at their samples, so that seen
    from the lens the plate comes back exactly."""
    triangles = touching(x, y, screen.edges, triangles)
    left, limit = np.ones(SAMPLES), np.full(SAMPLES, np.inf)
    tie, who = np.zeros(SAMPLES, np.int32), np.empty(SAMPLES, np.int32)
    nearest = np.empty(SAMPLES)
    shades = np.empty((len(triangles), 5))
    of = np.empty(len(triangles), np.int32)
    weight = np.zeros(len(triangles))  # of each in the pixel
    by = workspace.by
    frame, surfaces, lights = dressing
    blends = _any_mixed(plates)
    many = np.zeros(SAMPLES if blends else 0, np.int64)
    mixed = np.zeros((len(many), MOST_MIXED, MIXED_NUMBERS), np.float32)
    sums = np.zeros((len(many), 4))
    known = 0
    white = plates[0].white
    red, green, blue, alpha = 0.0, 0.0, 0.0, 0.0
    blank, ready = got(workspace.one, 0, 0), known > 0  # nothing is looked up yet
    for _ in range(len(triangles)):
        sample_behind(
            x, y, screen.edges, screen.surface, screen.inverse_depth, triangles, limit, tie,
            nearest, who,
        )  # fmt: skip
        more = False
        for i in range(SAMPLES):
            q = who[i]
            if q == NOTHING:
                left[i] = 0.0
            if left[i] <= LEAST:
                continue
            at = 0
            while at < known and of[at] != q:
                at += 1
            if at == known:
                of[at] = q
                shades[at] = _shade(throws, plates, buffers, q, x, y, blank, ready, workspace)
                if len(surfaces) and surfaces[q].on:
                    px, py = _middle_of(who, q, x, y)
                    dress_run(
                        frame[0], surfaces[q], lights, px, py, np.int64(1), by, workspace.room
                    )
                    haze = frame[0].haze
                    veil = by[3, 0] * shades[at, 3] * white
                    if _mixing_of(throws, plates, q) != 0:
                        veil = 0.0
                    for k in range(3):
                        shades[at, k] = shades[at, k] * by[k, 0] + veil * haze[k]
                known += 1
            part = left[i] / SAMPLES
            limit[i], tie[i] = nearest[i], screen.eldest[q]
            if blends:
                how = _mixing_of(throws, plates, q)
                v = (shades[at, 0], shades[at, 1], shades[at, 2], shades[at, 3] * white)
                if how != 0 and _put_by(mixed[i], many[i], left[i], how, sums[i], v):
                    many[i] += 1
                    more = True
                    continue
                for k in range(4):
                    sums[i, k] += left[i] * v[k]
            else:
                red += part * shades[at, 0]
                green += part * shades[at, 1]
                blue += part * shades[at, 2]
                alpha += part * shades[at, 3]
            weight[at] += part * (1.0 - shades[at, 4])
            left[i] *= shades[at, 4]
            more |= left[i] > LEAST
        if not more:
            break
    if len(fills) and known > 0:
        most = int(np.argmax(weight[:known]))
        if weight[most] > 0.0:
            fills[y, x] = of[most]
    for i in range(len(many)):
        _mix_in(sums[i], mixed[i], many[i], white)
        red += sums[i, 0] / SAMPLES
        green += sums[i, 1] / SAMPLES
        blue += sums[i, 2] / SAMPLES
        alpha += sums[i, 3] / (SAMPLES * white)
    return of_four(out, red, green, blue, alpha * white)


@njit(cache=True, nogil=True)
def _limits(seen: Indices32, eldest: Indices, tie: Indices32) -> None:
    """Fill tie (SIDE, SIDE) with the first surface of the mesh that is seen: those before it, at
    the same depth, are of other meshes and come after it."""
    for r in range(SIDE):
        for c in range(SIDE):
            s = seen[r, c]
            tie[r, c] = 0 if s == NOTHING else eldest[s]


@njit(cache=True, nogil=True, error_model="numpy")
def _fill_depth(tx: int, ty: int, z: Floats, depth: Floats) -> None:
    """Fill depth (SIDE, SIDE) with the inverse depth of a plane in a tile."""
    for r in range(SIDE):
        for c in range(SIDE):
            x, y = tx * TILE - 1 + c + 0.5, ty * TILE - 1 + r + 0.5
            depth[r, c] = z[0] * x + z[1] * y + z[2]


@njit(cache=True, nogil=True, error_model="numpy")
def _expose_tile(
    out: Frame, fills: Indices32, tx: int, ty: int, whole: int, screen: ScreenArrays, triangles:
    Indices, throws: Throws, plates: Plates, buffers: Buffers, dressing: Dressing, workspace:
    Workspace,
) -> None:  # fmt: skip
    """Shade a tile in which pictures can be clear. whole: the surface that fills it in front of all
    others, or NOTHING."""
    y0, x0 = ty * TILE, tx * TILE
    y1, x1 = min(y0 + TILE, out.shape[0]), min(x0 + TILE, out.shape[1])
    seen, tie = np.empty((SIDE, SIDE), np.int32), np.empty((SIDE, SIDE), np.int32)
    depth, farther = np.empty((SIDE, SIDE)), np.empty((SIDE, SIDE))
    passed = np.empty((SIDE, SIDE), np.bool_)
    bounds = (x0, y0, x1, y1)
    blocks = (TILE // SPAN, TILE // SPAN)
    room = TILE if _any_mixed(plates) else 0
    layers = Layers(
        sums_of(out, y0, y1, x0, x1), np.ones((TILE, TILE), np.float32),
        np.zeros((TILE, TILE), np.bool_), np.zeros((TILE, TILE), np.float32), fills,
        np.full(blocks, NOTHING, np.int32),
        np.zeros(blocks, np.bool_),
        np.empty((room, room, MOST_MIXED, MIXED_NUMBERS), np.float32),
        np.zeros((room, room), np.int32),
    )  # fmt: skip
    line = sheet_like(out, 1, TILE)
    if len(fills):
        fills[y0:y1, x0:x1] = NOTHING
    edges, surface, inverse_depth = screen.edges, screen.surface, screen.inverse_depth
    if whole == NOTHING:
        see_tile(tx, ty, edges, screen.box, surface, inverse_depth, triangles, seen, depth)
        find_thin(
            tx, ty, edges, screen.box, surface, screen.owner, screen.thin, triangles, seen, passed
        )  # fmt: skip
    ordered, near, far = by_depth(tx, ty, surface, inverse_depth, triangles)
    meeting = False
    for _ in range(len(triangles)):
        if whole != NOTHING:
            seen[:] = whole
        if whole == NOTHING:
            meeting |= _mark_edges(layers, seen, passed, screen, throws, plates, bounds)
        more = _shade_layer(
            out, layers, seen, whole, line, throws, plates, buffers, dressing, bounds, workspace
        )  # fmt: skip
        if not more:
            break
        passed[:] = False
        if whole != NOTHING:
            following = next_of_tile(tx, ty, edges, surface, inverse_depth, triangles, whole)
            if following == NOTHING:
                break
            if following != MIXED:
                whole = following
                continue
            _fill_depth(tx, ty, inverse_depth[whole], depth)
            whole = NOTHING
        _limits(seen, screen.eldest, tie)
        see_tile_behind(
            tx, ty, edges, screen.box, surface, inverse_depth, ordered, near, far, depth, tie, seen,
            farther,
        )  # fmt: skip
        depth, farther = farther, depth
    colour, edge = layers.colour, layers.edge
    for y in range(y0, y1):
        r = y - y0
        for x in range(x0, x1):
            c = x - x0
            if meeting and edge[r, c]:
                put(out, y, x, _sampled(
                    out, fills, x, y, screen, triangles, throws, plates, buffers, dressing,
                    workspace,
                ))  # fmt: skip
                continue
            if room > 0 and layers.many[r, c] > 0:
                _mix_in(colour[r, c], layers.mixed[r, c], layers.many[r, c], plates[0].white)
            if out.ndim == 2:
                put(out, y, x, of_four(
                    out, colour[r, c, 0], colour[r, c, 1], colour[r, c, 2], colour[r, c, 3]
                ))  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def expose_tiles_through(
    out: Frame, fills: Indices32, screen: ScreenArrays, throws: Throws, plates: Plates, buffers:
    Buffers, dressing: Dressing, begin_tile: int, end_tile: int,
) -> None:  # fmt: skip
    """Shade those of the tiles from begin_tile to end_tile in which a picture can be clear."""
    for tile in range(begin_tile, end_tile):
        ty, tx = tile // screen.across, tile % screen.across
        triangles = screen.bin_triangles[screen.bin_start[tile] : screen.bin_start[tile + 1]]
        front = front_of_tile(
            tx, ty, screen.edges, screen.surface, screen.inverse_depth, triangles
        )  # fmt: skip
        if is_seen_through(front, throws.clear, screen.surface, triangles):
            _expose_tile(
                out, fills, tx, ty, front, screen, triangles, throws, plates, buffers, dressing,
                workspace_for(out),
            )  # fmt: skip
