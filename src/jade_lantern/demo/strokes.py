"""What every paint is mixed from: chance and noise that are the same at the same place, soft steps,
and one colour laid over another."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..core.arrays import Floats


@njit(cache=True, nogil=True)
def chance(i: int, j: int, k: int) -> float:
    """A number in 0..1 that depends on three whole numbers only."""
    h = (i * 374761393 + j * 668265263 + k * 2147483647 + 1274126177) & 0xFFFFFFFF
    h = ((h ^ (h >> 13)) * 1274126177) & 0xFFFFFFFF
    h = ((h ^ (h >> 16)) * 2246822519) & 0xFFFFFFFF
    return ((h ^ (h >> 15)) & 0xFFFFFF) / 16777215.0


@njit(cache=True, nogil=True)
def noise(x: float, y: float, seed: int) -> float:
    """Smooth value noise in -1..1, one unit a cell."""
    i, j = int(np.floor(x)), int(np.floor(y))
    u, v = x - i, y - j
    u, v = u * u * (3 - 2 * u), v * v * (3 - 2 * v)
    a = chance(i, j, seed) * (1 - u) + chance(i + 1, j, seed) * u
    b = chance(i, j + 1, seed) * (1 - u) + chance(i + 1, j + 1, seed) * u
    return 2 * (a * (1 - v) + b * v) - 1


@njit(cache=True, nogil=True)
def clouds(x: float, y: float, seed: int) -> float:
    return (
        0.5 * noise(x, y, seed) + 0.27 * noise(2.1 * x, 2.1 * y, seed + 1)
        + 0.15 * noise(4.3 * x, 4.3 * y, seed + 2) + 0.08 * noise(8.7 * x, 8.7 * y, seed + 3)
    )  # fmt: skip


@njit(cache=True, nogil=True)
def smooth(a: float, b: float, x: float) -> float:
    t = min(max((x - a) / (b - a), 0.0), 1.0)
    return t * t * (3 - 2 * t)


@njit(cache=True, nogil=True)
def band(x: float, a: float, b: float, soft: float) -> float:
    """1 between a and b, falling to 0 over soft on either side."""
    return smooth(a - soft, a + soft, x) * (1 - smooth(b - soft, b + soft, x))


@njit(cache=True, nogil=True)
def joint(x: float, every: float, wide: float, soft: float) -> float:
    """1 on lines a distance apart, 0 between; lines finer than soft fade instead of flickering."""
    d = abs(x - every * np.round(x / every))
    seen = min(1.0, 2 * wide / (2 * wide + soft))
    return (1 - smooth(wide, wide + soft, d)) * seen


@njit(cache=True, nogil=True)
def over(c: Floats, r: float, g: float, b: float, a: float) -> None:
    c[0] += (r - c[0]) * a
    c[1] += (g - c[1]) * a
    c[2] += (b - c[2]) * a
