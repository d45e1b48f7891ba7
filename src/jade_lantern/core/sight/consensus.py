"""Which traces agree with each other: the ones that least squares begin with, and are joined by."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from .refine import inverted

LEAST_SIGMA_PX = 1.0 / 3.0  # no trace is taken to be truer than this
FAR_OFF = 5.0  # robust sigmas from which a trace is left aside to begin with
NEAR_ENOUGH = 3.5  # sigmas within which it is taken back


@njit(cache=True, nogil=True)
def part(A: Floats, free: Indices, prior_weight: Floats, sigma: float) -> Floats:
    """The information on the free parameters, priors included."""
    n = len(free)
    out = np.empty((n, n))
    for a in range(n):
        for b in range(n):
            out[a, b] = A[free[a], free[b]] / (sigma * sigma)
        out[a, a] += prior_weight[free[a]] ** 2 / (sigma * sigma)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def consensus(chi: Floats, lines: Floats, heading: Indices, trust: Floats, params: float) -> None:
    """Leave aside what is far from a robust solution, worst first, so that the least squares that
    follow begin with traces that agree. Two of each heading always stay."""
    squared = np.empty(len(chi))
    kept = 0
    for i in range(len(chi)):
        if trust[i] > 0.0:
            squared[kept] = trust[i] * chi[i] / (lines[i, 5] - 1.0)
            kept += 1
    if kept - params < 2.0:
        return
    # the median squared misfit as a normal distribution's variance (1 / 0.4549 = 2.2)
    typical = np.median(squared[:kept]) * 2.2 * kept / (kept - params)
    limit = FAR_OFF * FAR_OFF * max(typical, LEAST_SIGMA_PX**2)
    while True:
        worst, most = -1, limit
        for i in range(len(chi)):
            mine = trust[i] * chi[i] / (lines[i, 5] - 1.0)
            if mine > most:
                same = 0
                for j in range(len(chi)):
                    same += trust[j] > 0.0 and heading[j] == heading[i]
                if same > 2:
                    worst, most = i, mine
        if worst < 0:
            return
        trust[worst] = 0.0


@njit(cache=True, nogil=True, error_model="numpy")
def admitted(
    chi: Floats, Jt: Floats, A: Floats, lines: Floats, trusted: Floats, trust: Floats,
    free: Indices, prior_weight: Floats, sigma: float, named: Flags,
) -> bool:  # fmt: skip
    """Take back what was left aside and agrees with the others after all. What has been named as
    gross (T,) stays out. Returns whether anything was taken back."""
    n = len(free)
    inverse = np.empty((n, n))
    if not inverted(part(A, free, prior_weight, 1.0), inverse):
        return False
    back = False
    for i in range(len(chi)):
        if trust[i] > 0.0 or trusted[i] <= 0.0 or named[i]:
            continue
        leverage = 0.0
        for a in range(n):
            for b in range(n):
                leverage += Jt[i, free[a]] * inverse[a, b] * Jt[i, free[b]]
        mine = chi[i] / (lines[i, 5] - 1.0)
        if mine < NEAR_ENOUGH * NEAR_ENOUGH * sigma * sigma * (1.0 + max(leverage, 0.0)):
            trust[i] = trusted[i]
            back = True
    return back
