"""A still from a file's bytes."""

from __future__ import annotations

import hashlib
import io
import logging
import warnings
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import NamedTuple

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageFile

from ..budget import Budget
from ..refusal import Refusal
from . import exr, tiff
from .eight import eight_bit, three_channels, upright
from .facts import Facts, exif_of_png, facts_of
from .profile import Profile, profile_of

# a phone's JPEG with a second picture behind the first is opened as MPO
READABLE = {"PNG": "PNG", "JPEG": "JPEG", "MPO": "JPEG", "WEBP": "WebP", "TIFF": "TIFF"}
MOST_PIXELS = 200_000_000
MOST_SIDE = 40_000
LEAST_SIDE = 64
STRIP_ROWS = 512
WITH_ALPHA = {"LA", "La", "PA", "RGBA", "RGBa"}

# What these say of odd files goes to a log that nobody reads; what matters is refused in words.
warnings.filterwarnings("ignore", module=r"PIL\..*")
logging.getLogger("PIL").setLevel(logging.CRITICAL)
logging.getLogger("tifffile").setLevel(logging.CRITICAL)
# the size is checked here, in words, before anything is decoded
Image.MAX_IMAGE_PIXELS = None
ImageFile.LOAD_TRUNCATED_IMAGES = False


@dataclass(frozen=True)
class Still:
    """A picture read from a file: pixels (H, W, 3) uint8 as they are shown, upright, in sRGB.
    profile: what the file's own colours were, where they were others."""

    pixels: NDArray[np.uint8]
    format: str
    bits: int
    alpha: bool
    focal_mm: float | None
    focal_35mm: float | None
    taken_with: str | None
    digest: str
    profile: str | None = None

    @property
    def width(self) -> int:
        return int(self.pixels.shape[1])

    @property
    def height(self) -> int:
        return int(self.pixels.shape[0])


# pixels, format, bits, whether it has alpha, facts, the name of its profile
_Decoded = tuple[NDArray[np.uint8], str, int, bool, Facts, str | None]


class StillHeader(NamedTuple):
    """What a file says of its picture: its size, px, and how many bytes it is decoded."""

    width: int
    height: int
    decoded_bytes: int


