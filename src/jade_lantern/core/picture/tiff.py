"""TIFFs of any depth, compression and layout, as far as they are pictures."""

from __future__ import annotations

from dataclasses import dataclass
from io import BytesIO
from typing import Any

import numpy as np
from numpy.typing import NDArray
from tifffile import TiffFile, TiffPage

from ..refusal import Refusal
from .eight import eight_bit, three_channels, upright, white_of
from .facts import facts_of
from .profile import Profile

MARKS = (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")
PLAIN = {"MINISWHITE", "MINISBLACK", "RGB"}
DEPTHS = {8, 16, 32, 64}
MOST_SAMPLES = 12  # a pixel: colour, alpha, and some that are passed over
LARGEST_TILE = 1 << 22  # px
UNSIGNED, FLOATING = 1, 3  # SampleFormat, tag 339


@dataclass(frozen=True)
class Header:
    """What a TIFF says of its first picture. plain: it is grey or RGB in whole bytes, which is
    read here; other kinds (palettes, separations, single bits) are Pillow's."""

    width: int
    height: int
    bits: int
    samples: int
    plain: bool
    kept_as: str
    profile: bytes | None = None


def header(data: bytes) -> Header:
    """Raises Refusal for what cannot be read, saying why."""
    try:
        return _header(data)
    except (Refusal, MemoryError):
        raise
    except Exception as error:  # whatever its reader says of damaged tags
        raise _damaged() from error


def _header(data: bytes) -> Header:
    with _opened(data) as file:
        page = _first(file)
        photometric = str(getattr(page.photometric, "name", page.photometric))
        compression = str(getattr(page.compression, "name", page.compression))
        bits = page.bitspersample
        bits = max(bits) if isinstance(bits, tuple) else int(bits)
        plain = photometric in PLAIN and bits in DEPTHS
        kept_as = f"{photometric} of {bits} bit, compressed by {compression}"
        if plain and page.sampleformat not in (UNSIGNED, FLOATING):
            raise Refusal(
                "This TIFF holds signed or complex numbers, which are no brightnesses. Save it "
                "with whole numbers from 0, or as floating point."
            )
        samples = int(page.samplesperpixel)
        if samples > MOST_SAMPLES:
            raise Refusal(
                f"This TIFF has {samples:,} numbers a pixel, which are no colours. Save it as RGB."
            )
        profile = page.iccprofile
        size = int(page.imagewidth), int(page.imagelength)
        # a tile is decoded whole, however little of it lies in the picture
        tile = int(page.tilewidth or 0) * int(page.tilelength or 0) if page.is_tiled else 0
        if min(size) < 1 or tile > max(4 * size[0] * size[1], LARGEST_TILE):
            raise _damaged()
        return Header(*size, bits, samples, plain, kept_as, bytes(profile) if profile else None)


@dataclass(frozen=True)
class _Numbers:
    """raw: (H, W) or (H, W, C), its alpha last where it has one. white: small numbers are light."""

    raw: NDArray[Any]
    alpha: bool
    premultiplied: bool
    white: bool


def read_plain(data: bytes, profile: Profile | None = None) -> tuple[NDArray[np.uint8], bool]:
    """(H, W, 3) uint8 pixels of a plain TIFF, upright and in sRGB, and whether it has alpha.

    Raises Refusal where the file is damaged.
    """
    try:
        return _read_plain(data, profile)
    except (Refusal, MemoryError):
        raise
    except Exception as error:  # tags that disagree with the pixels that were found
        raise _damaged() from error


def _read_plain(data: bytes, profile: Profile | None) -> tuple[NDArray[np.uint8], bool]:
    found = _numbers(data, profile)
    shown = eight_bit(found.raw)
    if found.white:
        shown = np.asarray(255 - shown, np.uint8)
    pixels = three_channels(shown, premultiplied=found.premultiplied)
    return upright(pixels, facts_of(data).orientation), found.alpha


def read_numbers(data: bytes, profile: Profile | None = None) -> NDArray[Any]:
    """(H, W) or (H, W, C) numbers of a plain TIFF as it keeps them, upright and in sRGB, alpha
    last and not multiplied in."""
    found = _numbers(data, profile)
    raw = found.raw
    if found.white:
        raw = np.asarray(raw.dtype.type(white_of(raw.dtype)) - raw)
    if found.premultiplied:
        most = white_of(raw.dtype)
        alpha = raw[..., -1:].astype(np.float64) / most
        colour = np.where(alpha > 0, raw[..., :-1] / np.where(alpha > 0, alpha, 1), 0)
        if raw.dtype.kind == "u":
            colour = colour.clip(0, most) + 0.5
        raw = np.concatenate([colour.astype(raw.dtype), raw[..., -1:]], axis=2)
    return upright(raw, facts_of(data).orientation)


def _numbers(data: bytes, profile: Profile | None) -> _Numbers:
    with _opened(data) as file:
        page = _first(file)
        _whole(page, len(data))
        try:
            raw = page.asarray(maxworkers=1)
        except Exception as error:  # whatever a decoder says of damaged data
            raise _damaged() from error
        if page.axes == "SYX":
            raw = np.moveaxis(raw, 0, -1)
        elif page.axes not in ("YX", "YXS"):
            raise Refusal("This TIFF holds more than one picture in one. Save it as a flat one.")
        white = getattr(page.photometric, "name", "") == "MINISWHITE"
        extra = tuple(int(e) for e in page.extrasamples)
    colours = 3 if raw.ndim == 3 and raw.shape[2] - len(extra) >= 3 else 1
    alpha = bool(extra) and extra[0] in (1, 2)
    if raw.ndim == 3:
        raw = raw[..., : colours + alpha]
    if profile is not None and not white:
        raw = profile.to_srgb(raw)
    return _Numbers(raw, alpha, bool(extra) and extra[0] == 1, white)


def _opened(data: bytes) -> TiffFile:
    try:
        return TiffFile(BytesIO(data))
    except Exception as error:
        raise _damaged() from error


def _first(file: TiffFile) -> TiffPage:
    try:
        page = file.pages.first
        if isinstance(page, TiffPage):
            return page
    except Exception as error:
        raise _damaged() from error
    raise _damaged()


def _whole(page: TiffPage, size: int) -> None:
    """tifffile fills in for pieces that are missing; a plate must have them all."""
    for offset, count in zip(page.dataoffsets, page.databytecounts, strict=False):
        if count <= 0 or offset + count > size:
            raise _damaged()


def _damaged() -> Refusal:
    return Refusal(
        "This picture is cut short or damaged, so nothing was kept. Save or copy it again."
    )
