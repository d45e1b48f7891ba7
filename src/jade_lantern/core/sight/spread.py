"""Which edges tell most of a camera: what each one's misfit says, and a good spread of them."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .edges import Found
from .lens import Lens
from .misfit import PARAMETERS, line_misfit

APART = 0.012  # of the longer side: nearer edges of one heading say the same twice
LEAST_SIGMA_PX = 0.5  # no trace is taken to be truer than this
SPREAD = 8  # edges a heading, when a good spread of them is taken


@njit(cache=True, nogil=True, error_model="numpy")
def misfits_and_slopes(
    m: Floats, d: Floats, length: Floats, which: Indices, R: Floats, focal: float
) -> tuple[Floats, Floats]:
    """Each edge's misfit (E,), px, and its derivatives (E, 4) by log focal and the rotation; zero
    for an edge of no heading (which = -1). m is measured from the principal point."""
    misfits, slopes = np.zeros(len(m)), np.zeros((len(m), 4))
    J = np.empty(PARAMETERS)
    for i in range(len(m)):
        if which[i] >= 0:
            spread = length[i] * length[i] / 2
            misfits[i] = line_misfit(m[i], d[i], spread, 2.0, which[i], R, focal, 4, J)
            slopes[i] = J[:4]
    return misfits, slopes


@njit(cache=True, nogil=True, error_model="numpy")
def _greedy(
    slopes: Floats, which: Indices, most: int, m: Floats, d: Floats, length: Floats, apart: float
) -> Indices:
    """Edges chosen one after another, each the one that tells most of what is not told yet; none
    runs beside one that is chosen already, less than `apart` px off."""
    inverse = np.zeros((4, 4))
    for k in range(4):
        inverse[k, k] = 1.0
    taken = np.zeros(3, np.int64)
    used = np.zeros(len(slopes), np.bool_)
    out = np.empty(3 * most, np.int64)
    count = 0
    for _ in range(3 * most):
        best, at = 1e-9, -1
        for i in range(len(slopes)):
            h = which[i]
            if h < 0 or used[i] or taken[h] >= most:
                continue
            gain = 0.0
            for a in range(4):
                for b in range(4):
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
        told, down = np.zeros(4), 1.0
        for a in range(4):
            for b in range(4):
                told[a] += inverse[a, b] * slopes[at, b]
            down += slopes[at, a] * told[a]
        for a in range(4):
            for b in range(4):
                inverse[a, b] -= told[a] * told[b] / down
    return out[:count]


def focal_gains(slopes: Floats, lens: Lens) -> tuple[Floats, Floats]:
    """What each edge (E, 4) would take off the variance of the log focal length, were it traced
    (E,); and the variance of its misfit under the camera as it is known now (E,), px squared."""
    told = slopes @ lens.noise[:4, :4]
    spread = (told * slopes).sum(axis=1)
    return told[:, 0] ** 2 / (max(lens.sigma_px, LEAST_SIGMA_PX) ** 2 + spread), spread


def spread_of_edges(
    found: Found,
    which: Indices,
    rotation: Floats,
    focal: float,
    most: int,
    centre: tuple[float, float] | None = None,
) -> Indices:
    """Indices of at most so many edges a heading that together pin a camera down best. centre:
    its principal point, px; None for the picture's middle."""
    m, d, length = found.lines_from(centre or found.middle)
    _, slopes = misfits_and_slopes(m, d, length, which, rotation, focal)
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
    slopes: Floats = misfits_and_slopes(m, d, lengths, which, lens.rotation, lens.focal_px)[1]
    return slopes
