"""Pixels of a tile in which surfaces meet and the picture breaks, so that they are sampled."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices, Indices32
from .tile import NOTHING

SAME_PLACE = 0.35  # plate px; two surfaces whose lookups differ by less show one unbroken picture


@njit(cache=True, nogil=True, error_model="numpy")
def picture_breaks(
    first: Indices,
    lantern: Indices,
    mapping: Floats,
    s: int,
    q: int,
    x: int,
    y: int,
    most: float = SAME_PLACE,
) -> bool:
    """Whether the picture breaks between a pixel's surface s and its neighbour's q. It does not
    where both read the same plates at the same places, to `most` plate px, as along a fold, or
    everywhere when seen from the lens itself; such pixels need no samples."""
    if s == q:
        return False
    if s == NOTHING or q == NOTHING:
        return True
    a, b = first[s], first[q]
    count = first[s + 1] - a
    if first[q + 1] - b != count:
        return True
    px, py = x + 0.5, y + 0.5
    for t in range(count):
        i, j = a + t, b + t
        if lantern[i] != lantern[j]:
            return True
        w = mapping[i, 2, 0] * px + mapping[i, 2, 1] * py + mapping[i, 2, 2]
        v = mapping[j, 2, 0] * px + mapping[j, 2, 1] * py + mapping[j, 2, 2]
        if w <= 0.0 or v <= 0.0:
            return True
        apart = 0.0
        for k in range(2):
            f = mapping[i, k, 0] * px + mapping[i, k, 1] * py + mapping[i, k, 2]
            g = mapping[j, k, 0] * px + mapping[j, k, 1] * py + mapping[j, k, 2]
            apart = max(apart, abs(f * v - g * w))
        if apart > most * w * v:
            return True
    return False


@njit(cache=True, nogil=True, error_model="numpy")
def mark_meetings(seen: Indices32, passed: Flags, r: int, n: int, meets: Indices32) -> None:
    """Set meets[1 : n + 1] for row r of a tile: zero where a pixel and its four neighbours show one
    surface and no thin triangle passes, anything else otherwise. (Xor, so that it vectorises.)"""
    here, above, below, thin = seen[r], seen[r - 1], seen[r + 1], passed[r]
    for c in range(1, n + 1):
        s = here[c]
        meets[c] = (
            (s ^ here[c - 1]) | (s ^ here[c + 1]) | (s ^ above[c]) | (s ^ below[c])
            | np.int32(thin[c])
        )  # fmt: skip
