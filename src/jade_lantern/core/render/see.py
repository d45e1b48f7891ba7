"""Visibility buffers: the nearest surface at each pixel of a camera, and its exact depth."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..arrays import Floats, Indices, Indices32
from ..camera import Camera
from ..mesh import Triangles
from ..threads import in_threads
from .screen import TILE, Planes, Screen, ScreenArrays, screen
from .tile import NOTHING, SIDE, by_depth, front_of_tile, see_tile, see_tile_behind


@dataclass(frozen=True)
class Seen:
    """A visibility buffer. surface: (H, W) index into the surfaces of `screen`, -1 for none."""

    surface: Indices32
    screen: Screen

    @property
    def owner(self) -> Indices:
        """(H, W) index of the mesh that is seen, -1 for none."""
        if not len(self.screen.owner):
            return np.full(self.surface.shape, NOTHING, np.int64)
        return np.where(self.surface >= 0, self.screen.owner[self.surface], NOTHING)

    def inverse_depth_at(self, surface: Indices, pixels: Floats) -> Floats:
        """(N,) one over the depth of surfaces (N,) at pixels (N, 2). Exact: the inverse depth of a
        plane is linear in the pixel."""
        a = self.screen.inverse_depth[surface]
        out: Floats = a[:, 0] * pixels[:, 0] + a[:, 1] * pixels[:, 1] + a[:, 2]
        return out


def see(triangles: Triangles, camera: Camera, near_m: float, planes: Planes | None = None) -> Seen:
    """The visibility buffer of triangles. What is nearer than near_m along the axis is clipped.
    planes: the triangles', where they are known already."""
    set_up = screen(triangles, camera, near_m, planes)
    return Seen(seen_in(set_up, camera.width, camera.height), set_up)


def seen_in(set_up: Screen, width: int, height: int) -> Indices32:
    """(H, W) the nearest of triangles that are set up for a view of that size, -1 for none."""
    surface = np.full((height, width), NOTHING, np.int32)
    if len(set_up.surface):
        in_threads(
            set_up.across * set_up.down,
            lambda begin, end: _see_tiles(
                set_up.edges, set_up.box, set_up.surface, set_up.inverse_depth, set_up.bin_start,
                set_up.bin_triangles, set_up.across, begin, end, surface,
            ),
        )  # fmt: skip
    return surface


def behind(seen: Seen) -> Seen:
    """What is next behind the surfaces of a visibility buffer at each pixel."""
    surface = np.full(seen.surface.shape, NOTHING, np.int32)
    arrays = seen.screen.arrays
    in_threads(
        arrays.across * arrays.down,
        lambda begin, end: _see_tiles_behind(arrays, seen.surface, begin, end, surface),
    )
    return Seen(surface, seen.screen)


@njit(cache=True, nogil=True, error_model="numpy")
def _see_tiles_behind(
    screen: ScreenArrays, before: Indices32, begin: int, end: int, out: Indices32
) -> None:
    """Fill the tiles from begin to end of a visibility buffer (H, W) with what is behind `before`,
    counted row by row."""
    height, width = out.shape
    inverse_depth, eldest = screen.inverse_depth, screen.eldest
    for tile in range(begin, end):
        tx, ty = tile % screen.across, tile // screen.across
        y0, x0 = ty * TILE, tx * TILE
        rows, columns = min(TILE, height - y0), min(TILE, width - x0)
        limit, tie = np.zeros((SIDE, SIDE)), np.zeros((SIDE, SIDE), np.int32)
        for r in range(rows):
            for c in range(columns):
                s = before[y0 + r, x0 + c]
                if s != NOTHING:
                    z, x, y = inverse_depth[s], x0 + c + 0.5, y0 + r + 0.5
                    limit[r + 1, c + 1] = z[0] * x + z[1] * y + z[2]
                    tie[r + 1, c + 1] = eldest[s]
        seen, depth = np.empty((SIDE, SIDE), np.int32), np.empty((SIDE, SIDE))
        mine = screen.bin_triangles[screen.bin_start[tile] : screen.bin_start[tile + 1]]
        ordered, near, far = by_depth(tx, ty, screen.surface, inverse_depth, mine)
        see_tile_behind(
            tx, ty, screen.edges, screen.box, screen.surface, inverse_depth, ordered, near, far,
            limit, tie, seen, depth,
        )  # fmt: skip
        for r in range(rows):
            for c in range(columns):
                out[y0 + r, x0 + c] = seen[r + 1, c + 1]


@njit(cache=True, nogil=True)
def _see_tiles(
    edges: Floats, box: Floats, surface: Indices, inverse_depth: Floats, start: Indices,
    triangles: Indices, across: int, begin: int, end: int, out: Indices32,
) -> None:  # fmt: skip
    """Fill the tiles of a visibility buffer (H, W) from begin to end, counted row by row."""
    height, width = out.shape
    for tile in range(begin, end):
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
