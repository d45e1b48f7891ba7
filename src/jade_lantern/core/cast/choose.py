"""One shift for each pixel of a hole, chosen for all pixels together so that the total cost is
least. A pixel's data cost is how badly a shift fits there (see `patches`); neighbours that are
filled by different shifts pay a seam cost, the colour difference along the seam (Kwatra et al.
2003).

Minimised by min-sum belief propagation in sweeps along rows and columns (BP-M, Szeliski et al.
2008).
"""

from __future__ import annotations

from functools import partial

import numpy as np
from numba import njit

from ..arrays import Floats32, Indices
from ..threads import in_threads

SWEEPS = 4  # in each of the four directions
SEAM = 0.5  # seam cost per squared colour difference (0 to 255) between two shifts, on both sides
MOST_SEAM = 15000.0  # the seam cost is cut off here, so that a real edge is not smoothed away
RIGHT, LEFT, DOWN, UP = range(4)


def chosen(grid: Indices, cost: Floats32, colour: Floats32) -> Indices:
    """The shift of least total cost for each node, as its index (N,).

    grid: (H, W) the node at each place, -1 for none. cost: (N, K) data cost of each of K shifts at
    each node. colour: (N, 3, K) the colour that each shift would bring there, 0 to 255.
    """
    messages = np.zeros((len(cost), 4, cost.shape[1]), np.float32)
    for _ in range(SWEEPS):
        for way in (RIGHT, LEFT, DOWN, UP):
            lines = grid.shape[0] if way in (RIGHT, LEFT) else grid.shape[1]
            in_threads(lines, partial(_sweep, grid, cost, colour, messages, way))
    return np.asarray(np.argmin(cost + messages.sum(axis=1), axis=1))


@njit(cache=True, nogil=True, fastmath=True)
def _sweep(
    grid: Indices, cost: Floats32, colour: Floats32, messages: Floats32, way: int, begin: int,
    end: int,
) -> None:  # fmt: skip
    """One sweep of min-sum belief propagation (Felzenszwalb & Huttenlocher 2006) along the lines
    from begin to end: every node passes on in direction `way` the message
    m(b) = min over its own shifts a of (data cost of a + messages that came in + seam cost of a
    beside b), less the smallest, so that messages do not grow. messages: (N, 4, K), by the
    direction in which they arrived."""
    across = way in (RIGHT, LEFT)
    back = way in (LEFT, UP)
    long = grid.shape[1] if across else grid.shape[0]
    count = cost.shape[1]
    for line in range(begin, end):
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
                    if k != way ^ 1:  # all but the message that came from the receiver itself
                        own[a] += messages[p, k, a]
                best[a] = np.float32(np.inf)
            for a in range(count):
                for b in range(count):  # free of branches, so that it compiles to vector code
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
                messages[q, way, b] = best[b] - least
