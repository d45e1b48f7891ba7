"""A plate with all that its file keeps: its depth, and its alpha."""

from __future__ import annotations

import io
from typing import Any, Protocol

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..budget import Budget
from ..refusal import Refusal
from . import exr, tiff
from .eight import upright, white_of
from .facts import exif_of_png, facts_of
from .profile import profile_of
from .still import head_of, read_still

DAMAGED = "This picture is cut short or damaged, so nothing was kept. Save or copy it again."


class FileFacts(Protocol):
    """What is known of a picture's file."""

    @property
    def bits(self) -> int: ...
    @property
    def alpha(self) -> bool: ...


def keeps_more(plate: FileFacts) -> bool:
    """Whether a file has more than eight bit without alpha shows."""
    return plate.alpha or plate.bits > 8


def read_deep(data: bytes, budget: Budget | None = None) -> NDArray[Any]:
    """(H, W, 3 or 4) uint8, uint16 or float32 pixels of a file, upright and in sRGB, alpha not
    multiplied in. Floating ones keep their numbers.

    Raises Refusal where it is no picture, damaged, or more than its budget has left.
    """
    if budget is not None:
        budget.take(head_of(data).decoded_bytes)
    try:
        raw = _raw(data)
    except (Refusal, MemoryError):
        raise
    except Exception as error:  # whatever a decoder says of damaged data
        raise Refusal(DAMAGED) from error
    if raw is None:
        return read_still(data).pixels
    if raw.ndim == 2:
        raw = raw[..., None]
    channels = raw.shape[2]
    if channels <= 2:
        raw = np.concatenate([np.repeat(raw[..., :1], 3, axis=2), raw[..., 1:]], axis=2)
    if raw.dtype.kind == "f":
        raw = np.nan_to_num(raw.astype(np.float32), nan=0.0, posinf=0.0, neginf=0.0)
    elif raw.dtype not in (np.dtype(np.uint8), np.dtype(np.uint16)):
        raw = (raw / np.float64(np.iinfo(raw.dtype).max)).astype(np.float32)
    if raw.shape[2] == 4 and _all_opaque(raw):
        raw = raw[..., :3]
    return np.ascontiguousarray(raw)


def _all_opaque(raw: NDArray[Any]) -> bool:
    return bool((raw[..., 3] >= white_of(raw.dtype)).all())


def _raw(data: bytes) -> NDArray[Any] | None:
    """The numbers of a file that keeps more than eight bit without alpha; None for others."""
    if data[:4] in tiff.MARKS:
        head = tiff.header(data)
        return tiff.read_numbers(data, profile_of(head.profile)[0]) if head.plain else None
    if data[:4] == exr.MARK:
        return exr.read_numbers(data)
    if data[:4] == b"\x89PNG":
        image = Image.open(io.BytesIO(data), formats=["PNG"])
        profile, _ = profile_of(image.info.get("icc_profile"))
        if image.mode == "P":
            if "transparency" not in image.info:
                return None
            return np.asarray(image.convert("RGBA"))
        raw = imagecodecs.png_decode(data)
        raw = profile.to_srgb(raw) if profile else raw
        exif = exif_of_png(data)
        if exif is not None:
            image.info["exif"] = exif
        return upright(raw, facts_of(Image.Image.getexif(image)).orientation)
    if data[8:12] == b"WEBP":
        image = Image.open(io.BytesIO(data), formats=["WEBP"])
        return np.asarray(image.convert("RGBA")) if image.mode == "RGBA" else None
    return None
