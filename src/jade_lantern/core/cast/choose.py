"""Which of some shifts each pixel of a hole is filled by: one choice for all of them, that costs
the least. A pixel's own cost is told by `patches`; two neighbours that are filled by different
shifts cost what shows as a seam between them (Kwatra et al. 2003).

Minimised by max-product belief propagation in sweeps (Szeliski et al. 2008, BP-M).
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..arrays import Floats32, Indices

SWEEPS = 4  # in each of four directions
SEAM = 0.5  # of the squared difference between two shifts' colours on both sides of a seam
MOST_SEAM = 15000.0
RIGHT, LEFT, DOWN, UP = range(4)


def chosen(grid: Indices, cost: Floats32, colour: Floats32) -> Indices:
    """(N,) the shift that each node is filled by. grid: (H, W) nodes, -1 for none. cost: (N, K) of
    each shift. colour: (N, 3, K) what each brings, 0 to 255."""
    told = np.zeros((len(cost), 4, cost.shape[1]), np.float32)
    for _ in range(SWEEPS):
        for way in (RIGHT, LEFT, DOWN, UP):
            _sweep(grid, cost, colour, told, way)
    return np.asarray(np.argmin(cost + told.sum(axis=1), axis=1))


@njit(cache=True, nogil=True, parallel=True, fastmath=True)
def _sweep(grid: Indices, cost: Floats32, colour: Floats32, told: Floats32, way: int) -> None:
    """Each node tells the next one in a direction what each shift there would cost with all that it
    has been told itself."""
    across = way in (RIGHT, LEFT)
    back = way in (LEFT, UP)
    lines = grid.shape[0] if across else grid.shape[1]
    long = grid.shape[1] if across else grid.shape[0]
    count = cost.shape[1]
    for number in prange(lines):
        line = np.int64(number)
        own, best = np.empty(count, np.float32), np.empty(count, np.float32)
        for step in range(long - 1):
            here = long - 1 - step if back else step
            there = here - 1 if back else here + 1
            p = grid[line, here] if across else grid[here, line]
            q = grid[line, there] if across else grid[there, line]
            if p < 0 or q < 0:
                continue
            for a in range(count):
                own[a] = cost[p, a]
                for k in range(4):
                    if k != way ^ 1:  # not what the next one told it
                        own[a] += told[p, k, a]
                best[a] = np.float32(np.inf)
            for a in range(count):
                for b in range(count):  # no branch, so that it becomes vector code
                    r, g, s = (
                        colour[p, 0, a] - colour[p, 0, b], colour[p, 1, a] - colour[p, 1, b],
                        colour[p, 2, a] - colour[p, 2, b],
                    )  # fmt: skip
                    u, v, w = (
                        colour[q, 0, a] - colour[q, 0, b], colour[q, 1, a] - colour[q, 1, b],
                        colour[q, 2, a] - colour[q, 2, b],
                    )  # fmt: skip
                    seam = np.float32(SEAM) * (r * r + g * g + s * s + u * u + v * v + w * w)
                    best[b] = min(best[b], own[a] + min(seam, np.float32(MOST_SEAM)))
            least = best.min()
            for b in range(count):
                told[q, way, b] = best[b] - least
