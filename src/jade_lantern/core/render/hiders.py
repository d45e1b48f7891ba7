"""Whether a point is hidden from a lantern, and by what, exactly: for maps, whose slits are
narrower than a pixel of a visibility buffer; and where something thin hides, whose shadow could
pass between the pixels of a small frame."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import carray, njit

from ..arrays import Floats, Indices, Indices32
from .land import Cast
from .occlusion import HIDDEN, SAME_PLANE, pointer
from .screen import binned_by
from .throws import Buffers

# px of a buffer by which a point has to lie inside a triangle that hides it: more than rounding,
# so that from the lens itself nothing is hidden at an edge
INSIDE = 1e-6
CELL = 16  # px of a buffer, the side of a cell whose triangles are asked
THIN = 9  # px of a buffer that something is narrower than which may pass between a frame's pixels
BEFORE = 1.02  # ratio of inverse depths above which one thing stands apart before another


class Hiders(NamedTuple):
    """The triangles that lanterns see, all lanterns' one after another.

    edges: (T, 3, 3) and box: (T, 4) as in `Screen`, in buffer pixels. surface: (T,) as `Buffers`
    counts them. first_cell: (L,) where a lantern's cells begin in cell_start; across: (L,) cells in
    a row. cell_start: where each cell's part of cell_triangles begins. thin: (L,) address of
    (h + 1, w + 1) sums, over all above and to the left, of the buffer's pixels that show something
    narrower than THIN before something else; 0 where there is none.
    """

    edges: Floats
    box: Floats
    surface: Indices
    first_cell: Indices
    across: Indices
    cell_start: Indices
    cell_triangles: Indices
    thin: Indices


def hiders(cast: Cast) -> tuple[Hiders, list[Indices32]]:
    """The triangles that a cast's lanterns see, and what `thin` has addresses of."""
    edges, box = [np.zeros((0, 3, 3))], [np.zeros((0, 4))]
    surface, start, binned = ([np.zeros(0, np.int64)] for _ in range(3))
    first_cell, across = np.zeros((2, len(cast.visibility)), np.int64)
    thin, alive = np.zeros(len(cast.visibility), np.int64), []
    triangles = entries = cells = 0
    for k, one in enumerate(cast.visibility):
        if one is None:
            continue
        seen = one.screen
        high, wide = one.surface.shape
        first_cell[k], across[k] = cells, -(-wide // CELL)
        begins, mine = binned_by(seen.edges, seen.box, int(across[k]), -(-high // CELL), CELL)
        edges.append(seen.edges)
        box.append(seen.box)
        surface.append(seen.surface + cast.buffers.first[k])
        start.append(begins + entries)
        binned.append(mine + triangles)
        triangles += len(seen.edges)
        entries += len(mine)
        cells += len(begins)
        sums = _thin_sums(one.surface, seen.inverse_depth)
        if sums[-1, -1]:
            thin[k] = sums.ctypes.data
            alive.append(sums)
    return Hiders(
        np.concatenate(edges), np.concatenate(box), np.concatenate(surface), first_cell, across,
        np.concatenate(start), np.concatenate(binned), thin,
    ), alive  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _thin_sums(surface: Indices32, depth: Floats) -> Indices32:
    """The sums of `Hiders.thin` of a buffer (h, w), whose surfaces have inverse depths (S, 3)."""
    high, wide = surface.shape
    thin = np.zeros((high, wide), np.bool_)
    for turned in range(2):
        length, many = (high, wide) if turned else (wide, high)
        for line in range(many):
            begin = -1  # where something nearer than what is before it begins
            for i in range(1, length):
                r, c = (i, line) if turned else (line, i)
                a = surface[r - turned, c - 1 + turned]
                b = surface[r, c]
                if a == b:
                    continue
                x, y = c + 0.5 * turned, r + 0.5 * (1 - turned)
                za = zb = 0.0
                if a >= 0:
                    za = depth[a, 0] * x + depth[a, 1] * y + depth[a, 2]
                if b >= 0:
                    zb = depth[b, 0] * x + depth[b, 1] * y + depth[b, 2]
                if zb > za * BEFORE:
                    begin = i
                elif za > zb * BEFORE:
                    if begin >= 0 and i - begin < THIN:
                        for j in range(begin, i):
                            if turned:
                                thin[j, line] = True
                            else:
                                thin[line, j] = True
                    begin = -1
    out = np.zeros((high + 1, wide + 1), np.int32)
    for r in range(high):
        total = 0
        for c in range(wide):
            total += thin[r, c]
            out[r + 1, c + 1] = out[r, c + 1] + total
    return out


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def thin_near(
    buffers: Buffers, hiders: Hiders, k: int, u: float, v: float, reach_u: float, reach_v: float
) -> bool:
    """Whether something thin hides from lantern k anything within a box round a place in its
    plate, all px of the plate."""
    wide, high = buffers.size[k, 0], buffers.size[k, 1]
    sums = carray(pointer(hiders.thin[k]), (high + 1, wide + 1), np.int32)
    x, y = u * buffers.scale[k, 0], v * buffers.scale[k, 1]
    a, b = reach_u * buffers.scale[k, 0], reach_v * buffers.scale[k, 1]
    x0, x1 = min(max(int(x - a), 0), wide), min(max(int(x + a) + 1, 0), wide)
    y0, y1 = min(max(int(y - b), 0), high), min(max(int(y + b) + 1, 0), high)
    return sums[y1, x1] - sums[y0, x1] - sums[y1, x0] + sums[y0, x0] > 0


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def hider_of(
    buffers: Buffers, hiders: Hiders, k: int, u: float, v: float, far: float, plane: Floats
) -> int:
    """The surface, as `Buffers` counts them, that hides a point from lantern k; -1 where it is
    seen. u, v: its place in the plate, px. far: its depth before the lantern. plane: (4,) the one
    that it lies in.

    The four buffer pixels round the point are asked first. Where all of them agree, no edge passes
    between them; elsewhere the triangles are asked.
    """
    wide, high = buffers.size[k, 0], buffers.size[k, 1]
    x, y = u * buffers.scale[k, 0], v * buffers.scale[k, 1]
    surfaces = carray(pointer(buffers.address[k]), (high, wide), np.int32)
    column, row = int(np.floor(x - 0.5)), int(np.floor(y - 0.5))
    count, hider, before, first = 0, -1, -2, buffers.first[k]
    for i in range(4):
        c = min(max(column + (i & 1), 0), wide - 1)
        r = min(max(row + (i >> 1), 0), high - 1)
        s = surfaces[r, c]
        if s == before:  # mostly all four are of one surface
            count += hider >= 0
            continue
        before, hider = s, -1
        if s >= 0 and _hides(buffers, first + s, x, y, far, plane):
            hider = first + s
            count += 1
    if count == 0:
        return -1
    if count == 4:
        return hider
    return _exact_hider(buffers, hiders, k, x, y, far, plane)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _hides(buffers: Buffers, s: int, x: float, y: float, far: float, plane: Floats) -> bool:
    """Whether surface s, were it everywhere, would hide a point of a plane."""
    z = buffers.depth[s]
    if (z[0] * x + z[1] * y + z[2]) * far <= HIDDEN:
        return False
    other = buffers.plane[s]
    apart, large = 0.0, 1.0
    for i in range(4):
        apart = max(apart, abs(plane[i] - other[i]))
        large = max(large, abs(plane[i]))
    # coplanar surfaces never hide each other, however their depths are rounded
    return apart >= SAME_PLANE * large


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _exact_hider(
    buffers: Buffers, hiders: Hiders, k: int, x: float, y: float, far: float, plane: Floats
) -> int:
    """As `hider_of`, at a place in buffer pixels, by the triangles that lie there."""
    cell = hiders.first_cell[k] + int(y) // CELL * hiders.across[k] + int(x) // CELL
    nearest, out = 0.0, -1
    for j in range(hiders.cell_start[cell], hiders.cell_start[cell + 1]):
        i = hiders.cell_triangles[j]
        if (
            x < hiders.box[i, 0] or x > hiders.box[i, 2]
            or y < hiders.box[i, 1] or y > hiders.box[i, 3]
        ):  # fmt: skip
            continue
        least = 1.0
        for e in range(3):
            a = hiders.edges[i, e, 0] * x + hiders.edges[i, e, 1] * y + hiders.edges[i, e, 2]
            least = min(least, a)
        if least <= INSIDE:
            continue
        s = hiders.surface[i]
        z = buffers.depth[s, 0] * x + buffers.depth[s, 1] * y + buffers.depth[s, 2]
        if z > nearest and _hides(buffers, s, x, y, far, plane):
            nearest, out = z, s
    return out
