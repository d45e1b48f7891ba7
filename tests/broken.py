"""Pictures that are damaged in every way that is easy to make."""

from __future__ import annotations

import io
import random
import struct
from collections.abc import Iterator

import imagecodecs
import numpy as np
import tifffile
from PIL import Image

PICTURE = np.random.default_rng(5).integers(0, 256, (72, 96, 4)).astype(np.uint8)


def whole_pictures() -> dict[str, bytes]:
    """One sound picture of each kind, by name."""
    out = {}
    for format in ("PNG", "JPEG", "WEBP", "TIFF"):
        file = io.BytesIO()
        Image.fromarray(PICTURE[..., :3]).save(file, format)
        out[f"a.{format.lower()}"] = file.getvalue()
    out["deep.png"] = imagecodecs.png_encode(PICTURE.astype(np.uint16) * 257)
    for name, more in {
        "lzw": {"compression": "lzw"}, "tiles": {"tile": (32, 32), "compression": "deflate"},
        "planes": {"planarconfig": "separate"}, "big": {"bigtiff": True},
    }.items():  # fmt: skip
        file = io.BytesIO()
        pixels = PICTURE[..., :3].astype(np.uint16)
        if name == "planes":
            pixels = np.ascontiguousarray(np.moveaxis(pixels, -1, 0))
        tifffile.imwrite(file, pixels, photometric="rgb", **more)
        out[f"{name}.tiff"] = file.getvalue()
    file = io.BytesIO()
    exif = Image.Exif()
    exif[274] = 6
    exif[0x0110] = "Quay Camera"
    Image.fromarray(PICTURE[..., :3]).save(file, "JPEG", exif=exif, progressive=True)
    out["turned.jpeg"] = file.getvalue()
    return out


def broken_pictures(times: int, seed: int = 0) -> Iterator[tuple[str, bytes]]:
    """So many damaged pictures, each with a name. Some may happen to be sound."""
    chance = random.Random(seed)
    kinds = list(whole_pictures().items())
    for _ in range(times):
        name, data = chance.choice(kinds)
        yield f"{chance.choice(ODD_NAMES)}{name}", damaged(bytearray(data), chance)


ODD_NAMES = ["", "", "", "../", "x" * 300, "\u202e", "a;b", "%00", "'", "con."]


def damaged(data: bytearray, chance: random.Random) -> bytes:
    """The bytes with a bit flipped, an end cut off, a piece gone or put in, or numbers changed."""
    way = chance.randrange(7)
    near = chance.randrange(min(len(data), 300))  # headers stand at the front, tables at the end
    at = chance.choice([near, len(data) - 1 - near, chance.randrange(len(data))])
    if way == 0:
        data[at] ^= 1 << chance.randrange(8)
    elif way == 1:
        del data[at:]
    elif way == 2:
        del data[at : at + chance.randrange(1, 40)]
    elif way == 3:
        data[at : at + 4] = struct.pack("<I", chance.choice([0, 1, 2**31 - 1, 2**32 - 1, 65536]))
    elif way == 4:
        data[at : at + 2] = struct.pack(">H", chance.choice([0, 1, 255, 65535]))
    elif way == 5:
        data[at:at] = bytes(chance.randrange(256) for _ in range(chance.randrange(1, 40)))
    else:
        for _ in range(30):
            data[chance.randrange(len(data))] = chance.randrange(256)
    return bytes(data)
