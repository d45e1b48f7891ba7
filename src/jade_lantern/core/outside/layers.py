"""Layered pictures and movies, brought to plain pictures where they are read."""

from __future__ import annotations

import io
from collections.abc import Collection
from typing import Any, NamedTuple

from numpy.typing import NDArray

from ..budget import Budget
from ..picture import png, read_deep
from ..picture.footage import frame_of
from ..picture.openraster import painted, read_layers, whole
from ..picture.source import SourceFacts, source_of
from ..refusal import Refusal


class Flat(NamedTuple):
    """One picture (H, W, 3 or 4). missing: names of layers that could not be read. bytes: what it
    took of the budget."""

    pixels: NDArray[Any]
    missing: tuple[str, ...]
    bytes: int


class OneLayer(NamedTuple):
    """A layer on its whole canvas, as a PNG. dtype: of its numbers."""

    name: str
    png: bytes
    width: int
    height: int
    alpha: bool
    bits: int


class Plates(NamedTuple):
    layers: list[OneLayer]
    missing: tuple[str, ...]
    bytes: int


def read_flat(data: bytes, most_pixels: int, most_bytes: int, guides: Collection[str]) -> Flat:
    """What shows of an OpenRaster file but for layers of certain names. Raises Refusal."""
    budget = Budget(most_bytes)
    layers = read_layers(data, most_pixels, budget)
    return Flat(painted(layers, guides), layers.missing, most_bytes - budget.left_bytes)


def read_plates(data: bytes, most_pixels: int, most_bytes: int, guides: Collection[str]) -> Plates:
    """Each layer of an OpenRaster file but those of certain names. Raises Refusal."""
    budget = Budget(most_bytes)
    layers = read_layers(data, most_pixels, budget)
    out = []
    for layer in layers.layers:
        if layer.name in guides:
            continue
        budget.take(0)  # which asks for the time
        file = png(whole(layers, layer))
        pixels = read_deep(file)
        out.append(
            OneLayer(
                layer.name, file, layers.width, layers.height, pixels.shape[2] == 4,
                8 * pixels.dtype.itemsize,
            )
        )  # fmt: skip
    return Plates(out, layers.missing, most_bytes - budget.left_bytes)


class OverTime(NamedTuple):
    """Pictures over time: the first of them (H, W, 3 or 4), and what there is to know of all."""

    picture: NDArray[Any]
    facts: SourceFacts


def read_over_time(data: bytes, most_pixels: int) -> OverTime:
    """A movie or a numbered sequence. Raises Refusal where it is none, is larger than can be worked
    on, or its pictures are of several sizes."""
    source = source_of(io.BytesIO(data))
    facts = source.facts
    if facts.width * facts.height > most_pixels:
        raise Refusal("These pictures are larger than can be worked on.")
    source.check()
    return OverTime(source.at(0), facts)


def read_frame(data: bytes, number: int, most_pixels: int) -> NDArray[Any]:
    """One frame (H, W, 3) of a movie. Raises Refusal."""
    return frame_of(data, number, most_pixels)
