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
STRIP = 64  # rows worked on at once, so that a large picture costs little beside itself
CELL = 16  # plate px a side, of the cells by which it is known where a plate is wholly clear

Depth = Literal["eight", "sixteen", "float"]
DEPTHS: tuple[Depth, ...] = ("eight", "sixteen", "float")
WHITE: dict[Depth, float] = {"eight": 255.0, "sixteen": 65535.0, "float": 1.0}
KINDS: dict[Depth, type] = {"eight": np.uint8, "sixteen": np.uint16, "float": np.float32}
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
    sizes = _sizes(width, height)
    count = [(w + 2 * PAD) * (h + 2 * PAD) for w, h in sizes]
    starts = np.cumsum([0, *count]).astype(np.int64)
    # each copy is made where it stays: fresh memory costs more than the copies do
    pixels = np.empty((starts[-1], 4), KINDS[depth])
    copies: list[Picture] = []
    for step, (w, h) in enumerate(sizes):
        padded = pixels[starts[step] : starts[step + 1]].reshape(h + 2 * PAD, w + 2 * PAD, 4)
        level = padded[PAD:-PAD, PAD:-PAD]
        if step < STEPS_PER_OCTAVE and depth == "eight":
            # of three channels: that takes 0.7 of the time that four do
            copy = cv2.resize(picture, (w, h)) if step else picture
            cv2.cvtColor(copy, cv2.COLOR_RGB2RGBA, dst=level)
        elif step:
            _shrink(copies[max(step - STEPS_PER_OCTAVE, 0)], level, step)
        else:
            _premultiply(picture, level)
        padded[:PAD, PAD:-PAD], padded[-PAD:, PAD:-PAD] = level[:1], level[-1:]
        padded[:, :PAD], padded[:, -PAD:] = padded[:, PAD : PAD + 1], padded[:, -PAD - 1 : -PAD]
        copies.append(level)
    return Pyramid(
        depth,
        pixels.view(np.uint32).ravel() if depth == "eight" else pixels,
        starts[:-1],
        np.array([w + 2 * PAD for w, _ in sizes], np.int64),
        np.array([(w / width, h / height) for w, h in sizes]),
        width,
        height,
        _empty_cells(picture),
    )


def _sizes(width: int, height: int) -> list[tuple[int, int]]:
    """Width and height of the plate and its copies."""
    sizes = []
    for step in range(MOST_LEVELS):
        s = 2.0 ** (-step / STEPS_PER_OCTAVE)
        sizes.append((max(round(width * s), 1), max(round(height * s), 1)))
        if min(sizes[-1]) <= 4:
            break
    return sizes


def _shrink(larger: Picture, out: Picture, step: int) -> None:
    """Makes the next copy, of the one an octave larger; the first, of the plate itself.

    Linear interpolation at half the size is the mean of four pixels. At 0.71 of it, it weights
    pixels by a triangle, which lets as much through at the copy's finest detail as their mean over
    its pixel does (0.65 against 0.64), in a fifth of the time. Halves are rounded up in one octave
    and down in the next, so that copies do not grow brighter by being made of copies.
    """
    down = larger.dtype == np.uint8 and step // STEPS_PER_OCTAVE % 2 == 0
    given = np.invert(larger) if down else larger
    size = (out.shape[1], out.shape[0])
    cv2.resize(given, size, dst=out, interpolation=cv2.INTER_LINEAR)
    if down:
        np.invert(out, out=out)


def _empty_cells(picture: Picture) -> Bytes | None:
    """The cells of a picture in which, and around which, every pixel is clear: a lookup that
    reaches less than a cell past its own finds nothing. None where every pixel is opaque."""
    if picture.shape[2] < 4:
        return None
    alpha = np.asarray(cv2.extractChannel(picture, 3))
    if alpha.min() >= white_of(picture.dtype):
        return None
    there = (alpha > 0).astype(np.uint8)
    height, width = there.shape
    there = np.pad(there, ((0, -height % CELL), (0, -width % CELL)))
    # rows first: whole rows are compared at once
    rows = there.reshape(len(there) // CELL, CELL, -1).max(axis=1)
    cells = rows.reshape(len(rows), -1, CELL).max(axis=2)
    return 1 - cv2.dilate(cells, np.ones((3, 3), np.uint8))


def _premultiply(picture: Picture, out: Picture) -> None:
    """A picture (H, W, 3 or 4) into (H, W, 4) with its alpha multiplied in, uint16 or float32."""
    white, full = white_of(picture.dtype), white_of(out.dtype)
    opaque = picture.shape[2] == 3
    for top in range(0, len(picture), STRIP):
        part, into = picture[top : top + STRIP], out[top : top + STRIP]
        if opaque:
            part = cv2.cvtColor(part, cv2.COLOR_RGB2RGBA)
            np.multiply(part, out.dtype.type(full / white), out=into)
            continue
        # of one type beforehand: OpenCV multiplies two types into a third five times more slowly
        part = part.astype(out.dtype, copy=False)
        alpha = cv2.extractChannel(part, 3)
        weights = cv2.merge([alpha, alpha, alpha, np.full_like(alpha, white)])
        cv2.multiply(part, weights, dst=into, scale=full / white**2)
