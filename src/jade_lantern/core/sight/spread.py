"""Selection of the edges that determine a camera best, by their information on its parameters."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .edges import Found
from .lens import Lens
from .misfit import PARAMETERS, line_misfit, slope_by_turn, ways_of

APART = 0.012  # of the longer side; nearer edges of one heading are redundant
LEAST_SIGMA_PX = 0.5  # lower bound on a trace's standard deviation
SPREAD = 8  # edges taken per heading


@njit(cache=True, nogil=True, error_model="numpy")
def misfits_and_slopes(
    m: Floats, d: Floats, length: Floats, which: Indices, R: Floats, turns: Floats, focal: float
) -> tuple[Floats, Floats]:
    """Each edge's misfit (E,), px, and its derivatives (E, 4 + B) by log focal, the rotation and
    the turns (B,) of bearings, radians; zero for an edge of no heading (which = -1). m is measured
    from the principal point."""
    misfits, slopes = np.zeros(len(m)), np.zeros((len(m), 4 + len(turns)))
    J = np.empty(PARAMETERS)
    ways = ways_of(R, turns)
    for i in range(len(m)):
        if which[i] >= 0:
            spread = length[i] * length[i] / 2
            way = ways[which[i]]
            misfits[i] = line_misfit(m[i], d[i], spread, 2.0, way, focal, 4, J)
            slopes[i, :4] = J[:4]
            if which[i] > 2:
                slopes[i, 1 + which[i]] = slope_by_turn(m[i], d[i], spread, 2.0, way, R, focal)
    return misfits, slopes


@njit(cache=True, nogil=True, error_model="numpy")
def _greedy(
    slopes: Floats, which: Indices, most: int, m: Floats, d: Floats, length: Floats, apart: float
) -> Indices:
    """Greedy selection: each edge is the one that raises the determinant of the information most
    (D-optimal design). None within `apart` px of a chosen edge of its heading is taken."""
    params = slopes.shape[1]
    inverse = np.eye(params)
    ways = params - 1  # three headings, and the bearings
    taken = np.zeros(ways, np.int64)
    used = np.zeros(len(slopes), np.bool_)
    out = np.empty(ways * most, np.int64)
    count = 0
    for _ in range(ways * most):
        best, at = 1e-9, -1
        for i in range(len(slopes)):
            h = which[i]
            if h < 0 or used[i] or taken[h] >= most:
                continue
            gain = 0.0
            for a in range(params):
                for b in range(params):
                    gain += slopes[i, a] * inverse[a, b] * slopes[i, b]
            # an empty heading comes before a fourth edge of a full one
            gain *= 1.0 / (1.0 + taken[h])
            if gain > best:
                best, at = gain, i
        if at < 0:
            break
        used[at] = True
        for i in range(len(slopes)):
            x, y = m[i, 0] - m[at, 0], m[i, 1] - m[at, 1]
            lean = d[i, 0] * d[at, 1] - d[i, 1] * d[at, 0]
            off = abs(x * d[at, 1] - y * d[at, 0]) - 0.5 * length[i] * abs(lean)
            along = abs(x * d[at, 0] + y * d[at, 1])
            if which[i] == which[at] and off < apart and along < 0.5 * (length[i] + length[at]):
                used[i] = True
        taken[which[at]] += 1
        out[count] = at
        count += 1
        column, down = np.zeros(params), 1.0
        for a in range(params):
            for b in range(params):
                column[a] += inverse[a, b] * slopes[at, b]
            down += slopes[at, a] * column[a]
        for a in range(params):
            for b in range(params):
                inverse[a, b] -= column[a] * column[b] / down
    return out[:count]


def focal_gains(slopes: Floats, lens: Lens) -> tuple[Floats, Floats]:
    """What each edge (E, 4) would take off the variance of the log focal length, were it traced
    (E,); and the variance of its misfit under the camera as it is known now (E,), px squared."""
    gain = slopes @ lens.noise[:4, :4]
    spread = (gain * slopes).sum(axis=1)
    return gain[:, 0] ** 2 / (max(lens.sigma_px, LEAST_SIGMA_PX) ** 2 + spread), spread


def spread_of_edges(
    found: Found,
    which: Indices,
    rotation: Floats,
    focal: float,
    most: int,
    centre: tuple[float, float] | None = None,
    bearings: Sequence[float] = (),
) -> Indices:
    """Indices of at most so many edges a heading or bearing that together pin a camera down best.
    centre: its principal point, px; None for the picture's middle. bearings: turns, degrees."""
    m, d, length = found.lines_from(centre or found.middle)
    turns = np.radians(np.array(bearings, float))
    _, slopes = misfits_and_slopes(m, d, length, which, rotation, turns, focal)
    apart = APART * max(found.width, found.height)
    out: Indices = _greedy(slopes, which, most, m, d, length, apart)
    return out


def slopes_at(places: Floats, heading: int, length: float, lens: Lens) -> Floats:
    """The derivatives (P, 4), by log focal and the rotation, of the misfit of an edge so long of
    a heading, were it to lie at each of some places (P, 2), px."""
    m = places - lens.centre
    c = lens.rotation[:, heading]
    to = np.array([lens.focal_px * c[0], -lens.focal_px * c[1]]) + m * c[2]
    d = to / np.maximum(np.hypot(to[:, 0], to[:, 1]), 1e-9)[:, None]
    lengths = np.full(len(m), float(length))
    which = np.full(len(m), heading)
    none = np.zeros(0)
    slopes: Floats = misfits_and_slopes(m, d, lengths, which, lens.rotation, none, lens.focal_px)[1]
    return slopes
