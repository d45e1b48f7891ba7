"""Stills of every kind, and what is no still."""

import io
import struct
import zlib

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from jade_lantern.core.picture import pixels_named, png, preview, read_still
from jade_lantern.core.refusal import Refusal

PICTURE = np.dstack([np.add.outer(np.arange(80), np.arange(120))] * 3).astype(np.uint8)

NOISE = np.random.default_rng(0).integers(0, 256, (80, 120, 3)).astype(np.uint8)


def encoded(format: str, picture=PICTURE, **more) -> bytes:
    out = io.BytesIO()
    Image.fromarray(picture).save(out, format, **more)
    return out.getvalue()


COLOURS = NOISE // 3 * 3 // 17 * 17  # sixteen levels, so that every depth holds them exactly
ALPHA = np.repeat(np.arange(0, 256, 17, dtype=np.uint8), 5)[:, None].repeat(120, axis=1)
SHOWN_OVER_BLACK = ((COLOURS.astype(int) * ALPHA[..., None] + 127) // 255).astype(np.uint8)


def as_depth(values: np.ndarray, depth: str) -> np.ndarray:
    """Values of 0 to 255 at another depth: whole numbers by value, floating ones as light."""
    if depth.startswith("float"):
        v = values / 255
        light = np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)
        return light.astype(depth)
    return values.astype(depth) * (np.iinfo(depth).max // 255)


def made(channels: int) -> tuple[np.ndarray, np.ndarray]:
    """(H, W[, C]) grey or colour with or without alpha, and how it is to be shown."""
    grey = COLOURS[..., 0]
    shown_grey = SHOWN_OVER_BLACK[..., 0]
    whole = {
        1: grey, 2: np.dstack([grey, ALPHA]), 3: COLOURS, 4: np.dstack([COLOURS, ALPHA]),
    }[channels]  # fmt: skip
    shown = {1: grey, 2: shown_grey, 3: COLOURS, 4: SHOWN_OVER_BLACK}[channels]
    return whole, shown if shown.ndim == 3 else np.dstack([shown] * 3)


def tiff(values: np.ndarray, **more: object) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, values, **more)  # type: ignore[arg-type]
    return out.getvalue()


TIFFS = [
    (depth, channels, {"compression": compression, "planarconfig": layout, "byteorder": order})
    for depth in ("uint8", "uint16", "uint32", "float16", "float32", "float64")
    for channels in (1, 2, 3, 4)
    for compression in (None, "lzw", "deflate", "zstd", "lzma", "packbits")
    for layout, order in (("contig", "<"), ("separate", ">"))
    if not (channels == 1 and layout == "separate")
]


@pytest.mark.parametrize(("depth", "channels", "how"), TIFFS)
def test_every_tiff_reads_back_as_it_was_written(depth, channels, how):
    values, shown = made(channels)
    stored = np.ascontiguousarray(as_depth(values, depth))
    if channels > 1 and how["planarconfig"] == "separate":
        stored = np.ascontiguousarray(np.moveaxis(stored, -1, 0))
    data = tiff(
        stored, photometric="rgb" if channels > 2 else "minisblack", rowsperstrip=7,
        extrasamples=["unassalpha"] if channels in (2, 4) else None,
        **(how if channels > 1 else {**how, "planarconfig": None}),
    )  # fmt: skip
    still = read_still(data)
    assert (still.format, still.bits) == ("TIFF", 8 * np.dtype(depth).itemsize)
    assert still.alpha == (channels in (2, 4))
    assert np.array_equal(still.pixels, shown)


@pytest.mark.parametrize("depth", ["uint8", "uint16"])
@pytest.mark.parametrize("channels", [1, 2, 3, 4])
def test_every_png_reads_back_as_it_was_written(depth, channels):
    values, shown = made(channels)
    data = imagecodecs.png_encode(np.ascontiguousarray(as_depth(values, depth)))
    still = read_still(data)
    assert (still.format, still.bits) == ("PNG", 8 * np.dtype(depth).itemsize)
    assert still.alpha == (channels in (2, 4))
    assert np.array_equal(still.pixels, shown)


