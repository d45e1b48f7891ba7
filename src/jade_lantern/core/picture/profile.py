"""Colours of a file's own profile (ICC.1:2022) brought to sRGB, by Little CMS."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms

STRIP_ROWS = 256
EXACTLY = 0x0100  # without shortcuts
SPACES = {"RGB ": "rgb", "GRAY": "gray"}
UNREADABLE = "damaged, taken as sRGB"


@dataclass(frozen=True)
class Profile:
    """A profile that is not sRGB. space: rgb, gray or cmyk."""

    data: bytes
    name: str
    space: str

    def to_srgb(self, raw: NDArray[Any]) -> NDArray[Any]:
        """Values (H, W, C) uint8 or uint16, C with or without an alpha at the end, in sRGB: grey
        becomes colour; alpha stays as it is. What is of another space or depth is returned as it
        came."""
        shown = raw[..., None] if raw.ndim == 2 else raw
        colours = 3 if shown.shape[2] >= 3 else 1
        fits = {"rgb": 3, "gray": 1}.get(self.space) == colours
        if not fits or raw.dtype not in (np.uint8, np.uint16):
            return raw
        out = np.empty((*shown.shape[:2], 3 + shown.shape[2] - colours), raw.dtype)
        out[..., 3:] = shown[..., colours:]
        srgb = imagecodecs.cms_profile("srgb")
        # in 8 bit colour the shortcuts cost a value or two; elsewhere several
        flags = 0 if colours == 3 and raw.dtype == np.uint8 else EXACTLY

        for top in range(0, len(shown), STRIP_ROWS):
            rows = slice(top, top + STRIP_ROWS)
            part = np.ascontiguousarray(shown[rows, :, :colours])
            out[rows, :, :3] = imagecodecs.cms_transform(
                part if colours == 3 else part[..., 0], self.data, srgb, colorspace=self.space,
                outcolorspace="rgb", flags=flags,
            )  # fmt: skip
        return out

    def strip_to_srgb(self, image: Image.Image) -> Image.Image:
        """A picture of separations (CMYK) in sRGB."""
        shown = ImageCms.profileToProfile(
            image, io.BytesIO(self.data), ImageCms.createProfile("sRGB"), outputMode="RGB"
        )
        assert shown is not None
        return shown


def profile_of(data: bytes | None) -> tuple[Profile | None, str | None]:
    """What a file's profile asks for: nothing where it has none or is sRGB already; and what it
    is called, or that it cannot be read."""
    if not data:
        return None, None
    try:
        opened = ImageCms.ImageCmsProfile(io.BytesIO(data))
        name = (
            " ".join(str(ImageCms.getProfileDescription(opened)).split())[:80] or "without a name"
        )
        space = opened.profile.xcolor_space
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return None, UNREADABLE
    if "srgb" in name.lower():
        return None, None
    spaces = {**SPACES, "CMYK": "cmyk"}
    if space not in spaces:
        return None, f"{name}, not applied"
    return Profile(data, name, spaces[space]), name
