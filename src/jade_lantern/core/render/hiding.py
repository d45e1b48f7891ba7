"""How much of each mesh the others hide, seen from a camera."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numba import njit

from ..arrays import Floats
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from .screen import TILE, ScreenArrays, screen
from .tile import SIDE, see_tile

COUNTED_AT = 1920  # px, the width at which hidden pixels are counted
PLACES = ((-0.375, 0.125), (-0.125, -0.375), (0.125, 0.375), (0.375, -0.125))
LEAST = 3  # px; meshes that overlap by less only touch
APART = 0.002  # relative distance below which one surface lies on another and does not hide it


def hidden_counts(meshes: list[Mesh], lantern: Camera, width: int = COUNTED_AT) -> Floats:
    """(N, N) how many pixels of mesh j mesh i hides, in the lantern's view at a width. Parts of
    pixels count: each is looked at in four places, no two of them in one row or column."""
    out = np.zeros((len(meshes), len(meshes)))
    if not meshes:
        return out
    camera, whole = lantern.at_width(width), joined(meshes)
    for x, y in PLACES:
        moved = replace(camera, cx=camera.cx + x, cy=camera.cy + y)
        set_up = screen(whole, moved, NEAREST * world_size(lantern)).arrays
        if len(set_up.surface):
            _count_hidden(set_up, camera.height, camera.width, out)
    out /= len(PLACES)
    out[out < LEAST] = 0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _count_hidden(set_up: ScreenArrays, height: int, width: int, out: Floats) -> None:
    """Add to out (N, N), by mesh in front and mesh behind, the pixels that both cover at
    their centres.
    Each mesh of a tile is rasterised into a depth layer of its own, and the layers are compared."""
    seen, depth = np.empty((SIDE, SIDE), np.int32), np.empty((SIDE, SIDE))
    for tile in range(set_up.across * set_up.down):
        mine = set_up.bin_triangles[set_up.bin_start[tile] : set_up.bin_start[tile + 1]]
        if len(mine) == 0:
            continue
        tx, ty = tile % set_up.across, tile // set_up.across
        whose = set_up.owner[set_up.surface[mine]]
        mine = mine[np.argsort(whose, kind="mergesort")]
        whose = set_up.owner[set_up.surface[mine]]
        starts = np.nonzero(np.append(np.array([-1]), whose[:-1]) != whose)[0]
        layers = np.empty((len(starts), SIDE, SIDE))
        for k in range(len(starts)):
            end = starts[k + 1] if k + 1 < len(starts) else len(mine)
            see_tile(
                tx, ty, set_up.edges, set_up.box, set_up.surface, set_up.inverse_depth,
                mine[starts[k] : end], seen, depth,
            )  # fmt: skip
            layers[k] = depth
        for r in range(1, min(TILE, height - ty * TILE) + 1):
            for c in range(1, min(TILE, width - tx * TILE) + 1):
                for i in range(len(starts)):
                    if layers[i, r, c] <= 0.0:
                        continue
                    for j in range(len(starts)):
                        behind = layers[j, r, c]
                        if behind > 0.0 and behind * (1 + APART) < layers[i, r, c]:
                            out[whose[starts[i]], whose[starts[j]]] += 1
