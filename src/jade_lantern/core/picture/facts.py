"""What a picture's file says besides its pixels: how it was held, and by what lens it was taken."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import Any

from PIL import ExifTags, Image


@dataclass(frozen=True)
class Facts:
    """orientation: 1 to 8 (TIFF 6.0, tag 274). Focal lengths in mm; None where nothing is said."""

    orientation: int = 1
    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken_with: str | None = None


def facts_of(exif: bytes | Image.Exif | None) -> Facts:
    """The facts in a block of EXIF, or in a whole TIFF file.

    Files carry every kind of nonsense here, and none of it may cost the picture: what cannot be
    read, or makes no sense, counts as not said.
    """
    try:
        if isinstance(exif, bytes):
            block, exif = exif, Image.Exif()
            exif.load(block)
        if exif is None:
            return Facts()
        lens = exif.get_ifd(ExifTags.IFD.Exif)
        model = exif.get(ExifTags.Base.Model)
    except Exception:
        return Facts()
    turn = _number(exif, ExifTags.Base.Orientation, 1, 8)
    said = (
        "".join(c for c in model if c.isprintable()).strip()[:60] if isinstance(model, str) else ""
    )
    return Facts(
        orientation=int(turn) if turn is not None and turn == int(turn) else 1,
        focal_mm=_number(lens, ExifTags.Base.FocalLength, 1, 3000),
        focal_35mm=_number(lens, ExifTags.Base.FocalLengthIn35mmFilm, 1, 3000),
        taken_with=said or None,
    )


def exif_of_png(data: bytes) -> bytes | None:
    """The block of EXIF in a PNG file, which may stand before or behind its pixels."""
    at = 8
    while at + 12 <= len(data):
        (size,) = struct.unpack_from(">I", data, at)
        if data[at + 4 : at + 8] == b"eXIf":
            return b"Exif\0\0" + data[at + 8 : at + 8 + size]
        at += 12 + size
    return None


def _number(tags: Any, tag: int, least: float, most: float) -> float | None:
    try:
        value = float(tags[tag])
    except Exception:
        return None
    return value if least <= value <= most else None
