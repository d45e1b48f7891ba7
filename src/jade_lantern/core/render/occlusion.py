"""Whether a point is hidden from a lantern, and by what: lookups in its visibility buffer."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import carray, njit, types
from numba.extending import intrinsic

from ..arrays import Floats
from .throws import Buffers

HIDDEN = 1.0 + 1e-6  # ratio of inverse depths above which a surface hides what is behind it
SAME_PLANE = 1e-6  # planes that differ by less, relative to their offset, are one plane


@intrinsic
def pointer(typing_context: Any, address: Any) -> Any:
    """An address, int64, as a pointer that `carray` takes."""

    def generate(context: Any, b: Any, sig: Any, args: Any) -> Any:
        return b.inttoptr(args[0], context.get_value_type(types.voidptr))

    return types.voidptr(types.int64), generate


@njit(cache=True, nogil=True, error_model="numpy")
def _sees(
    buffers: Buffers,
    k: int,
    row: int,
    column: int,
    x: float,
    y: float,
    far: float,
    plane: Floats,
) -> bool:
    """Whether a point is not behind the surface at one pixel of a lantern's buffer. (x, y): the
    point in buffer pixels. far: its depth before the lantern. plane: (4,) the one it lies in."""
    wide, high = buffers.size[k, 0], buffers.size[k, 1]
    surfaces = carray(pointer(buffers.address[k]), (high, wide), np.int32)
    s = surfaces[min(max(row, 0), high - 1), min(max(column, 0), wide - 1)]
    if s < 0:
        return True
    z = buffers.depth[buffers.first[k] + s]
    if (z[0] * x + z[1] * y + z[2]) * far <= HIDDEN:
        return True
    other = buffers.plane[buffers.first[k] + s]
    apart, large = 0.0, 1.0
    for i in range(4):
        apart = max(apart, abs(plane[i] - other[i]))
        large = max(large, abs(plane[i]))
    # coplanar surfaces never hide each other, however their depths are rounded
    return apart < SAME_PLANE * large


@njit(cache=True, nogil=True, error_model="numpy")
def unhidden(buffers: Buffers, k: int, u: float, v: float, far: float, plane: Floats) -> float:
    """The share of a point that a lantern lights, 0 to 1: 1 within one buffer pixel of a place
    where the point is visible, falling to 0 half a pixel further. The full pixel makes the plate
    come back exactly when seen from the lens; the ramp softens the shadow's edge."""
    x, y = u * buffers.scale[k, 0], v * buffers.scale[k, 1]
    column, row = int(np.floor(x)), int(np.floor(y))
    most = 0.0
    for dy in range(-1, 2):
        near_y = min(max((1.5 - abs(y - (row + dy + 0.5))) * 2.0, 0.0), 1.0)
        for dx in range(-1, 2):
            near = near_y * min(max((1.5 - abs(x - (column + dx + 0.5))) * 2.0, 0.0), 1.0)
            if near > most and _sees(buffers, k, row + dy, column + dx, x, y, far, plane):
                most = near
    return most
