"""Where a plate is known to be wholly clear, so that nothing has to be looked up there."""

from __future__ import annotations

import numpy as np
from numba import carray, njit

from ..arrays import Floats, Indices
from .lookup import MIRROR, Nine, footprint_of, nine, share_of
from .occlusion import pointer
from .pyramid import CELL
from .reach import WHOLE
from .throws import PlateRecord, Plates

FARTHEST = 6.0  # plate px; a longer footprint could reach past the cells around its own


@njit(cache=True, nogil=True, inline="always")
def _cell(u: float, count: int) -> int:
    """The cell, of `count`, that a plate coordinate is in; past the edge the last one."""
    return min(int(max(u, 0.0)) // CELL, count - 1)


@njit(cache=True, nogil=True, error_model="numpy")
def _is_empty(plate: PlateRecord, h: Nine, x: float, y: float, side: int) -> bool:
    """Whether a block of side x side shot pixels with its first centre at (x, y) lies inside a
    plate where that is wholly clear. A homography maps the block to a convex quadrilateral."""
    if plate.empty == 0 and plate.strength > 0.0:
        return False
    left, top, right, bottom = np.inf, np.inf, -np.inf, -np.inf
    for corner in range(4):
        px, py = x + (corner % 2) * (side - 1), y + (corner // 2) * (side - 1)
        if share_of(h, px, py, plate.right, plate.bottom, plate.edge) < WHOLE:
            return False
        w = h[6] * px + h[7] * py + h[8]
        u, v = (h[0] * px + h[1] * py + h[2]) / w, (h[3] * px + h[4] * py + h[5]) / w
        left, right, top, bottom = min(left, u), max(right, u), min(top, v), max(bottom, v)
        if footprint_of(h, px, py)[2] > FARTHEST * FARTHEST:
            return False
    if plate.strength <= 0.0:
        return True
    if plate.edge == MIRROR and (
        left < 0.0 or top < 0.0 or right > plate.right or bottom > plate.bottom
    ):
        return False
    wide, high = plate.empty_wide, plate.empty_high
    cells = carray(pointer(plate.empty), (high, wide), np.uint8)
    for r in range(_cell(top, high), _cell(bottom, high) + 1):
        for c in range(_cell(left, wide), _cell(right, wide) + 1):
            if cells[r, c] == 0:
                return False
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def all_empty(
    first: Indices, lantern: Indices, mapping: Floats, plates: Plates, s: int, x: int, y: int, side:
    int,
) -> bool:  # fmt: skip
    """Whether a block of side x side pixels from (x, y) on is wholly clear in the pictures of all
    lanterns of a surface, so that it needs no lookup."""
    begin, end = first[s], first[s + 1]
    for t in range(begin, end):
        if not _is_empty(plates[lantern[t]], nine(mapping, t), x + 0.5, y + 0.5, side):
            return False
    return end > begin
