"""What a camera sees, of use by itself: for each pixel the nearest surface and its depth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit, prange

from ..arrays import Floats, Indices, Indices32
from ..camera import Camera
from .tile import NOTHING, SIDE, front_of_tile, see_tile
from .visibility import TILE, Screen, screen


@dataclass(frozen=True)
class Seen:
    """surface: (H, W) index into the screen's surfaces, -1 for none. screen: those surfaces."""

    surface: Indices32
    screen: Screen

    @property
    def owner(self) -> Indices:
        """(H, W) which mesh is seen, -1 for none."""
        if not len(self.screen.owner):
            return np.full(self.surface.shape, NOTHING, np.int64)
        return np.where(self.surface >= 0, self.screen.owner[self.surface], NOTHING)

    def inverse_depth_at(self, surface: Indices, pixels: Floats) -> Floats:
        """One over the depth (N,) at which surfaces (N,) are met at pixels (N, 2): exact, for a
        plane's inverse depth is linear in the pixel."""
        a = self.screen.inverse_depth[surface]
        out: Floats = a[:, 0] * pixels[:, 0] + a[:, 1] * pixels[:, 1] + a[:, 2]
        return out


def see(
    corners: Floats, owner: Indices, camera: Camera, near_m: float, apart: Indices | None = None
) -> Seen:
    """corners: (M, 3, 3) world triangles. owner: (M,) which mesh each belongs to. What is nearer
    than near_m along the axis is cut away. apart: as for `screen`."""
    surface = np.full((camera.height, camera.width), NOTHING, np.int32)
    laid = screen(corners, owner, camera, near_m, apart)
    if len(laid.surface):
        _see_all(
            laid.edges, laid.box, laid.surface, laid.inverse_depth, laid.bin_start,
            laid.bin_triangles, laid.across, laid.down, surface,
        )  # fmt: skip
    return Seen(surface, laid)


@njit(cache=True, nogil=True, parallel=True)
def _see_all(
    edges: Floats, box: Floats, surface: Indices, inverse_depth: Floats, start: Indices,
    triangles: Indices, across: int, down: int, out: Indices32,
) -> None:  # fmt: skip
    height, width = out.shape
    for tile in prange(across * down):
        tx, ty = tile % across, tile // across
        seen = np.empty((SIDE, SIDE), np.int32)
        depth = np.empty((SIDE, SIDE))
        mine = triangles[start[tile] : start[tile + 1]]
        front = front_of_tile(tx, ty, edges, surface, inverse_depth, mine)
        if front != NOTHING:
            out[ty * TILE : (ty + 1) * TILE, tx * TILE : (tx + 1) * TILE] = front
            continue
        see_tile(tx, ty, edges, box, surface, inverse_depth, mine, seen, depth)
        rows = min(TILE, height - ty * TILE)
        columns = min(TILE, width - tx * TILE)
        for r in range(rows):
            for c in range(columns):
                out[ty * TILE + r, tx * TILE + c] = seen[r + 1, c + 1]
