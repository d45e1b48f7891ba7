"""Traces reduced to what the solver needs of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

HEADINGS = ("across", "up", "away")  # the columns of a rotation, Away being minus the third


@dataclass(frozen=True)
class Lines:
    """T fitted lines, in pixels from the principal point.

    middle, along: (T, 2) centroid and unit direction. spread: (T,) sum of squared distances of
    the points along the line. count: (T,) points. bend: (T,) sum of squared distances off the
    line. heading: (T,) index into HEADINGS.
    """

    middle: NDArray[np.float64]
    along: NDArray[np.float64]
    spread: NDArray[np.float64]
    count: NDArray[np.float64]
    bend: NDArray[np.float64]
    heading: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.count)


def reduced(
    traces: Sequence[tuple[str, Sequence[tuple[float, float]]]], centre: tuple[float, float]
) -> Lines:
    """Fit a line to each (heading, points) by total least squares."""
    n = len(traces)
    middle, along = np.zeros((n, 2)), np.zeros((n, 2))
    spread, count, bend = np.zeros(n), np.zeros(n), np.zeros(n)
    heading = np.zeros(n, np.int64)
    for i, (name, points) in enumerate(traces):
        heading[i] = HEADINGS.index(name)
        count[i] = len(points)
        if len(points) == 2:
            (ax, ay), (bx, by) = points
            middle[i] = (ax + bx) / 2 - centre[0], (ay + by) / 2 - centre[1]
            length = ((bx - ax) ** 2 + (by - ay) ** 2) ** 0.5
            along[i] = ((bx - ax) / length, (by - ay) / length) if length else (1.0, 0.0)
            spread[i] = length * length / 2
            continue
        p = np.asarray(points, float) - centre
        m = p.mean(axis=0)
        values, vectors = np.linalg.eigh((p - m).T @ (p - m))
        middle[i], along[i], spread[i], bend[i] = m, vectors[:, 1], values[1], max(values[0], 0)
    return Lines(middle, along, spread, count, bend, heading)
