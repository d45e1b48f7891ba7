"""What a lantern sees first: whether a place is hidden from it, and by what."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import carray, njit, types
from numba.extending import intrinsic

from ..arrays import Floats
from .throws import Sights

HIDDEN = 1.0 + 1e-6  # so much nearer than a place, by inverse depth, something must be to hide it
SAME_PLANE = 1e-6


@intrinsic
def pointer(typing_context: Any, address: Any) -> Any:
    """An address, int64, as a pointer that `carray` takes."""

    def generate(context: Any, b: Any, sig: Any, args: Any) -> Any:
        return b.inttoptr(args[0], context.get_value_type(types.voidptr))

    return types.voidptr(types.int64), generate


@njit(cache=True, nogil=True, error_model="numpy")
def _sees(
    sights: Sights, k: int, row: int, column: int, x: float, y: float, far: float, plane: Floats
) -> bool:
    """Whether nothing lies before a place at one of a lantern's own pixels. (x, y): where the place
    is in that lantern's sight. far: its depth before the lantern. plane: (4,) that it lies in."""
    wide, high = sights.size[k, 0], sights.size[k, 1]
    surfaces = carray(pointer(sights.address[k]), (high, wide), np.int32)
    s = surfaces[min(max(row, 0), high - 1), min(max(column, 0), wide - 1)]
    if s < 0:
        return True
    z = sights.depth[sights.first[k] + s]
    if (z[0] * x + z[1] * y + z[2]) * far <= HIDDEN:
        return True
    other = sights.plane[sights.first[k] + s]
    apart, large = 0.0, 1.0
    for i in range(4):
        apart = max(apart, abs(plane[i] - other[i]))
        large = max(large, abs(plane[i]))
    # a plane that both show is one place, whatever rounding says
    return apart < SAME_PLANE * large


@njit(cache=True, nogil=True, error_model="numpy")
def hidden(sights: Sights, k: int, u: float, v: float, far: float, plane: Floats) -> bool:
    """Whether a lantern sees something before a place, at (u, v) in its plate: at all four of its
    own pixels round it, for at one alone there may be a silhouette that it lies beside."""
    x, y = u * sights.scale[k, 0], v * sights.scale[k, 1]
    column, row = int(np.floor(x - 0.5)), int(np.floor(y - 0.5))
    for dy in range(2):
        for dx in range(2):
            if _sees(sights, k, row + dy, column + dx, x, y, far, plane):
                return False
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def hider(sights: Sights, k: int, u: float, v: float) -> int:
    """What a lantern sees at a place in its plate: which target, -1 for none."""
    wide, high = sights.size[k, 0], sights.size[k, 1]
    surfaces = carray(pointer(sights.address[k]), (high, wide), np.int32)
    column = min(max(int(u * sights.scale[k, 0]), 0), wide - 1)
    row = min(max(int(v * sights.scale[k, 1]), 0), high - 1)
    s = surfaces[row, column]
    return -1 if s < 0 else sights.target[sights.first[k] + s]


@njit(cache=True, nogil=True, error_model="numpy")
def unhidden(sights: Sights, k: int, u: float, v: float, far: float, plane: Floats) -> float:
    """How much of a place a lantern sees, 0 to 1: all of it within a pixel of one where it is the
    nearest, so that at the lens the plate itself comes back, and nothing half a pixel on."""
    x, y = u * sights.scale[k, 0], v * sights.scale[k, 1]
    column, row = int(np.floor(x)), int(np.floor(y))
    most = 0.0
    for dy in range(-1, 2):
        near_y = min(max((1.5 - abs(y - (row + dy + 0.5))) * 2.0, 0.0), 1.0)
        for dx in range(-1, 2):
            near = near_y * min(max((1.5 - abs(x - (column + dx + 0.5))) * 2.0, 0.0), 1.0)
            if near > most and _sees(sights, k, row + dy, column + dx, x, y, far, plane):
                most = near
    return most
