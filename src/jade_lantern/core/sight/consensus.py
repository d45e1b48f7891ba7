"""Which traces agree with each other: those that least squares start with, and those taken back."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from .problem import Fit
from .refine import inverted

LEAST_SIGMA_PX = 1.0 / 3.0  # the standard deviation of a point is never taken as less, px
FAR_OFF = 5.0  # robust standard deviations beyond which a trace is left out at first
NEAR_ENOUGH = 3.5  # standard deviations within which it is taken back


@njit(cache=True, nogil=True)
def information(A: Floats, free: Indices, prior_weight: Floats, sigma: float) -> Floats:
    """(n, n) the information on the free parameters, that of their priors included."""
    n = len(free)
    out = np.empty((n, n))
    for a in range(n):
        for b in range(n):
            out[a, b] = A[free[a], free[b]] / (sigma * sigma)
        out[a, a] += prior_weight[free[a]] ** 2 / (sigma * sigma)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def consensus(chi: Floats, lines: Floats, heading: Indices, trust: Floats, params: float) -> None:
    """Set the trust of traces far from a robust solution to 0, worst first, so that least squares
    start from traces that agree. Two of each heading always stay. params: how many parameters
    the traces determine."""
    squared = np.empty(len(chi))
    kept = 0
    for i in range(len(chi)):
        if trust[i] > 0.0:
            squared[kept] = trust[i] * chi[i] / (lines[i, 5] - 1.0)
            kept += 1
    if kept - params < 2.0:
        return
    # the median squared misfit, scaled to a normal distribution's variance (1 / 0.4549 = 2.2)
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
def take_back(
    fit: Fit, trusted: Floats, trust: Floats, free: Indices, prior_weight: Floats, sigma: float,
    gross: Flags,
) -> bool:  # fmt: skip
    """Give traces their trust back that were left out and agree with the others after all: whose
    misfit is within the error of predicting it. Those found to be gross (T,) stay out. Returns
    whether any was taken back."""
    chi, Jt, A, lines = fit.chi, fit.Jt, fit.A, fit.lines
    n = len(free)
    inverse = np.empty((n, n))
    if not inverted(information(A, free, prior_weight, 1.0), inverse):
        return False
    back = False
    for i in range(len(chi)):
        if trust[i] > 0.0 or trusted[i] <= 0.0 or gross[i]:
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
