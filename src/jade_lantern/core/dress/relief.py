"""The slopes of what lanterns throw: from its own bright and dark, a picture of heights, or one of
normals."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import cv2
import numpy as np

from ..arrays import Floats32
from ..budget import Budget
from ..cache import Cache
from ..cast.ofscene import Pixels, plate_of
from ..picture import read_deep, read_still
from ..picture.eight import white_of
from ..picture.still import MOST_PIXELS
from ..refusal import Refusal
from ..render.land import Thrower
from ..render.pyramid import Picture
from ..render.relief import Slopes
from ..scene.dressing import Relief
from ..scene.model import Lantern, Scene
from .grade import LUMA
from .pieces import Files

MOST_SIDE = 1536  # px of a picture's longer side: light needs no finer slopes
MOST_BYTES = 400 << 20  # of a picture, decoded
HIGH = 0.006  # of the longer side: how far white is above black at a depth of one
STEEPEST = 8.0
LEAST_UP = 0.05  # of a normal, towards the lantern

_slopes: Cache[tuple[object, ...], Slopes] = Cache(128 << 20, lambda s: s.nbytes)


def with_relief(
    scene: Scene, throwers: Sequence[Thrower], pixels: Pixels, files: Files
) -> list[Thrower]:  # fmt: skip
    """Throwers of a scene at a moment, those of lanterns with relief with theirs, where any light
    is on. Raises Refusal where a relief's file is gone, or is none."""
    if not any(one.on for one in scene.lights):
        return list(throwers)
    out = list(throwers)
    for k, lantern in enumerate(scene.lanterns):
        if lantern.relief is not None and out[k].plate is not None:
            slopes = slopes_of(scene, lantern, pixels, files)
            out[k] = replace(out[k], relief=(slopes, lantern.relief.depth))
    return out


def slopes_of(scene: Scene, lantern: Lantern, pixels: Pixels, files: Files) -> Slopes:
    """The slopes of a lantern with relief."""
    relief, plate = lantern.relief, plate_of(scene, lantern)
    assert relief is not None
    own = (plate.digest, plate.picture) if relief.picture is None else (relief.picture,)
    key = relief.by, relief.soft, own

    def make() -> Slopes:
        if relief.picture is None:
            return Slopes.of(heights_slopes(pixels(plate), relief.soft))
        picture = relief_picture(files(relief.picture), relief)
        if relief.by == "normals":
            return Slopes.of(normals_slopes(picture, relief.soft))
        return Slopes.of(heights_slopes(picture, relief.soft))

    return _slopes.of(key, make)


def relief_picture(data: bytes, relief: Relief) -> Picture:
    """A relief's picture. Raises Refusal where it is none, or one of normals that has none."""
    still = read_still(data, MOST_PIXELS, Budget(MOST_BYTES))
    picture = read_deep(data, Budget(MOST_BYTES)) if still.bits > 8 else still.pixels
    if relief.by == "normals":
        blue = picture[..., 2].astype(np.float32) / white_of(picture.dtype)
        if np.median(blue) < 0.6:
            raise Refusal(
                f"{relief.picture_name} is no picture of normals: those are mostly blue, which is "
                "the way towards the lantern. A grey one can be taken as heights."
            )
    return picture


def heights_slopes(picture: Picture, soft: float) -> Floats32:
    """(h, w, 2) how much brighter a picture gets to the right and down, as slopes: white is HIGH
    of the longer side above black. soft: see `Relief`."""
    grey = _smaller(picture[..., :3].astype(np.float32) / np.float32(white_of(picture.dtype)))
    height = _smoothed(grey @ np.array(LUMA, np.float32), soft)
    side = max(height.shape)
    down, across = np.gradient(height) if min(height.shape) > 1 else np.zeros((2, *height.shape))
    return _bounded(np.stack([across, down], axis=2) * (HIGH * side))


def normals_slopes(picture: Picture, soft: float) -> Floats32:
    """(h, w, 2) the slopes of a picture of normals: red to the right, green up, blue towards the
    lantern, each from -1 to 1."""
    way = 2 * picture[..., :3].astype(np.float32) / np.float32(white_of(picture.dtype)) - 1
    way = _smaller(way)
    up = np.maximum(way[..., 2], LEAST_UP)
    return _bounded(_smoothed(np.stack([-way[..., 0] / up, way[..., 1] / up], axis=2), soft))


def _smaller(numbers: Floats32) -> Floats32:
    high, wide = numbers.shape[:2]
    by = MOST_SIDE / max(high, wide)
    if by >= 1:
        return numbers
    size = max(round(wide * by), 1), max(round(high * by), 1)
    return np.asarray(cv2.resize(numbers, size, interpolation=cv2.INTER_AREA))


def _smoothed(numbers: Floats32, soft: float) -> Floats32:
    sigma = soft * max(numbers.shape[:2])
    return numbers if sigma < 0.1 else np.asarray(cv2.GaussianBlur(numbers, (0, 0), sigma))


def _bounded(slopes: Floats32) -> Floats32:
    return np.asarray(slopes.clip(-STEEPEST, STEEPEST), np.float32)
