"""Traces that grossly disagree: the spread of the others, which trace is off by it, and leaving it
out."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from .consensus import LEAST_SIGMA_PX, information
from .problem import Fit
from .refine import inverted

GUESSED_SIGMA_PX = 1.0  # a careful hand's standard deviation, used while few traces measure it
GUESS_WORTH = 2.0  # degrees of freedom that the guess counts as
TRACES_A_PASS = 50  # one more gross trace is left out at once for each so many


@njit(cache=True, nogil=True)
def spread_of(chi: Floats, lines: Floats, trust: Floats, params: float) -> float:
    """The standard deviation of a point, px, from the misfits of the kept traces, and from a guess
    that counts as GUESS_WORTH degrees of freedom."""
    dof, total = -params, GUESS_WORTH * GUESSED_SIGMA_PX**2
    for i in range(len(chi)):
        if trust[i] > 0.0:
            dof += lines[i, 5] - 1.0
            total += trust[i] * chi[i]
    return max(np.sqrt(total / (max(dof, 0.0) + GUESS_WORTH)), LEAST_SIGMA_PX)


@njit(cache=True, nogil=True)
def grossest(
    fit: Fit, heading: Indices, trust: Floats, free: Indices, prior_weight: Floats, dof: float,
    limit: float,
) -> tuple[int, float]:  # fmt: skip
    """The kept trace of the largest studentised residual, and that residual; -1 for the trace where
    the residual is within the limit, or its heading has no more than two traces left."""
    chi, Jt, A, lines = fit.chi, fit.Jt, fit.A, fit.lines
    n = len(free)
    inverse = np.empty((n, n))
    if not inverted(information(A, free, prior_weight, 1.0), inverse):
        return -1, 0.0
    # px², each kept trace's squared misfit divided by its degrees of freedom
    squared_misfit_per_dof = np.empty(len(chi))
    total, kept = 0.0, 0
    for i in range(len(chi)):
        total += trust[i] * chi[i]
        if trust[i] > 0.0:
            squared_misfit_per_dof[kept] = trust[i] * chi[i] / (lines[i, 5] - 1.0)
            kept += 1
    # Robust variance: the median squared misfit, scaled to a normal distribution's variance
    # (1 / 0.4549 = 2.2). A mean would let several gross errors raise the threshold and hide one
    # another (masking; Rousseeuw & Leroy 1987).
    typical = np.median(squared_misfit_per_dof[:kept]) * 2.2 * kept / max(kept - n, 1.0)
    worst, most = -1, 0.0
    for i in range(len(chi)):
        if trust[i] <= 0.0:
            continue
        leverage = 0.0
        for a in range(n):
            for b in range(n):
                leverage += Jt[i, free[a]] * inverse[a, b] * Jt[i, free[b]]
        mine = trust[i] * chi[i] / (lines[i, 5] - 1.0)
        room = 1.0 - min(max(leverage * trust[i], 0.0), 0.999)
        outside = max(total - trust[i] * chi[i] / room, 0.0) / max(dof - 1.0, 1.0)
        student = np.sqrt(mine / room / max(min(outside, typical), LEAST_SIGMA_PX**2))
        if student > most and np.sqrt(mine) > 1.5:
            worst, most = i, student
    if worst < 0 or most <= limit:
        return -1, most
    same = 0
    for i in range(len(chi)):
        if trust[i] > 0.0 and heading[i] == heading[worst]:
            same += 1
    return (worst if same > 2 else -1), most


@njit(cache=True, nogil=True)
def leave_out(
    fit: Fit, heading: Indices, trust: Floats, free: Indices, prior_weight: Floats, params: float,
    gross: Flags,
) -> int:  # fmt: skip
    """Set the trust of gross traces to 0 and mark them in gross (T,). Returns how many there were.

    Of few traces one is left out at a time, since a gross one may make others look gross. Of many
    several are, or solving hundreds anew for each would take seconds.
    """
    dof = -params
    for i in range(len(trust)):
        if trust[i] > 0.0:
            dof += fit.lines[i, 5] - 1.0
    count, first = 0, 0.0
    while dof >= 3.0 and count < 1 + len(trust) // TRACES_A_PASS:
        worst, student = grossest(fit, heading, trust, free, prior_weight, dof, 4.0 + 12.0 / dof)
        if worst < 0 or student < 0.5 * first:
            break
        first = max(first, student)
        trust[worst] = 0.0
        gross[worst] = True
        dof -= fit.lines[worst, 5] - 1.0
        count += 1
    return count
