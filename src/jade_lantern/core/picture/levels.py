"""A picture in ever smaller levels, and cut into tiles, so that a large one can be looked at by
the parts and at the sharpness that are on screen."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]

TILE = 512
APRON = 2  # pixels round a tile that its neighbours have too, for what is looked up between pixels


def level_sizes(width: int, height: int) -> list[tuple[int, int]]:
    """Width and height of each level: first the picture's own, then half of the one before,
    rounded up, down to one that fits in a tile."""
    sizes = [(width, height)]
    while max(sizes[-1]) > TILE:
        w, h = sizes[-1]
        sizes.append(((w + 1) // 2, (h + 1) // 2))
    return sizes


def smaller(picture: Pixels, size: tuple[int, int]) -> Pixels:
    """A picture (H, W, 3) at a smaller width and height, each pixel the mean of what it covers."""
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)


def tile_of(level: Pixels, x: int, y: int) -> Pixels | None:
    """The tile of a level in a column and a row, with its apron as far as the picture goes; None
    where there is none."""
    height, width = level.shape[:2]
    left, top = x * TILE, y * TILE
    if not (0 <= left < width and 0 <= top < height):
        return None
    rows = slice(max(top - APRON, 0), top + TILE + APRON)
    columns = slice(max(left - APRON, 0), left + TILE + APRON)
    return level[rows, columns]
