"""What reaches a surface at a shot pixel: its inverse depth there, and a lantern's share."""

from __future__ import annotations

from numba import njit

from ..arrays import Floats
from .lookup import Nine, share_of
from .occlusion import unhidden
from .throws import Buffers, PlateRecord

FULL = 1.0 - 1e-6  # alpha from which nothing behind counts
WHOLE = 1.0 - 1e-6  # share of a pixel inside the plate from which it counts as all of it


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def inverse_at(inverse_depth: Floats, s: int, x: float, y: float) -> float:
    return inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def reach(
    plate: PlateRecord, buffers: Buffers, k: int, h: Nine, x: float, y: float, inverse: float,
    plane: Floats,
) -> float:  # fmt: skip
    """The share, 0 to 1, of a shot pixel at (x, y) that a lantern reaches: how much of it lies
    inside the plate and is not hidden from the lantern.

    inverse: one over the depth of the surface before the shot camera. plane: (4,) the surface's.
    """
    share = share_of(h, x, y, plate.right, plate.bottom, plate.edge)
    if share > 0.0 and buffers.address[k] != 0:
        w = h[6] * x + h[7] * y + h[8]
        u = (h[0] * x + h[1] * y + h[2]) / w
        v = (h[3] * x + h[4] * y + h[5]) / w
        share *= unhidden(buffers, k, u, v, w / inverse, plane)
    return share
