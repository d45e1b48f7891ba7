"""Panoramas: pictures of all that is around a place, as the light that comes from each way. Read in
a process of its own (see `process`)."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..arrays import Floats, Floats32
from ..picture import exr, read_deep, read_still
from ..picture.eight import white_of
from ..picture.premultiplied import premultiplied
from ..refusal import Refusal

MOST_PIXELS = 1 << 26
ROWS, COLUMNS = 64, 128  # cells that it is kept in
LEAST_ROWS = 256  # a smaller one is taken apart into so many, so that its own pixels are flat
OFF_SHAPE = 0.02  # of its height: how far its width may be off twice that
BRIGHTEST = 65504.0  # of a half float: what is brighter, or is no number
DISPLAY = 2.2  # the power that takes a still's numbers to linear light, as lights have it
HDR = b"#?RADIANCE", b"#?RGBE"


def read_panorama(data: bytes, name: str) -> Floats32:
    """(ROWS, COLUMNS, 3, 3) of each cell of an equirectangular panorama and each of red, green and
    blue: the sum of the light over the cell's ways, each of length one, by how much of the
    sphere it is, over pi. Of white all around, their products with a normal add up to one.

    The panorama's middle is along -Z, and its columns go round by +X. Linear light where it is
    an OpenEXR or Radiance picture; a still's numbers are taken for a display's.

    Raises Refusal for what is none, is damaged or too large.
    """
    light = _exr(data, name) if data.startswith(exr.MARK) else None
    if light is None:
        light = _hdr(data, name) if data.startswith(HDR) else _still(data)
    high, wide = light.shape[:2]
    if abs(wide - 2 * high) > max(2 * OFF_SHAPE * high, 1):
        raise Refusal(
            f"{name} is {wide:,} × {high:,}, and a panorama is twice as wide as it is high: it "
            "shows all that is around (equirectangular). Nothing was changed."
        )
    return _moments(light)


def _check(wide: int, high: int, name: str) -> None:
    if wide * high > MOST_PIXELS:
        raise Refusal(
            f"{name} is {wide:,} × {high:,}; up to {MOST_PIXELS:,} pixels are read. Make it "
            "smaller: light needs no detail."
        )
    if wide < 2 or high < 2:
        raise Refusal(f"{name} has no picture in it.")


def _exr(data: bytes, name: str) -> Floats32:
    try:
        wide, high, _ = exr.header(data)
        small = wide * high <= MOST_PIXELS
        light = exr.read_numbers(data) if small else np.zeros((1, 1, 3), np.float32)
    except Refusal as error:
        raise Refusal(f"{name}: {error}") from error
    _check(wide, high, name)
    return _sound(premultiplied(light)[..., :3])


def _hdr(data: bytes, name: str) -> Floats32:
    head = data[:4096].split(b"\n\n", 1)[-1].split(b"\n", 1)[0].split()
    if len(head) == 4 and head[1].isdigit() and head[3].isdigit():
        _check(int(head[3]), int(head[1]), name)
    try:
        picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    except cv2.error:
        picture = None
    if picture is None or picture.ndim != 3:
        raise Refusal(f"{name} is broken: it cannot be read to its end.")
    _check(picture.shape[1], picture.shape[0], name)
    return _sound(picture[..., ::-1])


def _still(data: bytes) -> Floats32:
    still = read_still(data, MOST_PIXELS)
    deep = read_deep(data) if still.bits > 8 else still.pixels
    numbers = deep[..., :3].astype(np.float32) / np.float32(white_of(deep.dtype))
    return _sound(np.power(numbers.clip(0), np.float32(DISPLAY)))


def _sound(light: NDArray[Any]) -> Floats32:
    """Without what is no number, and less than none."""
    out = np.nan_to_num(
        np.asarray(light, np.float32), nan=0.0, posinf=BRIGHTEST, neginf=0.0
    )  # fmt: skip
    return np.asarray(out.clip(0, BRIGHTEST))


def _moments(light: Floats32) -> Floats32:
    finer = -(-LEAST_ROWS // len(light)), -(-2 * LEAST_ROWS // light.shape[1])
    down, across = (
        np.arange(n * k + 1) / (n * k) for n, k in zip(light.shape, finer, strict=False)
    )
    rise = np.sin(np.pi * (0.5 - down))
    turn = 2 * np.pi * (across - 0.5)
    # of each row and column, the integrals over its height and its turn, which are exact
    low, high = np.pi * (0.5 - down[1:]), np.pi * (0.5 - down[:-1])
    level = (high - low) / 2 + (np.sin(2 * high) - np.sin(2 * low)) / 4  # of cos²
    upward = (rise[:-1] ** 2 - rise[1:] ** 2) / 2  # of sin cos
    right, back = np.cos(turn[:-1]) - np.cos(turn[1:]), -(np.sin(turn[1:]) - np.sin(turn[:-1]))
    by_row = np.stack([level, upward, level], axis=1)
    by_column = np.stack([right, np.diff(turn), back], axis=1)
    rows = _gathered(by_row, finer[0], ROWS, light.shape[0])
    columns = _gathered(by_column, finer[1], COLUMNS, light.shape[1])
    out = np.empty((ROWS, COLUMNS, 3, 3), np.float32)
    for k in range(3):
        for way in range(3):
            out[..., k, way] = rows[way] @ light[..., k] @ columns[way].T / np.pi
    return out


def _gathered(each: Floats, finer: int, cells: int, count: int) -> list[Any]:
    """Three (cells, count) matrices that add up pixels, each with a weight, into cells. each:
    (count * finer, 3) the weights of their parts."""
    of_cell = (np.arange(len(each)) * cells) // len(each)
    of_pixel = np.arange(len(each)) // finer
    out = []
    for way in range(3):
        matrix = np.zeros((cells, count), np.float32)
        np.add.at(matrix, (of_cell, of_pixel), each[:, way].astype(np.float32))
        out.append(matrix)
    return out
