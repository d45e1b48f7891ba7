"""Pictures with their alpha multiplied in, for whatever mixes pixels, and taken out again."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def white_of(kind: np.dtype[Any]) -> float:
    """The number that full brightness or cover is in a kind of picture."""
    return 1.0 if kind.kind == "f" else float(np.iinfo(kind).max)


def premultiplied(picture: NDArray[Any]) -> NDArray[np.float32]:
    """(H, W, 3 or 4) float32, in the picture's own numbers."""
    out = picture.astype(np.float32)
    if picture.shape[2] == 4:
        out[..., :3] *= out[..., 3:] / np.float32(white_of(picture.dtype))
    return out


def straight(mixed: NDArray[np.float32], kind: np.dtype[Any]) -> NDArray[Any]:
    """Premultiplied pixels (H, W, 3 or 4) with their alpha taken out of them, in a kind."""
    white = np.float32(white_of(kind))
    out = mixed.copy()
    if mixed.shape[2] == 4:
        alpha = out[..., 3:].clip(0, white)
        there = alpha > white * np.float32(1e-6)
        out[..., :3] *= np.where(there, white / np.where(there, alpha, 1), 0)
        out[..., 3:] = alpha
    if kind.kind == "f":
        return out
    return np.asarray(out.clip(0, white) + np.float32(0.5), kind)
