"""The renderer's tables as compiled code reads them: which lantern lights which surface by which
mapping, the plates' pixels, and what each lantern itself can see."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..arrays import Flags, Floats, Indices
from .pyramid import MOST_LEVELS


class Throws(NamedTuple):
    """A throw is one lantern on one surface. Those of surface s are first[s] to first[s + 1].

    first: (S + 1,). lantern: (T,) of each throw. mapping: (T, 3, 3) the homography of each throw
    from shot pixel to plate pixel; its w is the point's depth before the lantern times the
    surface's `inverse`. inverse: (S, 3) the inverse depth before the shot camera as a linear
    function of the pixel (x, y, 1); for a glazed surface it is multiplied by the weight of the
    rest position. plane: (S, 4) the plane that the surface lay in when it was cast on, n and n.p.
    clear: (S,) surfaces whose picture can be clear, so that what is behind them is looked for.
    """

    first: Indices
    lantern: Indices
    mapping: Floats
    inverse: Floats
    plane: Floats
    clear: Flags


class Buffers(NamedTuple):
    """The visibility buffers of lanterns that light only the first surface on their rays.

    address: (L,) of each buffer, (h, w) int32 surface numbers; 0 for a lantern that lights
    everything along its rays. size: (L, 2) w and h. scale: (L, 2) buffer pixels per plate pixel.
    first: (L,) where a lantern's surfaces begin in the next three. depth: (S, 3) inverse depth,
    linear in the buffer pixel. plane: (S, 4) in the world. target: (S,) which target it is of.
    """

    address: Indices
    size: Indices
    scale: Floats
    depth: Floats
    plane: Floats
    target: Indices
    first: Indices


# A plate and its mip levels. One array of records for all lanterns, not a NamedTuple of arrays:
# Numba copies a NamedTuple whole wherever one of its fields is read, which took longer than the
# lookups. address: of the pixels of all levels, one after another. deep: 1 where they are float32.
# edge: index into EDGES. dark: 1 where only alpha is taken, and no light. right, bottom: the
# plate's size, px. white: the value of full alpha. mixing: how it is laid over what is behind it,
# an index into MIXINGS. empty: address of the plate's cells of CELL pixels a side, (empty_high,
# empty_wide) bytes that are not 0 where a lookup in the cell finds nothing; 0 for an opaque plate.
# start, stride, scale: of each level: its first pixel and row length in pixels, and level pixels
# per plate pixel along x and y.
PLATE_RECORD = np.dtype([
    ("address", np.int64), ("deep", np.int64), ("levels", np.int64), ("edge", np.int64),
    ("dark", np.int64), ("right", float), ("bottom", float), ("strength", float),
    ("white", float), ("mixing", np.int64),
    ("empty", np.int64), ("empty_wide", np.int64), ("empty_high", np.int64),
    ("start", np.int64, (MOST_LEVELS,)), ("stride", np.int64, (MOST_LEVELS,)),
    ("scale", float, (MOST_LEVELS, 2)),
])  # fmt: skip
PlateRecord = Any  # one record
Plates = NDArray[Any]  # (L,) records


class Places(NamedTuple):
    """What diagnosis needs of plates instead of their pixels.

    right, bottom: (L,) sizes, px. edge: (L,) index into EDGES. through: (L,) lights everything
    along its rays. strength: (L,) 0 to 1. clear: (L,) address of (h, w) float32 alpha, 0
    for an opaque plate. clear_size: (L, 2) w and h. proxy: the proxy that each target is of.
    """

    right: Floats
    bottom: Floats
    edge: Indices
    through: Flags
    strength: Floats
    clear: Indices
    clear_size: Indices
    proxy: Indices
