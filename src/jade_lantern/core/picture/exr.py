"""OpenEXR pictures: linear light in floating point, its alpha taken out of the colours."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..refusal import Refusal
from .premultiplied import straight

MARK = b"\x76\x2f\x31\x01"
BROKEN = "This OpenEXR picture is cut short or damaged. Save or copy it again."
NO_COLOUR = "This OpenEXR picture has no red, green and blue in it."


class Head(NamedTuple):
    """The size of a picture, px: its display window, and what its data window has past that.
    channels: 3, or 4 with an alpha."""

    width: int
    height: int
    channels: int


def header(data: bytes) -> Head:
    """Raises Refusal where it is damaged."""
    with _opened(data, header_only=True) as file:
        left, top, right, bottom = _canvas(file.header())
        return Head(right - left + 1, bottom - top + 1, 4 if _has_alpha(file.header()) else 3)


def read_numbers(data: bytes) -> NDArray[np.float32]:
    """(H, W, 3 or 4) linear light, alpha not multiplied in; clear where the display window goes
    past the data window. Raises Refusal where it is damaged, or has no colours."""
    with _opened(data) as file:
        there: dict[str, Any] = {name: one.pixels for name, one in file.channels().items()}
        head = file.header()
        left, top, right, bottom = _canvas(head)
        low = [int(v) for v in head["dataWindow"][0]]
    colour, alpha = _colour(there), _alpha(there)
    parts = [colour] if alpha is None else [colour, alpha[..., None]]
    numbers = np.nan_to_num(
        np.concatenate(parts, axis=2).astype(np.float32), nan=0.0, posinf=65504.0, neginf=0.0
    )
    size = bottom - top + 1, right - left + 1
    if numbers.shape[:2] != size:
        whole = np.zeros((*size, numbers.shape[2]), np.float32)
        y, x = low[1] - top, low[0] - left
        whole[y : y + numbers.shape[0], x : x + numbers.shape[1]] = numbers
        numbers = whole
    return numbers if alpha is None else straight(numbers, numbers.dtype, spent=True)


@contextmanager
def _opened(data: bytes, header_only: bool = False) -> Iterator[Any]:
    import OpenEXR  # takes a while to load

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), header_only=header_only) as file:
                yield file
        except (Refusal, MemoryError):
            raise
        except Exception as error:  # whatever the library says of a damaged file
            raise Refusal(BROKEN) from error


def _canvas(head: dict[str, Any]) -> tuple[int, int, int, int]:
    """The left, top, right and bottom pixel of the display and the data window together."""
    boxes = [head["dataWindow"], head.get("displayWindow", head["dataWindow"])]
    lows, highs = (np.array([np.asarray(box[k], np.int64) for box in boxes]) for k in (0, 1))
    (left, top), (right, bottom) = lows.min(axis=0).tolist(), highs.max(axis=0).tolist()
    return left, top, right, bottom


def _has_alpha(head: dict[str, Any]) -> bool:
    return any(str(channel.name) == "A" for channel in head.get("channels", ()))


def _colour(there: dict[str, Any]) -> NDArray[Any]:
    for name in ("RGB", "RGBA"):
        if name in there:
            return np.asarray(there[name][..., :3])
    each = [there[name if name in there else "Y"] for name in "RGB" if {name, "Y"} & there.keys()]
    if len(each) < 3:
        raise Refusal(NO_COLOUR)
    return np.stack(each, axis=2)


def _alpha(there: dict[str, Any]) -> NDArray[Any] | None:
    if "RGBA" in there:
        return np.asarray(there["RGBA"][..., 3])
    return there.get("A")
