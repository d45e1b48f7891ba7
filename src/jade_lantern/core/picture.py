"""Stills as arrays: read with care, upright, and with what their file says of the lens."""

from __future__ import annotations

import hashlib
import io
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags, Image, ImageFile, ImageOps, UnidentifiedImageError

from .refusal import Refusal

READABLE = {"PNG": "PNG", "JPEG": "JPEG", "TIFF": "TIFF", "WEBP": "WebP"}
MOST_PIXELS = 200_000_000
LEAST_SIDE = 64
EIGHT_BIT = {"1", "L", "LA", "P", "PA", "RGB", "RGBA", "RGBX", "CMYK", "YCbCr"}

# size is checked here against MOST_PIXELS, in words, before anything is decoded
Image.MAX_IMAGE_PIXELS = None
ImageFile.LOAD_TRUNCATED_IMAGES = False


@dataclass(frozen=True)
class Still:
    """A picture read from a file: pixels (H, W, 3) uint8 as they are shown, upright."""

    pixels: NDArray[np.uint8]
    format: str
    bits: int
    alpha: bool
    focal_mm: float | None
    focal_35mm: float | None
    taken_with: str | None
    digest: str

    @property
    def width(self) -> int:
        return int(self.pixels.shape[1])

    @property
    def height(self) -> int:
        return int(self.pixels.shape[0])


def read_still(data: bytes) -> Still:
    """A still from a file's bytes: PNG, JPEG, TIFF or WebP.

    Raises Refusal, in words, for what is no picture, is cut short, is too small or is too large.
    """
    if not data:
        raise Refusal("This file is empty. Nothing was kept.")
    try:
        image: Image.Image = Image.open(io.BytesIO(data), formats=list(READABLE))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError) as error:
        raise Refusal(
            "This file is no picture that can be read. Bring a PNG, JPEG, TIFF or WebP."
        ) from error
    format = READABLE[image.format or "PNG"]
    width, height = image.size
    if width * height > MOST_PIXELS:
        raise Refusal(
            f"This picture is {width:,} × {height:,}: more than the {MOST_PIXELS // 1_000_000} "
            "megapixels that can be worked on. Bring a smaller copy."
        )
    if min(width, height) < LEAST_SIDE:
        raise Refusal(
            f"This picture is {width} × {height}: too small to sight a camera from. "
            f"It needs at least {LEAST_SIDE} pixels a side."
        )
    facts, taken_with = _exif(image)
    deep = image.mode not in EIGHT_BIT or _depth(image, data) > 8
    alpha = "A" in image.mode or "transparency" in image.info
    try:
        image.load()
        if deep:
            turn = 1 if format == "TIFF" else int(facts.get("orientation", 1))
            pixels = _upright(_deep(data), turn)  # the TIFF reader has turned it already
        else:
            pixels = _plain(ImageOps.exif_transpose(image), alpha)
    except (OSError, ValueError, SyntaxError, EOFError, cv2.error) as error:
        raise Refusal(
            "This picture is cut short or damaged, so nothing was kept. Save or copy it again."
        ) from error
    return Still(
        np.ascontiguousarray(pixels), format, 16 if deep else 8, alpha,
        facts.get("focal_mm"), facts.get("focal_35mm"), taken_with,
        hashlib.sha256(data).hexdigest(),
    )  # fmt: skip


def _depth(image: Image.Image, data: bytes) -> int:
    """Bits a channel, as the file says: Pillow opens deep colour as 8 bit without a word."""
    if image.format == "PNG":
        return data[24]
    tags = getattr(image, "tag_v2", {})
    return max(tags.get(258, (8,))) if image.format == "TIFF" else 8


def _plain(image: Image.Image, alpha: bool) -> NDArray[np.uint8]:
    """8 bit, with what is transparent over black."""
    if alpha:
        rgba = image.convert("RGBA")
        under = Image.new("RGBA", rgba.size, (0, 0, 0, 255))
        image = Image.alpha_composite(under, rgba)
    return np.asarray(image.convert("RGB"))


def _deep(data: bytes) -> NDArray[np.uint8]:
    """More than 8 bit, brought to 8 for showing and casting."""
    raw = cv2.imdecode(
        np.frombuffer(data, np.uint8),
        cv2.IMREAD_ANYDEPTH | cv2.IMREAD_COLOR_RGB | cv2.IMREAD_IGNORE_ORIENTATION,
    )  # fmt: skip
    if raw is None:
        raise ValueError("undecodable")
    if raw.dtype == np.uint16:
        return np.asarray((raw.astype(np.uint32) + 128) // 257, np.uint8)
    if raw.dtype == np.uint8:
        return np.asarray(raw)
    bright = np.nan_to_num(raw.astype(np.float32), nan=0.0, posinf=1.0, neginf=0.0)
    low = bright <= 0.0031308
    shown = np.where(low, 12.92 * bright, 1.055 * np.maximum(bright, 1e-9) ** (1 / 2.4) - 0.055)
    return np.asarray(np.clip(shown, 0, 1) * 255 + 0.5, np.uint8)


def _upright(pixels: NDArray[np.uint8], orientation: int) -> NDArray[np.uint8]:
    """Turn and mirror as the file's orientation says (TIFF 6.0, tag 274)."""
    if orientation in (2, 4, 5, 7):
        pixels = pixels[:, ::-1]
    turns = {3: 2, 4: 2, 5: 1, 6: 3, 7: 3, 8: 1}.get(orientation, 0)
    return np.rot90(pixels, turns)


def _exif(image: Image.Image) -> tuple[dict[str, float], str | None]:
    """Orientation and lens facts, where the file has them and they make sense."""
    out: dict[str, float] = {}
    try:
        exif = image.getexif()
        inner = exif.get_ifd(ExifTags.IFD.Exif)
    except Exception:  # a broken block of facts must not cost the picture
        return out, None
    for tag, name, place in (
        (ExifTags.Base.Orientation, "orientation", exif),
        (ExifTags.Base.FocalLength, "focal_mm", inner),
        (ExifTags.Base.FocalLengthIn35mmFilm, "focal_35mm", inner),
    ):
        try:
            value = float(place[tag])
        except (KeyError, TypeError, ValueError, ZeroDivisionError):
            continue
        if (name == "orientation" and value in range(1, 9)) or 1 < value < 3000:
            out[name] = value
    model = exif.get(ExifTags.Base.Model)
    said = model.strip("\0 ")[:60] if isinstance(model, str) else ""
    return out, said or None


def preview(pixels: NDArray[np.uint8], longest: int) -> NDArray[np.uint8]:
    """The picture, made smaller where its longer side is more than a number of pixels."""
    h, w = pixels.shape[:2]
    s = longest / max(h, w)
    if s >= 1:
        return pixels
    size = (max(round(w * s), 1), max(round(h * s), 1))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8)


def png(pixels: NDArray[np.uint8], effort: int = 3) -> bytes:
    """PNG bytes of an (H, W, 3) or (H, W, 4) uint8 picture, red first."""
    order = cv2.COLOR_RGBA2BGRA if pixels.shape[2] == 4 else cv2.COLOR_RGB2BGR
    ok, out = cv2.imencode(
        ".png", cv2.cvtColor(pixels, order), [cv2.IMWRITE_PNG_COMPRESSION, effort]
    )
    if not ok:
        raise OSError("The picture could not be written as PNG.")
    return out.tobytes()
