"""Tables of what is thrown onto what, as compiled code reads them."""

from __future__ import annotations

from typing import NamedTuple

from ..arrays import Flags, Floats, Indices


class Throws(NamedTuple):
    """By surface: which of the throws are its own (first, S + 1), and of each throw the lantern and
    the mapping (3, 3) from shot pixel to plate pixel, w being the place's depth before the lantern
    times its inverse depth before the shot camera."""

    first: Indices
    lantern: Indices
    mapping: Floats


class Sights(NamedTuple):
    """What lanterns see that land on first surfaces only. address: of (h, w) int32 surfaces, 0 for
    lanterns that go through; size: (L, 2) w and h; scale: (L, 2) from plate pixels; depth: inverse
    depths of all their surfaces; plane: in the world; target: whose they are; first: (L,)
    where each one's begin."""

    address: Indices
    size: Indices
    scale: Floats
    depth: Floats
    plane: Floats
    target: Indices
    first: Indices


class Films(NamedTuple):
    """Plates of all lanterns. start, stride: (L, levels). scale: (L, levels, 2). right, bottom:
    (L,) their size. deep: pixels are float32. white: what full alpha is."""

    address: Indices
    levels: Indices
    start: Indices
    stride: Indices
    scale: Floats
    right: Floats
    bottom: Floats
    edge: Indices
    strength: Floats
    deep: bool
    white: float


class Places(NamedTuple):
    """Where lanterns' plates end, (L,), and how far they cover: without their pixels. lit: their
    strength is not nothing. clear: address of (h, w) float32 alpha, 0 where there is none.
    proxy: of each target."""

    right: Floats
    bottom: Floats
    edge: Indices
    through: Flags
    lit: Flags
    clear: Indices
    clear_size: Indices
    proxy: Indices