def head_of(data: bytes) -> StillHeader:
    """Raises Refusal where a file says nothing of a picture that can be read."""
    if data[:4] in tiff.MARKS:
        head = tiff.header(data)
        size = head.width * head.height
        return StillHeader(head.width, head.height, size * max(head.samples * head.bits // 8, 3))
    if data[:4] == exr.MARK:
        width, height, channels = exr.header(data)
        return StillHeader(width, height, width * height * channels * 4)
    image = _opened(data)
    channels = 3 if image.mode in ("RGB", "YCbCr", "L", "1") else 4
    deep = 2 if _is_deep(image) else 1
    return StillHeader(*image.size, image.size[0] * image.size[1] * channels * deep)


def _is_deep(image: Image.Image) -> bool:
    # Pillow opens deep PNGs as 8 bit without a word; how its rows are packed tells
    tiles = getattr(image, "tile", [])
    return image.format == "PNG" and any(";16" in str(tile[3]) for tile in tiles)


def read_still(data: bytes, most_pixels: int = MOST_PIXELS, budget: Budget | None = None) -> Still:
    """A still from a file's bytes: PNG, JPEG, TIFF, WebP or OpenEXR.

    It is decoded once, whole. Raises Refusal, in words, for what is no picture, is cut short or
    damaged, is too small, or has more than most_pixels or than its budget has left.
    """
    if not data:
        raise Refusal("This file is empty. Nothing was kept.")
    if budget is not None:
        budget.take(head_of(data).decoded_bytes)
    with ThreadPoolExecutor(1) as beside:  # a large file takes as long to hash as to decode
        digest = beside.submit(lambda: hashlib.sha256(data).hexdigest())
        pixels, format, bits, alpha, facts, profile = _decoded(data, most_pixels)
    return Still(
        pixels, format, bits, alpha, facts.focal_mm, facts.focal_35mm, facts.taken_with,
        digest.result(), profile,
    )  # fmt: skip


def _decoded(data: bytes, most_pixels: int) -> _Decoded:
    if data[:4] == exr.MARK:
        width, height, channels = exr.header(data)
        _check_size(width, height, most_pixels)
        shown = three_channels(eight_bit(exr.read_numbers(data)))
        return shown, "EXR", 32, channels == 4, Facts(), None
    if data[:4] in tiff.MARKS:
        head = tiff.header(data)
        _check_size(head.width, head.height, most_pixels)
        if head.plain:
            profile, called = profile_of(head.profile)
            pixels, alpha = tiff.read_plain(data, profile)
            return pixels, "TIFF", head.bits, alpha, facts_of(data), called
        try:
            image = _opened(data)
        except Refusal as error:
            raise Refusal(
                f"This TIFF is kept as {head.kept_as}, which cannot be read here. Save it as RGB, "
                "uncompressed or with LZW."
            ) from error
    else:
        image = _opened(data)
        _check_size(*image.size, most_pixels)
    return _by_pillow(data, image)


def pixels_named(data: bytes) -> int:
    """How many pixels a file says that it has, without decoding it; 0 where it does not say."""
    try:
        head = head_of(data)
    except Refusal:
        return 0
    return head.width * head.height


def _opened(data: bytes) -> Image.Image:
    try:
        return Image.open(io.BytesIO(data), formats=["PNG", "JPEG", "WEBP", "TIFF"])
    except MemoryError:
        raise
    except Exception as error:  # whatever a reader says of a damaged header
        raise Refusal(
            "This file is no picture that can be read. Bring a PNG, JPEG, TIFF, WebP or OpenEXR."
        ) from error


def _check_size(width: int, height: int, most_pixels: int) -> None:
    if width * height > most_pixels or max(width, height) > MOST_SIDE:
        raise Refusal(
            f"This picture is {width:,} × {height:,}: more than the {most_pixels // 1_000_000} "
            f"megapixels, or {MOST_SIDE:,} pixels a side, that can be worked on. Bring a smaller "
            "copy."
        )
    if min(width, height) < LEAST_SIDE:
        raise Refusal(
            f"This picture is {width} × {height}: too small to work with. "
            f"It needs at least {LEAST_SIDE} pixels a side."
        )


def _by_pillow(data: bytes, image: Image.Image) -> _Decoded:
    format = READABLE[image.format or "PNG"]
    deep = _is_deep(image)
    alpha = image.mode in WITH_ALPHA or "transparency" in image.info
    profile, called = profile_of(image.info.get("icc_profile"))
    try:
        if format == "PNG":
            _opened(data).verify()  # the checksum of every part, which decoding does not look at
        if deep or (format == "PNG" and image.mode == "RGB" and not alpha):
            raw = imagecodecs.png_decode(data)
            alpha = raw.ndim == 3 and raw.shape[2] in (2, 4)
            raw = profile.to_srgb(raw) if profile else raw
            pixels = three_channels(eight_bit(raw)) if deep else raw
        elif format == "JPEG" and image.mode == "RGB":
            pixels = _jpeg(data)
            pixels = profile.to_srgb(pixels) if profile else pixels
        else:
            image.load()
            pixels = _plain(image, alpha, profile)
    except Exception as error:  # whatever a decoder says of damaged data
        if isinstance(error, MemoryError):
            raise
        raise Refusal(
            "This picture is cut short or damaged, so nothing was kept. Save or copy it again."
        ) from error
    if format == "TIFF":
        facts = facts_of(data)
    else:
        if format == "PNG" and (exif := exif_of_png(data)) is not None:
            image.info["exif"] = exif
        # past Pillow's own for PNG, which would decode the pixels to look behind them
        facts = facts_of(Image.Image.getexif(image))
    # Pillow has turned a TIFF already
    turned = pixels if format == "TIFF" else upright(pixels, facts.orientation)
    return turned, format, 16 if deep else 8, alpha, facts, called


def _jpeg(data: bytes) -> NDArray[np.uint8]:
    """(H, W, 3) uint8. Raises what the decoder says of a file that is damaged or cut short.

    The fast decoder fills what is missing with grey and does not say so. So Pillow reads the file
    beside it, at an eighth of the size, which takes it half as long.
    """
    with ThreadPoolExecutor(1) as beside:
        sound = beside.submit(_read_small, data)
        pixels = imagecodecs.jpeg8_decode(data)
        sound.result()
    return np.asarray(pixels)


def _read_small(data: bytes) -> None:
    image = _opened(data)
    image.draft("RGB", (image.size[0] // 8, image.size[1] // 8))
    image.load()


def _plain(image: Image.Image, alpha: bool, profile: Profile | None) -> NDArray[np.uint8]:
    """(H, W, 3) uint8, what is transparent over black; in strips, so that a large picture costs
    little beside itself."""
    if image.mode == "RGB" and profile is None:
        return np.asarray(image)
    width, height = image.size
    out = np.empty((height, width, 3), np.uint8)
    for top in range(0, height, STRIP_ROWS):
        strip = image.crop((0, top, width, min(top + STRIP_ROWS, height)))
        if profile is not None and profile.space == "cmyk" and strip.mode == "CMYK":
            raw = np.asarray(profile.strip_to_srgb(strip))
        elif profile is not None and profile.space == "gray" and strip.mode in ("L", "LA"):
            raw = profile.to_srgb(np.asarray(strip))
        else:
            raw = np.asarray(strip.convert("RGBA" if alpha else "RGB"))
            raw = profile.to_srgb(raw) if profile is not None else raw
        out[top : top + STRIP_ROWS] = three_channels(raw)
    return out
