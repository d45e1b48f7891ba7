"""Pictures with their alpha multiplied in, for whatever mixes pixels, and taken out again."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..threads import in_threads
from .eight import white_of


def premultiplied(picture: NDArray[Any]) -> NDArray[np.float32]:
    """(H, W, 3 or 4) float32, in the picture's own numbers."""
    out = picture.astype(np.float32)
    if picture.shape[2] == 4:
        out[..., :3] *= out[..., 3:] / np.float32(white_of(picture.dtype))
    return out


def straight(mixed: NDArray[np.float32], kind: np.dtype[Any], spent: bool = False) -> NDArray[Any]:
    """Premultiplied pixels (H, W, 3 or 4) with their alpha taken out of them, in a kind. spent:
    they are not needed any more, so that what comes out may be written over them."""
    white = np.float32(white_of(kind))
    if kind.kind == "f":
        out = mixed if spent else np.empty_like(mixed)
        if mixed.shape[2] == 4:
            in_threads(len(mixed), lambda a, b: _divided(mixed[a:b], white, out[a:b]))
        elif not spent:
            out[:] = mixed
        return out
    whole = np.empty(mixed.shape, kind)
    in_threads(len(mixed), lambda a, b: _rounded(mixed[a:b], white, whole[a:b]))
    return whole


@njit(cache=True, nogil=True, error_model="numpy")
def _divided(mixed: Any, white: Any, out: Any) -> None:
    least = white * np.float32(1e-6)
    for y in range(mixed.shape[0]):
        for x in range(mixed.shape[1]):
            alpha = min(max(mixed[y, x, 3], np.float32(0)), white)
            k = white / alpha if alpha > least else np.float32(0)
            for c in range(3):
                out[y, x, c] = mixed[y, x, c] * k
            out[y, x, 3] = alpha


@njit(cache=True, nogil=True, error_model="numpy")
def _rounded(mixed: Any, white: Any, out: Any) -> None:
    """The same in whole numbers."""
    least, half, channels = white * np.float32(1e-6), np.float32(0.5), mixed.shape[2]
    for y in range(mixed.shape[0]):
        for x in range(mixed.shape[1]):
            k = np.float32(1)
            if channels == 4:
                alpha = min(max(mixed[y, x, 3], np.float32(0)), white)
                k = white / alpha if alpha > least else np.float32(0)
                out[y, x, 3] = int(alpha + half)
            for c in range(3):
                out[y, x, c] = int(min(max(mixed[y, x, c] * k, np.float32(0)), white) + half)
