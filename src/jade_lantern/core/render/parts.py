"""How much of each pixel of a frame is leak, spill, stretch or reveal: pixels in which one of them
may begin or end are sampled."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..arrays import Flags, Floats, Indices, Indices32
from .hiders import Hiders, thin_near
from .layer import layer_at, lent, pulled_at
from .lookup import nine
from .meeting import picture_breaks
from .screen import ScreenArrays
from .through import LEAST
from .throws import Buffers, Places, Throws
from .tile import COPLANAR, NOTHING, SAMPLE_X, SAMPLE_Y, SAMPLES, SLACK

WHOLE = SAMPLES  # parts that a pixel has
CELL = 16  # px, the side of a cell whose triangles are asked for a pixel
LEAST_SLIT = 0.04  # plate px; a narrower slit is not looked for
KINDS = ("leak", "spill", "stretch", "reveal")
LEAK, SPILL, STRETCH, REVEAL = range(len(KINDS))


class Parts(NamedTuple):
    """How much of each pixel is what.

    wrong: (4, H, W) of KINDS, in parts of WHOLE. owner: (H, W) the proxy of which most of that is,
    or that is seen there; -1 for none. lantern: (H, W) the lantern whose picture lands where most
    of that is, or in the pixel's middle; -1 for none.
    """

    wrong: NDArray[np.uint8]
    owner: Indices
    lantern: Indices32


@njit(cache=True, nogil=True, error_model="numpy")
def edge_pixels(
    surface: Indices32, wrong: Flags, screen: ScreenArrays, throws: Throws, places: Places,
    buffers: Buffers, hiders: Hiders, size: tuple[float, float],
) -> Indices32:  # fmt: skip
    """(N, 2) column and row of the pixels in which something may begin or end. surface: (H, W) what
    is seen at their middles; wrong: (4, H, W) what is wrong there; both with one pixel more on each
    side than the frame, which are not among those returned. size: the frame's, px, whose last
    pixels it may fill in part.

    A slit opens where the picture breaks between two surfaces (`picture_breaks`), and what is wider
    than a pixel has neighbours of which one is wrong and one is not.
    """
    screen, throws, places, buffers, hiders = lent(screen, throws, places, buffers, hiders)
    height, width = surface.shape
    kind = np.zeros((height, width), np.uint8)
    for row in range(height):
        for column in range(width):
            for k in range(4):
                kind[row, column] |= np.uint8(wrong[k, row, column]) << np.uint8(k)
    marked = np.zeros((height, width), np.bool_)
    for row in range(height):
        for column in range(width):
            s, mine = surface[row, column], kind[row, column]
            for down in range(2):
                r, c = row + down, column + 1 - down
                if r >= height or c >= width:
                    continue
                q, other = surface[r, c], kind[r, c]
                if mine == other and (
                    s == q
                    or mine == 1 << REVEAL
                    or not picture_breaks(
                        throws.first, throws.lantern, throws.mapping, s, q, column, row, LEAST_SLIT
                    )
                ):
                    continue
                marked[row, column] = marked[r, c] = True
    for i in range(len(screen.box)):
        if screen.thin[i]:
            _mark_thin(i, screen, surface, marked)
    for k in range(len(hiders.thin)):
        if hiders.thin[k] != 0:
            _mark_shadows(k, surface, throws, places, buffers, hiders, marked)
    if size[0] < width - 2:
        marked[:, width - 2] = True
    if size[1] < height - 2:
        marked[height - 2] = True
    count = 0
    out = np.empty((height * width, 2), np.int32)
    for row in range(1, height - 1):
        for column in range(1, width - 1):
            if marked[row, column]:
                out[count, 0], out[count, 1] = column, row
                count += 1
    return out[:count].copy()


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _mark_shadows(
    k: int, surface: Indices32, throws: Throws, places: Places, buffers: Buffers, hiders: Hiders,
    marked: Flags,
) -> None:  # fmt: skip
    """Mark the pixels in which something thin may hide a surface from lantern k."""
    for row in range(surface.shape[0]):
        for column in range(surface.shape[1]):
            s = surface[row, column]
            if s == NOTHING or marked[row, column]:
                continue
            x, y = column + 0.5, row + 0.5
            for t in range(throws.first[s], throws.first[s + 1]):
                h = nine(throws.mapping, t)
                w = h[6] * x + h[7] * y + h[8]
                if throws.lantern[t] != k or w <= 0.0:
                    continue
                u = (h[0] * x + h[1] * y + h[2]) / w
                v = (h[3] * x + h[4] * y + h[5]) / w
                if not (0.0 <= u < places.right[k] and 0.0 <= v < places.bottom[k]):
                    continue
                # half a pixel each way, by the mapping's derivatives
                reach_u = 0.5 * (abs(h[0] - u * h[6]) + abs(h[1] - u * h[7])) / w
                reach_v = 0.5 * (abs(h[3] - v * h[6]) + abs(h[4] - v * h[7])) / w
                if thin_near(buffers, hiders, k, u, v, reach_u, reach_v):
                    marked[row, column] = True


@njit(cache=True, nogil=True, error_model="numpy")
def _mark_thin(i: int, screen: ScreenArrays, surface: Indices32, marked: Flags) -> None:
    """Mark the pixels that triangle i overlaps while another mesh is seen in their middle."""
    height, width = marked.shape
    edges, box, mine = screen.edges[i], screen.box[i], screen.owner[screen.surface[i]]
    for row in range(max(int(box[1]), 0), min(int(min(box[3], 1e8)) + 1, height)):
        for column in range(max(int(box[0]), 0), min(int(min(box[2], 1e8)) + 1, width)):
            s = surface[row, column]
            if s >= 0 and screen.owner[s] == mine:
                continue
            room = 1.0
            for k in range(3):
                a, b = edges[k, 0], edges[k, 1]
                away = a * (column + 0.5) + b * (row + 0.5) + edges[k, 2]
                room = min(room, away + 0.5 * (abs(a) + abs(b)))
            if room > 0.0:
                marked[row, column] = True


@njit(cache=True, nogil=True, error_model="numpy")
def sample_pixels(
    pixels: Indices32, screen: ScreenArrays, throws: Throws, places: Places, buffers: Buffers,
    hiders: Hiders, proxy: Indices, cells: tuple[Indices, Indices, int], larger: float,
    too_far: float, size: tuple[float, float], origin: tuple[int, int], parts: Parts, begin: int,
    end: int,
) -> None:  # fmt: skip
    """Fill the parts of pixels (N, 2) from begin to end. proxy: (targets,) which one each is of.
    cells: the frame's triangles by cells of CELL pixels, as `binned_by` gives them, and how many
    cells are in a row. size: the frame's, px; what lies beyond it does not count.
    origin: the pixel that shifts are counted from, so that they are the same in a part of a frame.

    The sixteen places are the renderer's, moved by an amount of each pixel's own (Cranley &
    Patterson 1976): along an edge that runs straight down the picture, pixels then do not all miss
    the same part of it.
    """
    screen, throws, places, buffers, hiders = lent(screen, throws, places, buffers, hiders)
    start, binned, across = cells
    xs, ys, nearest = np.empty(SAMPLES), np.empty(SAMPLES), np.empty(SAMPLES)
    who, count = np.empty(SAMPLES, np.int32), np.empty(4, np.int64)
    longest = 0
    for n in range(begin, end):
        cell = pixels[n, 1] // CELL * across + pixels[n, 0] // CELL
        longest = max(longest, start[cell + 1] - start[cell])
    room = np.empty(longest, np.int64)
    for n in range(begin, end):
        column, row = pixels[n, 0], pixels[n, 1]
        cell = row // CELL * across + column // CELL
        mine = _touching(column, row, screen, binned[start[cell] : start[cell + 1]], room)
        # the plastic number's powers spread shifts evenly over neighbouring pixels (Roberts 2018)
        a, b = column - origin[0], row - origin[1]
        shift_x = (a * 0.7548776662466927 + b * 0.5698402909980532) % 1.0
        shift_y = (a * 0.5698402909980532 + b * 0.2451223337533073) % 1.0
        for i in range(SAMPLES):
            x, y = SAMPLE_X[i] + shift_x, SAMPLE_Y[i] + shift_y
            xs[i], ys[i] = column + x - np.floor(x), row + y - np.floor(y)
        _fronts(xs, ys, screen, mine, nearest, who)
        count[:] = 0
        most = 0
        for i in range(SAMPLES):
            x, y = xs[i], ys[i]
            if x - 1.0 > size[0] or y - 1.0 > size[1]:
                continue
            s, shown, bare, spills = _seen_at(
                x, y, who[i], nearest[i], mine, screen, throws, places, buffers, hiders
            )
            if s == NOTHING:
                count[LEAK] += 1
                continue
            pulled = pulled_at(throws, shown, x, y, larger) > too_far
            count[SPILL] += spills
            count[STRETCH] += pulled
            count[REVEAL] += bare
            if not (spills or pulled or bare):
                continue
            # Boyer & Moore's vote: the owner that most of what is wrong belongs to
            whose = proxy[screen.owner[s]]
            if most == 0:
                parts.owner[row - 1, column - 1] = whose
                parts.lantern[row - 1, column - 1] = -1 if shown < 0 else throws.lantern[shown]
                most = 1
            else:
                most += 1 if parts.owner[row - 1, column - 1] == whose else -1
        for k in range(4):
            parts.wrong[k, row - 1, column - 1] = count[k]


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _touching(
    column: int, row: int, screen: ScreenArrays, triangles: Indices, out: Indices
) -> Indices:
    """As `tile.touching`, put into the first places of `out`: memory taken for each pixel takes
    longer than the asking."""
    count = 0
    for i in triangles:
        box = screen.box[i]
        if box[0] > column + 1 or box[2] < column or box[1] > row + 1 or box[3] < row:
            continue
        least = 1.0
        for k in range(3):
            a, b = screen.edges[i, k, 0], screen.edges[i, k, 1]
            away = a * (column + 0.5) + b * (row + 0.5) + screen.edges[i, k, 2]
            least = min(least, away + 0.5 * (abs(a) + abs(b)) + SLACK)
        if least >= 0.0:
            out[count] = i
            count += 1
    return out[:count]


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy", inline="always")
def _fronts(
    xs: Floats, ys: Floats, screen: ScreenArrays, triangles: Indices, nearest: Floats,
    who: Indices32,
) -> None:  # fmt: skip
    """Fill who (SAMPLES,) with the nearest surface at places (xs, ys), NOTHING for none, and
    nearest (SAMPLES,) with its inverse depth: as `tile.sample_edge`, whose places are the same in
    every pixel. Of coplanar ones the later is in front."""
    nearest[:] = 0.0
    who[:] = NOTHING
    for i in triangles:
        q = np.int32(screen.surface[i])
        e, z = screen.edges[i], screen.inverse_depth[q]
        a0, b0, c0 = e[0, 0], e[0, 1], e[0, 2] + SLACK
        a1, b1, c1 = e[1, 0], e[1, 1], e[1, 2] + SLACK
        a2, b2, c2 = e[2, 0], e[2, 1], e[2, 2] + SLACK
        zx, zy, z1 = z[0], z[1], z[2]
        for s in range(SAMPLES):  # no branches, so that it runs several samples at once
            x, y = xs[s], ys[s]
            depth = zx * x + zy * y + z1
            least = min(
                min(a0 * x + b0 * y + c0, depth - nearest[s] * COPLANAR),
                min(a1 * x + b1 * y + c1, a2 * x + b2 * y + c2),
            )
            nearest[s] = depth if least > 0.0 else nearest[s]
            who[s] = q if least > 0.0 else who[s]


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _seen_at(
    x: float, y: float, front: int, nearness: float, triangles: Indices, screen: ScreenArrays,
    throws: Throws, places: Places, buffers: Buffers, hiders: Hiders,
) -> tuple[int, int, bool, bool]:  # fmt: skip
    """The surface that fills most of place (x, y), NOTHING where what is clear does; its throw
    whose picture shows most, -1 for none; whether none of its lanterns sees it; and whether it
    spills. front: the nearest surface there, at inverse depth `nearness`."""
    left, most = 1.0, 0.0
    out, out_shown, out_bare, out_spills = NOTHING, -1, False, False
    s, z = front, nearness
    while s != NOTHING:
        passes, bare, shown, spills = layer_at(
            s, x, y, screen.owner, throws, places, buffers, hiders
        )
        fills = left * (1.0 - passes)
        left *= passes
        if fills > most:
            most, out, out_shown, out_bare, out_spills = fills, s, shown, bare, spills
        if left <= LEAST or not throws.clear[s]:
            break
        s, z = _next_at(x, y, triangles, screen, z, s)
    if left > most:
        return NOTHING, -1, False, False
    return out, out_shown, out_bare, out_spills


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _next_at(
    x: float, y: float, triangles: Indices, screen: ScreenArrays, behind: float, last: int
) -> tuple[int, float]:
    """The nearest surface at place (x, y) behind surface `last`, whose inverse depth is `behind`,
    and its inverse depth; NOTHING where there is none. Of coplanar ones the later is in front, as
    everywhere."""
    nearest, out = 0.0, NOTHING
    for i in triangles:
        s = screen.surface[i]
        if s == last:
            continue
        least = 1.0
        for k in range(3):
            e = screen.edges[i, k]
            least = min(least, e[0] * x + e[1] * y + e[2] + SLACK)
        if least <= 0.0:
            continue
        a = screen.inverse_depth[s]
        z = a[0] * x + a[1] * y + a[2]
        farther = z < behind * COPLANAR or (z * COPLANAR <= behind and s < last)
        ahead = z * COPLANAR > nearest or (z > nearest * COPLANAR and s > out)
        if farther and ahead:
            nearest, out = z, s
    return out, nearest
