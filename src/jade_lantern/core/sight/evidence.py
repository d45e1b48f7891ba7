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

SHARE = 0.12  # of all edges are taken to run along any one direction, before one has looked
# An end is off by the picture's own noise, px in a picture of NOISE_AT, and by a share of the
# edge's length: what is built is not quite straight nor quite parallel.
NOISE_PX, NOISE_AT, CROOKED = 0.7, 1800, 0.002
FALSE_ALARMS = 1e-3  # so many claims by chance are put up with
NEAREST = 0.75  # an edge that comes nearer to the point than this share of its length says nothing
FARTHEST = 6.0  # sigmas


def noise_of(length: Floats, longer_side: float) -> Floats:
    """The standard deviation (E,), px, of the offset of an edge's ends."""
    noise = NOISE_PX * max(longer_side / NOISE_AT, 1.0)
    out: Floats = np.sqrt(noise**2 + (CROOKED * length) ** 2)
    return out


def stands_out(evidence: float, tests: float) -> bool:
    """Whether evidence, in nats, is more than chance gives the best of so many points."""
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
    # chance: all angles alike, which for small ones spreads the offset evenly
    return np.pi * length / (2.0 * np.sqrt(2.0 * np.pi) * sigma) * np.exp(-0.5 * off * off)


@njit(cache=True, nogil=True, error_model="numpy")
def evidence_for(m: Floats, d: Floats, length: Floats, sigma: Floats, point: Floats) -> float:
    """What all edges together say for a point (3,), nats."""
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
    """For each edge the probabilities (E, K) that it runs to each of K points (K, 3), what is left
    being that it runs to none; and the evidence of all of them together, nats."""
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
