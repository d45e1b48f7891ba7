"""From the picture's own numbers to linear light and back, as OpenColorIO's built-in configuration
has it."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from PyOpenColorIO import OPTIMIZATION_LOSSLESS, Config

from ..arrays import Floats32

PICTURE, LINEAR = "sRGB Encoded Rec.709 (sRGB)", "Linear Rec.709 (sRGB)"


@cache
def _processor(from_: str, to: str) -> Any:
    config = Config.CreateFromBuiltinConfig("ocio://default")
    return config.getProcessor(from_, to).getOptimizedCPUProcessor(OPTIMIZATION_LOSSLESS)


def _turned(values: Floats32, from_: str, to: str) -> Floats32:
    out = np.repeat(np.asarray(values, np.float32).reshape(-1, 1), 3, axis=1)
    _processor(from_, to).applyRGB(out)
    return out[:, 0].reshape(values.shape)


def linear_of(values: Floats32) -> Floats32:
    """Numbers of the picture (...) as linear light; both spaces have the same primaries, so each
    channel is by itself."""
    return _turned(values, PICTURE, LINEAR)


def picture_of(values: Floats32) -> Floats32:
    """Linear light (...) as numbers of the picture; the inverse of `linear_of`."""
    return _turned(values, LINEAR, PICTURE)
