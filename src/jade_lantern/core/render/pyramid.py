"""A plate made ready to be sampled: a stack of ever smaller copies, half an octave apart.

A shot pixel that covers many plate pixels is looked up in copies whose pixels are about its own
size, blended from one to the next, so that a few bicubic lookups are also the prefilter (after
Williams 1983 and Heckbert 1989).

Pixels are kept in one of three kinds: eight bit without alpha, sixteen bit and floating point,
both premultiplied by their alpha. What is mixed is kept in the deepest kind of all.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..arrays import Bytes
from ..picture.eight import white_of

PAD = 4  # pixels of the edge repeated round each level, so that no tap falls outside
STEPS_PER_OCTAVE = 2
MOST_LEVELS = 17
CELL = 16  # plate px a side, of the cells by which it is known where a plate is wholly clear

Depth = Literal["eight", "sixteen", "float"]
DEPTHS: tuple[Depth, ...] = ("eight", "sixteen", "float")
WHITE: dict[Depth, float] = {"eight": 255.0, "sixteen": 65535.0, "float": 1.0}
Picture = NDArray[Any]  # (H, W, 3 or 4) uint8, uint16 or float32, its alpha not multiplied in


@dataclass(frozen=True)
class Pyramid:
    """pixels: flat, in RGBA: one uint32 a pixel where depth is eight, red in its low byte; else
    (N, 4). Each level: where it starts, its row length, and the scales from plate pixels. empty:
    (h, w) not 0 for cells of CELL pixels a side that are wholly clear, as are those around them;
    None for an opaque plate."""

    depth: Depth
    pixels: NDArray[Any]
    start: NDArray[np.int64]
    stride: NDArray[np.int64]
    scale: NDArray[np.float64]  # (levels, 2)
    width: int
    height: int
    empty: Bytes | None = None


def depth_of(picture: Picture) -> Depth:
    """The least kind that keeps a picture as it is."""
    if picture.dtype == np.uint8:
        return "sixteen" if picture.shape[2] == 4 else "eight"
    return "sixteen" if picture.dtype == np.uint16 else "float"


def deepest(pictures: list[Picture]) -> Depth:
    return max((depth_of(p) for p in pictures), key=DEPTHS.index, default="eight")


def pyramid(picture: Picture, depth: Depth | None = None) -> Pyramid:
    """picture: (H, W, 3 or 4). depth: the kind to keep it in, at least its own."""
    depth = depth or depth_of(picture)
    height, width = picture.shape[:2]
    whole = picture if depth == "eight" else premultiplied(picture, depth)
    levels, scales, copies = [], [], [whole]
    for step in range(MOST_LEVELS):
        s = 2.0 ** (-step / STEPS_PER_OCTAVE)
        w, h = max(round(width * s), 1), max(round(height * s), 1)
        if step:
            copies.append(_smaller(copies[max(step - STEPS_PER_OCTAVE, 0)], (w, h), step))
        level = copies[step]
        padded = cv2.copyMakeBorder(level, PAD, PAD, PAD, PAD, cv2.BORDER_REPLICATE)
        levels.append(_packed(padded) if depth == "eight" else padded.reshape(-1, 4))
        scales.append((w / width, h / height, padded.shape[1]))
        if min(w, h) <= 4:
            break
    sizes = [len(level) for level in levels]
    return Pyramid(
        depth,
        np.concatenate(levels),
        np.cumsum([0, *sizes[:-1]]).astype(np.int64),
        np.array([s[2] for s in scales], np.int64),
        np.array([s[:2] for s in scales]),
        width,
        height,
        _empty_cells(picture),
    )


def _smaller(larger: Picture, size: tuple[int, int], step: int) -> Picture:
    """The next copy, of the one an octave larger; the first, of the plate itself.

    Linear interpolation at half the size is the mean of four pixels. At 0.71 of it, it weights
    pixels by a triangle, which lets as much through at the copy's finest detail as their mean over
    its pixel does (0.65 against 0.64), in a fifth of the time. Halves are rounded up in one octave
    and down in the next, so that copies do not grow brighter by being made of copies.
    """
    down = larger.dtype == np.uint8 and step // STEPS_PER_OCTAVE % 2 == 0
    given = np.invert(larger) if down else larger
    out = np.asarray(cv2.resize(given, size, interpolation=cv2.INTER_LINEAR))
    return np.invert(out) if down else out


def _empty_cells(picture: Picture) -> Bytes | None:
    """The cells of a picture in which, and around which, every pixel is clear: a lookup that
    reaches less than a cell past its own finds nothing. None where every pixel is opaque."""
    if picture.shape[2] < 4 or picture[..., 3].min() >= white_of(picture.dtype):
        return None
    there = (picture[..., 3] > 0).astype(np.uint8)
    height, width = there.shape
    there = np.pad(there, ((0, -height % CELL), (0, -width % CELL)))
    cells = there.reshape(len(there) // CELL, CELL, -1, CELL).max(axis=(1, 3))
    return 1 - cv2.dilate(cells, np.ones((3, 3), np.uint8))


def _packed(picture: NDArray[np.uint8]) -> NDArray[np.uint32]:
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2RGBA), np.uint8).view(np.uint32).ravel()


def premultiplied(picture: Picture, depth: Depth) -> Picture:
    """(H, W, 4) with its alpha multiplied in, uint16 or float32."""
    height, width = picture.shape[:2]
    kind = np.uint16 if depth == "sixteen" else np.float32
    out = np.empty((height, width, 4), kind)
    for top in range(0, height, 256):  # in strips, so that a large one costs little beside itself
        part = picture[top : top + 256].astype(np.float32) / np.float32(white_of(picture.dtype))
        alpha = part[..., 3:] if picture.shape[2] == 4 else np.ones_like(part[..., :1])
        mixed = np.concatenate([part[..., :3] * alpha, alpha], axis=2)
        if depth == "sixteen":
            mixed = mixed.clip(0, 1) * np.float32(65535) + np.float32(0.5)
        out[top : top + 256] = mixed.astype(kind)
    return out
