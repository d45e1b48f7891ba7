"""Radial bending of a lens: where a straight world edge falls on a bent plate, and back.

The model is Brown-Conrady's, the polynomial of OpenCV's pinhole model (Brown 1971): a point at
radius r from the principal point is thrown to r (1 + k1 r^2 + k2 r^4). Inside, radii are in half
of the plate's longer side, so that bending does not depend on the focal length; k1 and k2 as they
are written out are on coordinates normalised by the focal length.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..arrays import Floats

LEAST_GROWTH = 0.03  # the bent radius must still grow at least so fast with the straight one


@njit(cache=True, nogil=True, error_model="numpy")
def straight_radius(bent: float, k1: float, k2: float) -> float:
    """The radius whose bent one is given, by Newton's method."""
    r = bent
    for _ in range(20):
        r2 = r * r
        grow = max(1.0 + r2 * (3.0 * k1 + 5.0 * k2 * r2), 0.02)
        step = (r * (1.0 + r2 * (k1 + k2 * r2)) - bent) / grow
        r = min(max(r - step, 0.0), 20.0)
        if abs(step) < 1e-13:
            break
    return r


@njit(cache=True, nogil=True, error_model="numpy")
def folds(k1: float, k2: float, farthest: float) -> bool:
    """Whether the model turns back on itself before the farthest bent radius."""
    end = straight_radius(farthest, k1, k2)
    r2 = end * end
    if not abs(end * (1.0 + r2 * (k1 + k2 * r2)) - farthest) <= 1e-6:
        return True
    for i in range(1, 17):
        r2 = (end * i / 16.0) ** 2
        if 1.0 + r2 * (3.0 * k1 + 5.0 * k2 * r2) < LEAST_GROWTH:
            return True
    return False


@njit(cache=True, nogil=True, error_model="numpy")
def straightened(points: Floats, c: Floats, k: Floats, size: float, out: Floats) -> None:
    """Bent points (P, 2) to straight ones relative to the principal point c, px."""
    for i in range(len(points)):
        x, y = points[i, 0] - c[0], points[i, 1] - c[1]
        bent = np.sqrt(x * x + y * y) / size
        grow = 1.0
        if bent > 1e-9 and (k[0] != 0.0 or k[1] != 0.0):
            grow = straight_radius(bent, k[0], k[1]) / bent
        out[i, 0], out[i, 1] = x * grow, y * grow


def straight(
    points: Floats, centre: tuple[float, float], focal_px: float, k1: float, k2: float
) -> Floats:
    """Pixels (P, 2) of a bent plate to those of the flat one, with k on normalised coordinates."""
    out = np.empty_like(points)
    c = np.asarray(centre, float)
    straightened(np.ascontiguousarray(points), c, np.array([k1, k2]), focal_px, out)
    return out + c


def bent(
    points: Floats, centre: tuple[float, float], focal_px: float, k1: float, k2: float
) -> Floats:
    """Pixels (P, 2) of the flat plate to those of the bent one."""
    c = np.asarray(centre, float)
    x = (points - c) / focal_px
    r2 = (x * x).sum(axis=-1, keepdims=True)
    out: Floats = c + focal_px * x * (1 + r2 * (k1 + k2 * r2))
    return out


def flat_frame(
    width: int, height: int, centre: tuple[float, float], focal_px: float, k1: float, k2: float
) -> tuple[float, float, int, int]:
    """Left, top, width and height, px of the flat plate, that hold every pixel of the bent one;
    at most half as large again each way."""
    along = np.linspace(0, 1, 65)
    x, y = along * width, along * height
    rim = np.concatenate([
        np.stack([x, 0 * x], 1), np.stack([x, 0 * x + height], 1),
        np.stack([0 * y, y], 1), np.stack([0 * y + width, y], 1),
    ])  # fmt: skip
    flat = straight(rim, centre, focal_px, k1, k2)
    room = np.array([width, height]) * 0.25
    low = np.maximum(np.floor(np.minimum(flat.min(axis=0), 0)), -room)
    high = np.minimum(
        np.ceil(np.maximum(flat.max(axis=0), [width, height])), [width, height] + room
    )
    left, top = np.floor(low)
    wide, tall = np.ceil(high - [left, top])
    return float(left), float(top), int(wide), int(tall)


def photographed(
    width: int, height: int, centre: tuple[float, float], focal_px: float, k1: float, k2: float,
    frame: tuple[float, float, int, int],
) -> NDArray[np.float32] | None:  # fmt: skip
    """(H, W) 0 to 1, how far each pixel of the flat plate is one that the lens saw: where it comes
    from inside the bent plate, and not from beyond where the bending would fold back. None where
    all of them are."""
    left, top, wide, tall = frame
    ys, xs = top + 0.5 + np.arange(tall), left + 0.5 + np.arange(wide)
    out = np.empty((tall, wide), np.float32)
    strip = max(1, 2_000_000 // wide)
    for y in range(0, tall, strip):
        grid = np.stack(np.meshgrid(xs, ys[y : y + strip]), axis=-1)
        from_ = bent(grid, centre, focal_px, k1, k2)
        edge = np.minimum(from_, [width, height] - from_).min(axis=-1)
        r2 = (((grid - centre) / focal_px) ** 2).sum(axis=-1)
        folded = 1 + r2 * (3 * k1 + 5 * k2 * r2) <= 0  # the radius grows no more
        out[y : y + strip] = np.where(folded, 0, (edge + 0.5).clip(0, 1))
    return None if out.min() >= 1 else out


def flattened(
    pixels: NDArray[Any],
    centre: tuple[float, float],
    focal_px: float,
    k1: float,
    k2: float,
    frame: tuple[float, float, int, int],
) -> NDArray[Any]:
    """The flat plate (frame height, frame width, channels): every straight world edge straight."""
    left, top, width, height = frame
    out = np.empty((height, width, *pixels.shape[2:]), pixels.dtype)
    xs = left + 0.5 + np.arange(width)
    strip = max(1, 2_000_000 // width)
    for y in range(0, height, strip):
        ys = top + 0.5 + np.arange(y, min(y + strip, height))
        grid = np.stack(np.meshgrid(xs, ys), axis=-1)
        from_ = (bent(grid, centre, focal_px, k1, k2) - 0.5).astype(np.float32)
        out[y : y + strip] = cv2.remap(
            pixels, from_[..., 0], from_[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
        )
    return out
