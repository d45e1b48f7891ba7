"""Tables of colours: a 3D table in a .cube file, as a look takes it."""

from __future__ import annotations

import io
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from PyOpenColorIO import (
    INTERP_LINEAR,
    OPTIMIZATION_LOSSLESS,
    Config,
    Lut3DTransform,
)

from ..arrays import Floats32
from ..outside.process import read_apart
from ..refusal import Refusal

MOST_SIDE = 129
MOST_BYTES = 120 << 20
MOST_ROW = 200  # characters
SECONDS = 15.0  # that reading one may take
WORDS = ("TITLE", "LUT_3D_SIZE", "DOMAIN_MIN", "DOMAIN_MAX", "LUT_3D_INPUT_RANGE")


class Table(NamedTuple):
    """values: (N, N, N, 3) what colours become, by blue, green and red, so that red goes fastest as
    it does in the file. low, high: (3,) the colours at its ends."""

    values: Floats32
    low: tuple[float, float, float]
    high: tuple[float, float, float]


@lru_cache(maxsize=4)
def read_table(data: bytes) -> Table:
    """The 3D table of a .cube file, read in a process of its own. Raises Refusal where it has none,
    or is damaged."""
    if len(data) > MOST_BYTES:
        raise Refusal("This table is larger than can be read.")
    return read_apart(_read, data, seconds=SECONDS)


def _read(data: bytes) -> Table:
    side, low, high = 0, (0.0, 0.0, 0.0), (1.0, 1.0, 1.0)
    rows: list[str] = []
    for line in io.TextIOWrapper(io.BytesIO(data), "utf-8", "replace"):
        plain = line.strip()
        if not plain or plain.startswith("#"):
            continue
        word, _, rest = plain.partition(" ")
        if not word[0].isalpha():
            rows.append(plain)
            if len(rows) > MOST_SIDE**3 or len(plain) > MOST_ROW:
                raise _damaged()
            continue
        if word == "LUT_1D_SIZE":
            raise Refusal("This is a table of one channel at a time; a 3D table is looked for.")
        try:
            if word == "LUT_3D_SIZE":
                side = int(rest)
            elif word == "DOMAIN_MIN":
                low = _three(rest)
            elif word == "DOMAIN_MAX":
                high = _three(rest)
            elif word == "LUT_3D_INPUT_RANGE":
                least, most = map(float, rest.split())
                low, high = (least,) * 3, (most,) * 3
            elif word not in WORDS:
                raise ValueError
        except ValueError as error:
            raise _damaged() from error
    if not 2 <= side <= MOST_SIDE:
        raise _damaged()
    try:
        values = np.array(" ".join(rows).split(), np.float32).reshape(side, side, side, 3)
    except ValueError as error:
        raise _damaged() from error
    if not np.isfinite(values).all() or any(b <= a for a, b in zip(low, high, strict=True)):
        raise _damaged()
    return Table(values, low, high)


def _three(text: str) -> tuple[float, float, float]:
    red, green, blue = map(float, text.split())
    return red, green, blue


def _damaged() -> Refusal:
    return Refusal("This is no .cube file with a 3D table, or it is cut short.")


@lru_cache(maxsize=4)
def _processor(data: bytes) -> Any:
    table = read_table(data)
    transform = Lut3DTransform(len(table.values))
    transform.setInterpolation(INTERP_LINEAR)
    # OpenColorIO's own order has blue go fastest
    transform.setData(np.ascontiguousarray(table.values.transpose(2, 1, 0, 3)).ravel())
    raw = Config.CreateRaw().getProcessor(transform)
    return raw.getOptimizedCPUProcessor(OPTIMIZATION_LOSSLESS)


def through_table(light: Floats32, data: bytes) -> Floats32:
    """Colours (H, W, 3), 0 to 1, taken through a file's table, straight between its places; beyond
    its ends as at them."""
    table = read_table(data)
    low, high = np.array(table.low, np.float32), np.array(table.high, np.float32)
    out = np.ascontiguousarray((light - low) / (high - low), np.float32)
    _processor(data).applyRGB(out)
    return out
