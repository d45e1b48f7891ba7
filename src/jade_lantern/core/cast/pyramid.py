"""A plate made ready to be sampled: a stack of ever smaller copies, half an octave apart.

A shot pixel that covers many plate pixels is looked up in the copy whose pixels are about its
own size, so that one bicubic lookup is also the prefilter (after Williams 1983, with steps fine
enough that none need be blended).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

PAD = 4  # pixels of the edge repeated round each level, so that no tap falls outside
STEPS_PER_OCTAVE = 2


@dataclass(frozen=True)
class Pyramid:
    """pixels: flat, one uint32 a pixel, red in the low byte. Each level: where it starts, its row
    length, and the scales from plate pixels to its own."""

    pixels: NDArray[np.uint32]
    start: NDArray[np.int64]
    stride: NDArray[np.int64]
    scale: NDArray[np.float64]  # (levels, 2)
    width: int
    height: int


def pyramid(picture: NDArray[np.uint8]) -> Pyramid:
    """picture: (H, W, 3) uint8."""
    height, width = picture.shape[:2]
    levels, scales = [], []
    step = 0
    while True:
        s = 2.0 ** (-step / STEPS_PER_OCTAVE)
        w, h = max(round(width * s), 1), max(round(height * s), 1)
        level = picture if step == 0 else cv2.resize(picture, (w, h), interpolation=cv2.INTER_AREA)
        padded = cv2.copyMakeBorder(level, PAD, PAD, PAD, PAD, cv2.BORDER_REPLICATE)
        levels.append(_packed(padded))
        scales.append((w / width, h / height))
        if min(w, h) <= 4 or step >= 16:
            break
        step += 1
    sizes = [level.size for level in levels]
    return Pyramid(
        np.concatenate([level.ravel() for level in levels]),
        np.cumsum([0, *sizes[:-1]]).astype(np.int64),
        np.array([level.shape[1] for level in levels], np.int64),
        np.array(scales),
        width,
        height,
    )


def _packed(picture: NDArray[np.uint8]) -> NDArray[np.uint32]:
    rgba = np.full((*picture.shape[:2], 4), 255, np.uint8)
    rgba[..., :3] = picture
    return rgba.view(np.uint32)[..., 0]
