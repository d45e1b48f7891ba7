"""How strongly an edge speaks for running to a vanishing point, against running there by chance.

An edge that runs to a point is off it by noise: its ends lie beside the line through its middle
and the point by an offset that is normally distributed. An edge that does not may have any angle.
The likelihood ratio of the two grows with the edge's length, so that texture says little. Of many
edges, of which any may run elsewhere, each adds

    x = log(1 - SHARE + SHARE * ratio)

By chance the mean of exp(x) is 1, so that a sum of S or more comes up with a probability of at
most exp(-S) (Markov's inequality), and among `tests` points that were looked at, by chance at most
tests * exp(-S) of them reach it. That number of false alarms decides whether a heading is claimed
(a-contrario: Desolneux, Moisan & Morel 2000; for vanishing points Lezama et al. 2014).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from ..arrays import Floats

SHARE = 0.12  # prior share of edges that run along any one direction
# The standard deviation of an edge's ends: the picture's noise, px in a picture NOISE_AT wide, and
# a share of the edge's length, since built things are neither exactly straight nor exactly
# parallel.
NOISE_PX, NOISE_AT, CROOKED = 0.7, 1800, 0.002
FALSE_ALARMS = 1e-3  # expected number of headings claimed by chance
NEAREST = 0.75  # edges nearer to the point than this, relative to their length, are not used
FARTHEST = 6.0  # standard deviations beyond which the likelihood ratio is not computed


def noise_of(length: Floats, longer_side: float) -> Floats:
    """The standard deviation (E,), px, of the offset of an edge's ends."""
    noise = NOISE_PX * max(longer_side / NOISE_AT, 1.0)
    out: Floats = np.sqrt(noise**2 + (CROOKED * length) ** 2)
    return out


def stands_out(evidence: float, tests: float) -> bool:
    """Whether evidence, in nats, exceeds what chance gives the best of `tests` points."""
    return evidence - math.log(tests) > -math.log(FALSE_ALARMS)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def ratio(
    mx: float, my: float, dx: float, dy: float, length: float, sigma: float,
    x: float, y: float, w: float,
) -> float:  # fmt: skip
    """The likelihood ratio of an edge for the homogeneous point (x, y, w), px. (mx, my) is its
    middle, (dx, dy) its unit direction."""
    qx, qy = mx * w - x, my * w - y
    far = np.sqrt(qx * qx + qy * qy)
    if far < 1e-9 or abs(w) * NEAREST * length > far:
        return 0.0
    off = 0.5 * length * abs(qx * dy - qy * dx) / far / sigma
    if off > FARTHEST:
        return 0.0
    # by chance all angles are equally likely, so small offsets are uniformly distributed
    return np.pi * length / (2.0 * np.sqrt(2.0 * np.pi) * sigma) * np.exp(-0.5 * off * off)


@njit(cache=True, nogil=True, error_model="numpy")
def evidence_for(m: Floats, d: Floats, length: Floats, sigma: Floats, point: Floats) -> float:
    """The evidence of all edges together for a point (3,), nats."""
    total = 0.0
    for i in range(len(length)):
        r = ratio(
            m[i, 0], m[i, 1], d[i, 0], d[i, 1], length[i], sigma[i], point[0], point[1], point[2]
        )
        total += np.log(1.0 - SHARE + SHARE * r)
    return total


@njit(cache=True, nogil=True, error_model="numpy")
def shares(
    m: Floats, d: Floats, length: Floats, sigma: Floats, points: Floats
) -> tuple[Floats, float]:
    """(E, K) the probability of each edge to run to each of K points (K, 3), the remainder being
    that it runs to none; and the evidence of all points together, nats."""
    count = len(points)
    share = min(SHARE, 0.8 / max(count, 1))
    out = np.zeros((len(length), count))
    total = 0.0
    for i in range(len(length)):
        whole = 1.0 - count * share
        for k in range(count):
            out[i, k] = share * ratio(
                m[i, 0], m[i, 1], d[i, 0], d[i, 1], length[i], sigma[i],
                points[k, 0], points[k, 1], points[k, 2],
            )  # fmt: skip
            whole += out[i, k]
        total += np.log(whole)
        for k in range(count):
            out[i, k] /= whole
    return out, total
