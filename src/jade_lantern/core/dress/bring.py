"""Files that become guests: models, pictures, clips and fonts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from ..budget import Budget
from ..outside.layers import read_over_time
from ..outside.process import read_apart
from ..outside.surfaces import Model
from ..picture import read_deep, read_still
from ..picture.eight import eight_bit_alpha
from ..picture.source import numbered, plays, sequence_name, sequence_of
from ..refusal import Refusal
from ..render.pyramid import Picture
from ..scene.guests import Guest, ModelFile, ModelGuest, PictureGuest
from ..scene.pictures import playing_plate, said_of
from ..scene.plate import Plate
from ..value import NEW_ID
from .glyphs import try_font
from .pieces import model_in
from .standing import natural_height

MODELS = ("glb", "obj", "zip", "usd", "usda", "usdc", "usdz")
FONTS = ("ttf", "otf", "woff", "woff2", "ttc")
FEET = 0.04  # of the picture's height, from the lowest that is seen: where the feet are
MOST_PICTURE_BYTES = 640 << 20  # of a picture that becomes a card, decoded
SEEN = 128  # of 255: what covers more is seen

Keep = Callable[[bytes], str]  # keeps a file, and gives its digest


class Come(NamedTuple):
    """A guest that a file became. said: what is odd about the file, in words."""

    guest: Guest
    said: list[str]


def guest_of(
    files: Sequence[tuple[str, bytes]], keep_picture: Keep, keep_file: Keep, most_pixels: int,
    fps: float,
) -> Come:  # fmt: skip
    """The guest that a file becomes; files that differ by a number are one clip. keep_picture:
    keeps what can be shown. Raises Refusal where it is none that can be read, naming it."""
    if len(files) > 1:
        if not numbered([name for name, _ in files]):
            raise Refusal(
                "Several files are one clip where they differ by a number. Bring others one by one."
            )
        files = [(sequence_name(files[0][0]), sequence_of(files))]
    name, data = files[0]
    stem, _, ending = name.replace("\\", "/").rsplit("/", 1)[-1].rpartition(".")
    stem, ending = (stem or ending)[:72] or "guest", ending.lower()
    if ending in MODELS and not plays(data[:16]):
        return _model(stem, data, ending, name, keep_file)
    if plays(data[:16]):
        first = read_apart(read_over_time, data, most_pixels)
        plate = playing_plate(stem, keep_picture(data), first.facts, fps)
        return _card(stem, plate, first.picture, said_of(first.facts))
    if ending in FONTS:
        raise Refusal(f"{name} is a font. Choose words first, and bring it for them.")
    still = read_still(data, most_pixels, Budget(MOST_PICTURE_BYTES))
    picture = read_deep(data) if still.alpha or still.bits > 8 else still.pixels
    plate = Plate(
        name=stem, width=still.pixels.shape[1], height=still.pixels.shape[0],
        digest=keep_picture(data), format=still.format, bits=still.bits, alpha=still.alpha,
    )  # fmt: skip
    return _card(stem, plate, picture, [])


def _model(stem: str, data: bytes, kind: str, name: str, keep: Keep) -> Come:
    model = model_in(data, kind, name)
    low, high = model.points.min(axis=0), model.points.max(axis=0)
    wide, tall, deep = (high - low).tolist()
    height, odd = natural_height((wide, tall, deep), model.unit_m)
    file = ModelFile.model_validate({
        "name": name[-80:], "digest": keep(data), "format": kind,
        "triangles": len(model.triangles), "pictures": _pictures(model), "size": (wide, tall, deep),
    })  # fmt: skip
    guest = ModelGuest(id=NEW_ID, name=stem, height_m=height, file=file)
    return Come(guest, [*model.said, *([] if odd is None else [odd])])


def _pictures(model: Model) -> int:
    return sum(surface.picture is not None for surface in model.surfaces)


def _card(stem: str, plate: Plate, picture: Picture, said: list[str]) -> Come:
    feet = feet_of(picture)
    return Come(PictureGuest(id=NEW_ID, name=stem, height_m=1.0, plate=plate, feet=feet), said)


def feet_of(picture: Picture) -> tuple[float, float]:
    """Where the feet of a cut-out figure are, in widths and heights of its picture: the middle of
    the lowest that is seen of it; of one that is not cut out, of its lower edge."""
    if picture.shape[2] < 4:
        return 0.5, 1.0
    seen = eight_bit_alpha(picture[..., 3:])[..., 0] > SEEN
    rows = np.nonzero(seen.any(axis=1))[0]
    if not len(rows):
        return 0.5, 1.0
    high, wide = seen.shape
    lowest = int(rows[-1]) + 1
    part = seen[max(lowest - max(round(FEET * high), 1), 0) : lowest]
    columns = np.nonzero(part.any(axis=0))[0]
    across = (int(columns[0]) + int(columns[-1]) + 1) / 2
    return round(across / wide, 6), round(lowest / high, 6)


def font_of(data: bytes, name: str, keep: Keep) -> str:
    """The digest of a font's file, kept. Raises Refusal where it is none that can be read."""
    try_font(data, name)
    return keep(data)
