"""Pictures made smaller, and written as files."""

from __future__ import annotations

import io
from typing import Any

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray


def preview(pixels: NDArray[np.uint8], longest: int) -> NDArray[np.uint8]:
    """The picture, made smaller where its longer side is more than a number of pixels."""
    h, w = pixels.shape[:2]
    s = longest / max(h, w)
    if s >= 1:
        return pixels
    size = (max(round(w * s), 1), max(round(h * s), 1))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8)


def png(pixels: NDArray[Any], effort: int = 3) -> bytes:
    """PNG bytes of an (H, W, 3) or (H, W, 4) uint8 or uint16 picture, red first."""
    order = cv2.COLOR_RGBA2BGRA if pixels.shape[2] == 4 else cv2.COLOR_RGB2BGR
    ok, out = cv2.imencode(
        ".png", cv2.cvtColor(pixels, order), [cv2.IMWRITE_PNG_COMPRESSION, effort]
    )
    if not ok:
        raise OSError("The picture could not be written as PNG.")
    return out.tobytes()


def jpeg(pixels: NDArray[np.uint8], quality: int = 90) -> bytes:
    """JPEG bytes of an (H, W, 3) uint8 picture, red first."""
    turned = cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR)
    ok, out = cv2.imencode(".jpg", turned, [cv2.IMWRITE_JPEG_QUALITY, quality])
    if not ok:
        raise OSError("The picture could not be written as JPEG.")
    return out.tobytes()


def encoded(pixels: NDArray[Any]) -> bytes:
    """The bytes of a file that keeps a picture (H, W, 3 or 4) as it is: a PNG of uint8 and uint16,
    a TIFF of float32."""
    if pixels.dtype.kind != "f":
        return png(pixels, effort=1)
    out = io.BytesIO()
    alpha = {"extrasamples": ["unassalpha"]} if pixels.shape[2] == 4 else {}
    tifffile.imwrite(
        out, pixels.astype(np.float32), photometric="rgb", compression="deflate", **alpha
    )
    return out.getvalue()
