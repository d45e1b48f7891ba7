"""Pictures with a colour profile of their own are shown in sRGB, by the matrices of the colour
spaces themselves (IEC 61966-2-1; CIE 15)."""

import io
import struct
import zlib

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from jade_lantern.core.picture import read_still

WHITE = [0.3127, 0.3290]
SRGB = [0.64, 0.33, 0.30, 0.60, 0.15, 0.06]
WIDE = [0.68, 0.32, 0.265, 0.69, 0.15, 0.06]
GAMMA = 2.2


def profile(primaries=WIDE, gamma=GAMMA) -> bytes:
    x = [v for i in range(3) for v in (primaries[2 * i], primaries[2 * i + 1], 1.0)]
    made = imagecodecs.cms_profile("rgb", whitepoint=[*WHITE, 1.0], primaries=x, gamma=gamma)
    return bytes(made)


def to_xyz(primaries) -> np.ndarray:
    """The matrix (3, 3) of a space from its primaries and white."""
    columns = np.array(
        [[x / y, 1, (1 - x - y) / y] for x, y in np.array(primaries).reshape(3, 2)]
    ).T
    x, y = WHITE
    return columns * np.linalg.solve(columns, [x / y, 1, (1 - x - y) / y])


def expected(shares: np.ndarray) -> np.ndarray:
    """sRGB values (0 to 1) of values (0 to 1) in the wide space."""
    light = np.linalg.solve(to_xyz(SRGB), to_xyz(WIDE) @ (shares**GAMMA).T).T.clip(0, 1)
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


@pytest.fixture(scope="module")
def shares() -> np.ndarray:
    rng = np.random.default_rng(6)
    # not so strong that sRGB could not hold them
    grey = rng.uniform(0.15, 0.85, (96, 80, 1))
    return (grey + rng.uniform(-0.12, 0.12, (96, 80, 3))).clip(0, 1)


def saved(kind: str, values: np.ndarray, icc: bytes) -> bytes:
    out = io.BytesIO()
    if kind == "TIFF":
        extra = {"extrasamples": ["unassalpha"]} if values.shape[2] == 4 else {}
        tifffile.imwrite(out, values, photometric="rgb", iccprofile=icc, **extra)
    elif values.dtype == np.uint16:
        return with_profile(imagecodecs.png_encode(values), icc)
    else:
        Image.fromarray(values).save(out, kind, icc_profile=icc, quality=100, lossless=True)
    return out.getvalue()


def with_profile(png: bytes, icc: bytes) -> bytes:
    """A PNG with an iCCP chunk behind its header."""
    body = b"iCCPmade\0\0" + zlib.compress(icc)
    chunk = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    return png[:33] + chunk + png[33:]


@pytest.mark.parametrize(
    ("kind", "depth", "alpha"),
    [("PNG", 8, False), ("PNG", 8, True), ("PNG", 16, False), ("PNG", 16, True),
     ("TIFF", 8, False), ("TIFF", 16, False), ("TIFF", 16, True), ("WEBP", 8, False)],
)  # fmt: skip
def test_a_wide_picture_is_shown_in_srgb(kind, depth, alpha, shares):
    most = 2**depth - 1
    values = np.rint(shares * most).astype(np.uint8 if depth == 8 else np.uint16)
    cover = np.linspace(0.3, 1, 80)[None, :, None] * np.ones((96, 1, 1))
    if alpha:
        values = np.concatenate([values, np.rint(cover * most).astype(values.dtype)], axis=2)
    still = read_still(saved(kind, values, profile()))
    truth = expected(shares.reshape(-1, 3)).reshape(shares.shape) * 255
    if alpha:
        truth = truth * cover
    assert still.alpha == alpha
    assert still.profile
    assert np.abs(still.pixels - truth).max() < (1.6 if depth == 16 else 3.0)
    assert np.abs(still.pixels - truth).mean() < 0.5
    # and it is another picture than by the bare numbers
    assert np.abs(shares * 255 * (cover if alpha else 1) - truth).max() > 8


def test_a_jpegs_profile_is_applied_too(shares):
    flat = np.full((96, 80, 3), [0.7, 0.4, 0.3])
    values = np.rint(flat * 255).astype(np.uint8)
    still = read_still(saved("JPEG", values, profile()))
    assert np.abs(still.pixels - expected(flat.reshape(-1, 3))[0] * 255).max() < 3


def test_grey_with_its_own_curve_is_shown_right():
    ramp = np.tile(np.linspace(0, 255, 128).astype(np.uint8), (96, 1))
    linear = imagecodecs.cms_profile("gray", whitepoint=[*WHITE, 1.0], gamma=1.0)
    out = io.BytesIO()
    Image.fromarray(ramp).save(out, "PNG", icc_profile=bytes(linear))
    light = ramp / 255.0
    curved = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055) * 255
    assert np.abs(read_still(out.getvalue()).pixels - curved[..., None]).max() < 2.5


def test_srgb_named_or_unreadable_profiles_leave_the_numbers_as_they_are(shares):
    values = np.rint(shares * 255).astype(np.uint8)
    named = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    plain = read_still(saved("PNG", values, named))
    assert plain.profile is None
    assert (plain.pixels == values).all()
    broken = read_still(saved("PNG", values, b"this is no profile at all" * 9))
    assert (broken.pixels == values).all()
    assert broken.profile == "damaged, taken as sRGB"
