"""From traces to a judged camera in one compiled call: solved, gross traces left out, and the
uncertainty of what is left."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from .kernel import inverted, jacobian, misfits, refine
from .starts import solved

Array = Any

LEAST_SIGMA_PX = 1.0 / 3.0
GUESSED_SIGMA_PX = 0.7  # what a careful hand does; stands in while there is little to measure it by
GUESS_WORTH = 2.0  # how many traces' worth that guess counts for
LOSS_WIDTH_PX = 2.0


@njit(cache=True, nogil=True)
def spread_of(r: Array, count: Array, bend: Array, kept: Array, free: float) -> float:
    """The standard deviation of a point, px, from the misfits of the kept traces and a guess."""
    dof, total = -free, GUESS_WORTH * GUESSED_SIGMA_PX**2
    for i in range(len(r)):
        dof += kept[i] * (count[i] - 1.0)
        total += kept[i] * (r[i] * r[i] + bend[i])
    return max(np.sqrt(total / (max(dof, 0.0) + GUESS_WORTH)), LEAST_SIGMA_PX)


@njit(cache=True, nogil=True)
def grossest(
    r: Array, jac: Array, count: Array, bend: Array, heading: Array, kept: Array,
    prior: float, dof: float, least_sigma: float, limit: float,
) -> int:  # fmt: skip
    """The kept trace that disagrees grossly and can be spared, or -1. prior is added to the
    information on log focal; limit is in standard deviations of a studentised residual."""
    A = np.zeros((4, 4))
    total = 0.0
    for i in range(len(r)):
        total += kept[i] * (r[i] * r[i] + bend[i])
        for a in range(4):
            for b in range(4):
                A[a, b] += kept[i] * jac[i, a] * jac[i, b]
    A[0, 0] += prior
    inverse = np.empty((4, 4))
    if not inverted(A, inverse):
        return -1
    worst, most = -1, 0.0
    for i in range(len(r)):
        if kept[i] == 0.0:
            continue
        leverage = 0.0
        for a in range(4):
            for b in range(4):
                leverage += jac[i, a] * inverse[a, b] * jac[i, b]
        free = 1.0 - min(max(leverage, 0.0), 0.999)
        outside = max(total - r[i] * r[i] / free, 0.0) / max(dof - 1.0, 1.0)
        student = abs(r[i]) / np.sqrt(free) / np.sqrt(max(outside, least_sigma**2))
        if student > most:
            worst, most = i, student
    if worst < 0 or most <= limit or abs(r[worst]) <= 1.5:
        return -1
    same = 0
    for i in range(len(r)):
        if kept[i] > 0.0 and heading[i] == heading[worst]:
            same += 1
    return worst if same > 2 else -1


@njit(cache=True, nogil=True)
def judged(
    m: Array, d: Array, spread: Array, n: Array, bend: Array, heading: Array,
    size: float, hint: float, relative: float,
) -> tuple[bool, float, Array, Array, Array, Array]:  # fmt: skip
    """Solve, leave out traces that grossly disagree one after another, and weigh the rest.

    hint, relative: a known log focal length and its standard deviation; 0 for none. A trace is
    judged by its misfit over what that misfit would be expected to be with the trace left out (its
    studentised residual), against the spread of the others. Returns whether there is a covariance,
    log focal, R, which traces were kept (T,), the covariance (4, 4), and the misfits (T,).
    """
    kept = np.ones(len(n))
    known = relative > 0.0
    free = 3.0 if known else 4.0
    sigma = GUESSED_SIGMA_PX
    weight = sigma / relative if known else 0.0
    log_focal, R, _ = solved(
        m, d, spread, n, heading, kept, size, hint, weight, LOSS_WIDTH_PX
    )  # fmt: skip
    for _pass in range(1 + len(n) // 3):
        sigma = GUESSED_SIGMA_PX
        for _again in range(2 if known else 1):
            weight = sigma / relative if known else 0.0
            log_focal, R, _ = refine(
                m, d, spread, n, heading, kept, log_focal, R, hint, weight, 0.0, 40
            )  # fmt: skip
            r = misfits(m, d, spread, n, heading, R, np.exp(log_focal))
            sigma = spread_of(r, n, bend, kept, free)
        dof = (kept * (n - 1.0)).sum() - free
        if dof < 3.0:
            break
        r, jac = jacobian(m, d, spread, n, heading, R, np.exp(log_focal))
        prior = (sigma / relative) ** 2 if known else 0.0
        worst = grossest(
            r, jac, n, bend, heading, kept, prior, dof, LEAST_SIGMA_PX, 4.0 + 12.0 / dof
        )  # fmt: skip
        if worst < 0:
            break
        kept[worst] = 0.0
    r, jac = jacobian(m, d, spread, n, heading, R, np.exp(log_focal))
    information = np.zeros((4, 4))
    for i in range(len(n)):
        for a in range(4):
            for b in range(4):
                information[a, b] += kept[i] * jac[i, a] * jac[i, b] / (sigma * sigma)
    if known:
        information[0, 0] += 1.0 / (relative * relative)
    covariance = np.empty((4, 4))
    sound = inverted(information, covariance)
    return sound, log_focal, R, kept, covariance, np.sqrt((r * r + bend) / (n - 1.0))