@pytest.mark.parametrize("mode", ["1", "L", "LA", "P", "RGB", "RGBA", "CMYK", "YCbCr"])
@pytest.mark.parametrize("format", ["PNG", "TIFF", "JPEG", "WEBP"])
def test_every_kind_of_eight_bit_reads_back(format, mode):
    """Against Pillow's own conversion of the same picture; smooth, for JPEG and WebP lose some."""
    image = Image.fromarray(PICTURE).convert(mode)
    if mode in ("LA", "RGBA"):
        image.putalpha(Image.fromarray(ALPHA))
    out = io.BytesIO()
    try:
        image.save(out, format, **({"lossless": True} if format == "WEBP" else {}))
    except (OSError, KeyError):
        pytest.skip("no such file can be written")
    still = read_still(out.getvalue())
    back = Image.open(io.BytesIO(out.getvalue()))
    want = np.asarray(back.convert("RGB"))
    if "A" in back.mode:
        assert still.alpha
        alpha = np.asarray(back.getchannel("A")).astype(int)[..., None]
        want = ((np.asarray(back.convert("RGBA"))[..., :3] * alpha + 127) // 255).astype(np.uint8)
    assert np.array_equal(still.pixels, want)
    if mode in ("L", "RGB", "YCbCr"):  # the others lose something before they are written
        off = np.abs(still.pixels.astype(int) - PICTURE).max()
        assert off <= (8 if format == "JPEG" else mode == "YCbCr")


def test_an_embedded_profile_leaves_the_numbers_as_they_are():
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
    for format in ("PNG", "TIFF"):
        still = read_still(encoded(format, NOISE, icc_profile=profile))
        assert np.array_equal(still.pixels, NOISE)


def test_premultiplied_alpha_is_laid_over_black_already():
    data = tiff(
        np.dstack([SHOWN_OVER_BLACK, ALPHA]), photometric="rgb", extrasamples=["assocalpha"]
    )
    assert np.array_equal(read_still(data).pixels, SHOWN_OVER_BLACK)


def test_white_that_is_zero_is_turned_round():
    data = tiff(255 - COLOURS[..., 0], photometric="miniswhite")
    assert np.array_equal(read_still(data).pixels[..., 1], COLOURS[..., 0])


def test_no_memory_of_another_picture_is_ever_shown():
    """A 16-bit RGB TIFF once came out as whatever had stood in memory before it."""
    for level in (1, 77, 200):
        deep = np.full((80, 120, 3), level * 257, np.uint16)
        assert (read_still(tiff(deep, photometric="rgb")).pixels == level).all()


def test_a_phones_jpeg_with_a_second_picture_is_its_first():
    out = io.BytesIO()
    first, second = Image.fromarray(PICTURE), Image.fromarray(255 - PICTURE)
    first.save(out, "MPO", save_all=True, append_images=[second], quality=95)
    still = read_still(out.getvalue())
    assert still.format == "JPEG"
    assert np.abs(still.pixels.astype(int) - PICTURE).max() <= 4


@pytest.mark.parametrize("format", ["JPEG", "PNG", "TIFF", "WEBP"])
def test_odd_facts_cost_neither_the_picture_nor_its_orientation(format):
    exif = Image.Exif()
    exif[274] = 3
    exif[0x0110] = "Quay\x1b[2J Camera\0\0"
    if format != "TIFF":
        exif[0x829A] = "no exposure"  # a word where a fraction belongs
        exif[0x0132] = b"\xff\xfe"
        exif.get_ifd(0x8769)[0x920A] = "long"
    still = read_still(encoded(format, np.ascontiguousarray(PICTURE[::-1, ::-1]), exif=exif))
    assert np.abs(still.pixels.astype(int) - PICTURE).max() <= 8
    assert still.focal_mm is None
    assert still.taken_with in ("Quay[2J Camera", None)


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
        (tiff(np.zeros((70, 70), np.int32)), "signed"),
        (tiff(np.zeros((70, 70), np.complex64)), "signed or complex"),
        (encoded("PNG", np.zeros((64, 41_000), np.uint8)), "40,000"),
    ],
)
def test_what_is_no_still_is_refused_in_words(data, word):
    with pytest.raises(Refusal, match=word):
        read_still(data)


def parts_of(data: bytes) -> list[tuple[bytes, bytes]]:
    parts, at = [], 8
    while at < len(data):
        (length,) = struct.unpack(">I", data[at : at + 4])
        parts.append((data[at + 4 : at + 8], data[at + 8 : at + 8 + length]))
        at += 12 + length
    return parts


def png_of(parts: list[tuple[bytes, bytes]]) -> bytes:
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        struct.pack(">I", len(d)) + k + d + struct.pack(">I", zlib.crc32(k + d)) for k, d in parts
    )


@pytest.mark.parametrize("depth", ["uint8", "uint16"])
@pytest.mark.parametrize("interlaced", [False, True])
def test_a_damaged_png_is_refused_and_never_shown_garbled(depth, interlaced):
    parts = parts_of(imagecodecs.png_encode(as_depth(COLOURS, depth)))
    if interlaced:  # what follows is packed otherwise then, so it is damaged in any case
        head = bytearray(parts[0][1])
        head[12] = 1
        parts[0] = (b"IHDR", bytes(head))
    whole = png_of(parts)
    assert interlaced or read_still(whole).width == 120
    emptied = png_of([(k, b"" if k == b"IDAT" else d) for k, d in parts])
    dropped = png_of([(k, d) for k, d in parts if k != b"IDAT"])
    flips = []
    for at in range(60, len(whole) - 20, len(whole) // 25):
        flipped = bytearray(whole)
        flipped[at] ^= 0x10
        flips.append(bytes(flipped))
    cuts = [whole[: int(len(whole) * f)] for f in (0.2, 0.5, 0.9)]
    for data in (emptied, dropped, *flips, *cuts):
        with pytest.raises(Refusal, match=r"damaged|no picture"):
            read_still(data)


def test_the_limit_can_be_set_and_is_decided_from_the_header():
    assert pixels_named(bomb()) == 900_000_000
    assert pixels_named(tiff(np.zeros((64, 99), np.float32))) == 64 * 99
    assert pixels_named(b"no picture") == 0
    with pytest.raises(Refusal, match="megapixels"):
        read_still(encoded("PNG"), most_pixels=5000)


def test_a_preview_is_never_larger_than_asked_nor_than_it_is():
    assert preview(PICTURE, 60).shape == (40, 60, 3)
    assert preview(PICTURE, 600) is PICTURE
    assert np.array_equal(read_still(png(PICTURE)).pixels, PICTURE)
