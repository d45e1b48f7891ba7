"""Traces reduced to what the solver needs of them."""

from __future__ import annotations

import string
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import chain

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from ..scene.model import Heading
from .bend import straight_radius

HEADINGS: tuple[Heading, ...] = (
    "across",
    "up",
    "away",
)  # the columns of a rotation, Away being minus the third
LETTERS = string.ascii_uppercase  # the names of bearings
HEADING_INDEX: dict[str, int] = {name: i for i, name in enumerate(HEADINGS)}


@dataclass(frozen=True)
class TraceSet:
    """T traces as they are drawn, in pixels from the plate's centre.

    points: (P, 2), trace after trace. starts: (T + 1,) where each one's points begin.
    heading: (T,) index into HEADINGS, or 3 and more into bearings. trust: (T,) weights.
    bearings: their letters, in order.
    """

    points: Floats
    starts: Indices
    heading: Indices
    trust: Floats
    bearings: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.heading)


def trace_set(
    traces: Sequence[tuple[str, Sequence[tuple[float, float]]]],
    centre: tuple[float, float],
    trust: Sequence[float] | None = None,
) -> TraceSet:
    """Lay (heading, points) out flat; what is no heading is a bearing's letter."""
    count = len(traces)
    starts = [0]
    flat: list[tuple[float, float]] = []
    for _, points in traces:
        flat += points
        starts.append(len(flat))
    bearings = tuple(sorted({name for name, _ in traces} - set(HEADINGS)))
    index = HEADING_INDEX | {letter: 3 + i for i, letter in enumerate(bearings)}
    points_ = np.fromiter(chain.from_iterable(flat), float, 2 * len(flat)).reshape(-1, 2)
    points_ -= centre
    return TraceSet(
        points_,
        np.array(starts, np.int64),
        np.array([index[name] for name, _ in traces], np.int64),
        np.ones(count) if trust is None else np.array(trust, float),
        bearings,
    )


@njit(cache=True, nogil=True)
def shortest(points: Floats, starts: Indices) -> int:
    """The first trace whose points all lie on one spot, or -1."""
    for t in range(len(starts) - 1):
        a, b = starts[t], starts[t + 1]
        far = 0.0
        for i in range(a + 1, b):
            far = max(far, abs(points[i, 0] - points[a, 0]), abs(points[i, 1] - points[a, 1]))
        if far < 1e-6:
            return t
    return -1


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract", "nsz", "arcp"}, error_model="numpy")
def reduce(
    points: Floats, starts: Indices, c: Floats, k: Floats, size: float, lines: Floats
) -> None:
    """Straighten the points and fit a line to each trace by total least squares.

    Fills lines (T, 8), in pixels from the principal point c. Columns 0 and 1: centroid. 2 and 3:
    unit direction. 4: sum of squared distances from the centroid along the line. 5: number of
    points. 6: sum of squared distances off the line. 7: the factor by which noise on the bent
    plate grows across the straightened line; misfits are divided by it.
    """
    bends = k[0] != 0.0 or k[1] != 0.0
    for t in range(len(starts) - 1):
        a, b = starts[t], starts[t + 1]
        count = b - a
        mx, my = 0.0, 0.0
        sxx, sxy, syy = 0.0, 0.0, 0.0
        x0, y0 = 0.0, 0.0
        for i in range(a, b):
            x, y = points[i, 0] - c[0], points[i, 1] - c[1]
            if bends:
                rd = np.sqrt(x * x + y * y) / size
                if rd > 1e-9:
                    g = straight_radius(rd, k[0], k[1]) / rd
                    x, y = x * g, y * g
            if i == a:
                x0, y0 = x, y
            x, y = x - x0, y - y0
            mx, my = mx + x, my + y
            sxx, sxy, syy = sxx + x * x, sxy + x * y, syy + y * y
        mx, my = mx / count, my / count
        sxx, sxy, syy = sxx - count * mx * mx, sxy - count * mx * my, syy - count * my * my
        mean, half = 0.5 * (sxx + syy), 0.5 * (sxx - syy)
        root = np.sqrt(half * half + sxy * sxy)
        if half >= 0.0:
            dx, dy = half + root, sxy
        else:
            dx, dy = abs(sxy), (root - half) * (1.0 if sxy >= 0.0 else -1.0)
        length = np.sqrt(dx * dx + dy * dy)
        if length > 0.0:
            dx, dy = dx / length, dy / length
        else:
            dx, dy = 1.0, 0.0
        lines[t, 0], lines[t, 1] = mx + x0, my + y0
        lines[t, 2], lines[t, 3] = dx, dy
        lines[t, 4], lines[t, 5] = mean + root, count
        off = max(mean - root, 0.0) if count > 2 else 0.0
        grown = 1.0
        if bends:
            x, y = lines[t, 0], lines[t, 1]
            r2 = (x * x + y * y) / (size * size)
            if r2 > 1e-12:
                s = 1.0 + r2 * (k[0] + k[1] * r2)
                g = 1.0 + r2 * (3.0 * k[0] + 5.0 * k[1] * r2)
                radial = (-dy * x + dx * y) / np.sqrt(x * x + y * y)
                grown = np.sqrt((1.0 - radial * radial) / (s * s) + radial * radial / (g * g))
                off /= grown**2
        lines[t, 6], lines[t, 7] = off, grown
