"""Tables of what is thrown onto what, as compiled code reads them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..arrays import Flags, Floats, Indices
from .pyramid import MOST_LEVELS


class Throws(NamedTuple):
    """By surface: which of the throws are its own (first, S + 1), and of each throw the lantern and
    the mapping (3, 3) from shot pixel to plate pixel, w being the place's depth before the lantern
    times `inverse` (S, 3), which is linear in the pixel: its inverse depth before the shot camera,
    by its weight where it is glazed. plane: (S, 4) that the surface lay in when it was cast on."""

    first: Indices
    lantern: Indices
    mapping: Floats
    inverse: Floats
    plane: Floats


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


# A plate as compiled code reads it. One array of records for all lanterns, not a NamedTuple of
# arrays: compiled code copies a NamedTuple whole wherever one of its arrays is named, which took
# more time than the lookups did. white: what full alpha is. deep: pixels are float32.
FILM = np.dtype([
    ("address", np.int64), ("deep", np.int64), ("levels", np.int64), ("edge", np.int64),
    ("right", float), ("bottom", float), ("strength", float), ("white", float),
    ("start", np.int64, (MOST_LEVELS,)), ("stride", np.int64, (MOST_LEVELS,)),
    ("scale", float, (MOST_LEVELS, 2)),
])  # fmt: skip
Film = Any  # one record
Films = NDArray[Any]  # (L,) records


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
