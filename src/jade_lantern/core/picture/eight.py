"""Pixel values of any type, and their conversion to 8 bit."""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

_T = TypeVar("_T", bound=np.generic)

STRIP = 1 << 22  # values worked on at once, so that a large picture costs little beside itself


def white_of(kind: np.dtype[Any]) -> float:
    """The value of full brightness or full alpha in a type of pixel."""
    return 1.0 if kind.kind == "f" else float(np.iinfo(kind).max)


def eight_bit(raw: NDArray[np.generic]) -> NDArray[np.uint8]:
    """Values of one depth as uint8 of the same shape.

    Whole numbers go by value, so that the largest becomes 255. Floating ones are linear light from
    0 to 1 and get sRGB's curve (IEC 61966-2-1); what is no number becomes black.

    Raises TypeError for signed and complex numbers.
    """
    if raw.dtype == np.uint8:
        return raw.view(np.uint8)
    if raw.dtype.kind not in "ufb":
        raise TypeError(f"pictures of {raw.dtype} are not read")
    out = np.empty(raw.shape, np.uint8)
    rows = max(STRIP // max(int(np.prod(raw.shape[1:])), 1), 1)
    for top in range(0, len(raw), rows):
        out[top : top + rows] = _strip(raw[top : top + rows])
    return out


def _strip(raw: NDArray[np.generic]) -> NDArray[np.uint8]:
    if raw.dtype.kind == "b":
        return np.asarray(raw, np.uint8) * np.uint8(255)
    if raw.dtype == np.uint16:
        return np.asarray((raw.astype(np.uint32) + 128) // 257, np.uint8)
    if raw.dtype.kind == "u":
        most = 2.0 ** (8 * raw.dtype.itemsize) - 1
        return np.asarray(raw.astype(np.float64) * (255 / most) + 0.5, np.uint8)
    light = np.nan_to_num(raw.astype(np.float32), nan=0.0, posinf=1.0, neginf=0.0).clip(0, 1)
    curved = 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055
    return np.asarray(np.where(light <= 0.0031308, 12.92 * light, curved) * 255 + 0.5, np.uint8)


def eight_bit_alpha(alpha: NDArray[Any]) -> NDArray[np.uint8]:
    """Alpha of any depth as uint8. Unlike floating colours it is not light, so it gets no curve."""
    if alpha.dtype.kind == "f":
        return np.asarray(alpha.clip(0, 1) * np.float32(255) + np.float32(0.5), np.uint8)
    return eight_bit(alpha)


def in_eight_bit(pixels: NDArray[Any]) -> NDArray[np.uint8]:
    """Pixels (H, W, 4), alpha not multiplied in, as uint8."""
    if pixels.dtype == np.uint8:
        return pixels
    return np.concatenate([eight_bit(pixels[..., :3]), eight_bit_alpha(pixels[..., 3:])], axis=2)


def for_views(numbers: NDArray[Any]) -> NDArray[np.uint8]:
    """A picture (H, W, 3 or 4) of any kind as views show it: in 8 bit, of one with an alpha (H, W,
    4), premultiplied."""
    colour = three_channels(eight_bit(numbers))
    if numbers.shape[2] < 4:
        return colour
    return np.concatenate([colour, eight_bit_alpha(numbers[..., 3:])], axis=2)


def over_black(colour: NDArray[np.uint8], alpha: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """(H, W, 3) colours that are not premultiplied, laid over black by their (H, W) alpha."""
    out = np.empty_like(colour)
    rows = max(STRIP // max(colour.shape[1] * 3, 1), 1)
    for top in range(0, len(colour), rows):
        part = colour[top : top + rows].astype(np.uint16) * alpha[top : top + rows, :, None]
        out[top : top + rows] = (part + 127) // 255
    return out


def three_channels(pixels: NDArray[np.uint8], premultiplied: bool = False) -> NDArray[np.uint8]:
    """(H, W), or (H, W, 1 to 4), grey or colour with or without alpha, as (H, W, 3) over black."""
    if pixels.ndim == 2:
        pixels = pixels[..., None]
    channels = pixels.shape[2]
    colour = pixels[..., :3] if channels >= 3 else np.repeat(pixels[..., :1], 3, axis=2)
    if channels in (2, 4) and not premultiplied:
        colour = over_black(colour, pixels[..., -1])
    return np.ascontiguousarray(colour)


def upright(pixels: NDArray[_T], orientation: int) -> NDArray[_T]:
    """Turn and mirror as a file's orientation says (TIFF 6.0, tag 274)."""
    if orientation in (2, 4, 5, 7):
        pixels = pixels[:, ::-1]
    turns = {3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    return np.ascontiguousarray(np.rot90(pixels, turns))
