"""Stills of every kind, and what is no still."""

import io
import struct
import zlib

import numpy as np
import pytest
from PIL import Image

from jade_lantern.core.picture import png, preview, read_still
from jade_lantern.core.refusal import Refusal

PICTURE = np.dstack([np.add.outer(np.arange(80), np.arange(120))] * 3).astype(np.uint8)

NOISE = np.random.default_rng(0).integers(0, 256, (80, 120, 3)).astype(np.uint8)


def encoded(format: str, picture=PICTURE, **more) -> bytes:
    out = io.BytesIO()
    Image.fromarray(picture).save(out, format, **more)
    return out.getvalue()


@pytest.mark.parametrize(
    ("format", "said"), [("PNG", "PNG"), ("TIFF", "TIFF"), ("WEBP", "WebP"), ("JPEG", "JPEG")]
)
def test_the_common_formats_are_read(format, said):
    still = read_still(encoded(format, **({"lossless": True} if format == "WEBP" else {})))
    assert (still.format, still.width, still.height, still.bits) == (said, 120, 80, 8)
    assert np.abs(still.pixels.astype(int) - PICTURE).max() <= (4 if format == "JPEG" else 0)


DEEP = PICTURE[..., 0].astype(np.uint16) * 257


@pytest.mark.parametrize("picture", [PICTURE, DEEP], ids=["8 bit", "16 bit"])
@pytest.mark.parametrize("format", ["PNG", "TIFF"])
@pytest.mark.parametrize("orientation", range(1, 9))
def test_orientation_is_honoured(format, orientation, picture):
    """The stored rows and columns run as TIFF 6.0 says of the tag; upright is PICTURE."""
    stored = {
        1: picture,
        2: picture[:, ::-1],
        3: picture[::-1, ::-1],
        4: picture[::-1],
        5: picture.swapaxes(0, 1),
        6: np.rot90(picture, 1),
        7: np.rot90(picture, 2).swapaxes(0, 1),
        8: np.rot90(picture, 3),
    }[orientation]
    exif = Image.Exif()
    exif[274] = orientation
    still = read_still(encoded(format, np.ascontiguousarray(stored), exif=exif))
    assert np.array_equal(still.pixels, PICTURE)


def test_lens_facts_are_read():
    exif = Image.Exif()
    exif.get_ifd(0x8769).update({0x920A: 24.0, 0xA405: 36})
    exif[0x0110] = "Quay Camera"
    still = read_still(encoded("JPEG", exif=exif))
    assert (still.focal_mm, still.focal_35mm, still.taken_with) == (24.0, 36.0, "Quay Camera")


def test_sixteen_bit_is_brought_to_eight_by_value():
    deep = (np.arange(64 * 64).reshape(64, 64) * 16).astype(np.uint16)
    still = read_still(encoded("PNG", deep))
    assert still.bits == 16
    assert np.array_equal(still.pixels[..., 0], np.round(deep / 257).astype(np.uint8))


def test_transparency_is_shown_over_black():
    rgba = np.full((64, 64, 4), 200, np.uint8)
    rgba[:, :32, 3] = 0
    still = read_still(encoded("PNG", rgba))
    assert still.alpha
    assert not still.pixels[:, :32].any()


def bomb() -> bytes:
    """A PNG of 30,000 x 30,000 in a few hundred bytes."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        body = kind + data
        return struct.pack(">I", len(data)) + body + struct.pack(">I", zlib.crc32(body))

    head = struct.pack(">IIBBBBB", 30_000, 30_000, 8, 2, 0, 0, 0)
    rows = zlib.compress(bytes(1000))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


@pytest.mark.parametrize(
    ("data", "word"),
    [
        (b"", "empty"),
        (b"hello" * 100, "no picture"),
        (b"GIF89a" + bytes(50), "no picture"),
        (encoded("PNG", NOISE)[:9000], "cut short"),
        (encoded("JPEG", NOISE)[:3000], "cut short"),
        (encoded("TIFF", NOISE)[:9000], "cut short"),
        (encoded("PNG", np.zeros((1, 1, 3), np.uint8)), "too small"),
        (bomb(), "megapixels"),
    ],
)
def test_what_is_no_still_is_refused_in_words(data, word):
    with pytest.raises(Refusal, match=word):
        read_still(data)


def test_a_preview_is_never_larger_than_asked_nor_than_it_is():
    assert preview(PICTURE, 60).shape == (40, 60, 3)
    assert preview(PICTURE, 600) is PICTURE
    assert np.array_equal(read_still(png(PICTURE)).pixels, PICTURE)
