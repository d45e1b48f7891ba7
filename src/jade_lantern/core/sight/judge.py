"""From traces to a judged camera: solved robustly, gross traces left out one after another, and
the uncertainty of what is left.

The steps are compiled one by one and called from Python. As one compiled function they take 35 s
longer to compile, since Numba optimises everything that a function calls again together with it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .bend import folds
from .consensus import consensus, information, take_back
from .lines import reduce
from .misfit import PARAMETERS
from .numbers import signed
from .outliers import GUESSED_SIGMA_PX, leave_out, spread_of
from .problem import Estimate, Fit, Observed, Prior, fit_for
from .refine import inverted, refine
from .starts import best_of_starts, crossing_of_heights, vanishing_points

LOSS_WIDTH_PX = 2.0
CENTRE_SIGMA = 0.35  # standard deviation of a free principal point, in longer sides of the plate
BEND_SIGMA = 1.0
NARROW = 0.2  # a nearly fixed parameter keeps a prior this fraction as wide as a free one
JOINT_STEPS, LAST_STEPS = 30, 40


class Judged(NamedTuple):
    """sound: whether the traces determine all free parameters. kept: (T,) the trust that each trace
    was left with. covariance: (P, P). misfits: (T,) px a point. sigma: px, the standard deviation
    of a point. Jt: (T, P) derivatives of each trace's misfit."""

    sound: bool
    at: Estimate
    kept: Floats
    covariance: Floats
    misfits: Floats
    sigma: float
    Jt: Floats


def judged(
    observed: Observed, prior: Floats, relative: Floats, free: Indices, begin: Estimate | None
) -> Judged:
    """Solve, leave out traces that grossly disagree one after another, and weigh the rest.

    A trace is judged by its misfit over what that misfit would be expected to be with the trace
    left out (its studentised residual), against the spread of the others.

    prior: (P,) a value for each parameter. relative: (P,) its standard deviation; 0 for none.
    free: the numbers of the parameters that move; the others stay at their prior. begin: an
    estimate to start from; None to look for the best start.
    """
    trusted = observed.trust
    observed = observed._replace(trust=np.maximum(trusted, 0.0))
    trust = observed.trust
    fit = fit_for(observed, len(prior) - PARAMETERS)
    joint = bool(((free >= 4) & (free < PARAMETERS)).any())  # more than focal length and attitude
    at = _started(observed, prior, relative, free, begin, fit, joint)
    params = _determined(observed.log_aspect, observed.size, relative, free)
    known = relative[0] > 0.0
    gross = np.zeros(len(trust), bool)
    consensus(fit.chi, fit.lines, observed.heading, trust, params)
    sigma = GUESSED_SIGMA_PX
    for _pass in range(2 + len(trust) // 3):
        sigma = GUESSED_SIGMA_PX
        # a prior's weight depends on the noise, which is only known after solving
        for _again in range(2 if known or joint else 1):
            weighed = Prior(prior, _weights(relative, sigma))
            at, _ = refine(observed, at, weighed, free, 0.0, LAST_STEPS, 1e-10, fit)
            sigma = spread_of(fit.chi, fit.lines, trust, params)
        weight = weighed.weight
        if take_back(fit, trusted, trust, free, weight, max(sigma, GUESSED_SIGMA_PX), gross):
            continue
        if leave_out(fit, observed.heading, trust, free, weight, params, gross) == 0:
            break
    return _closed(at, trust, free, _weights(relative, sigma), sigma, fit)


def _started(
    observed: Observed, prior: Floats, relative: Floats, free: Indices, begin: Estimate | None,
    fit: Fit, joint: bool,
) -> Estimate:  # fmt: skip
    """A robust estimate of all free parameters, to begin least squares from."""
    c, k = prior[4:6].copy(), prior[6:8].copy()
    if (free == 6).any():
        k[0] = bow_alone(
            observed.points, observed.starts, observed.size, observed.farthest, fit.lines
        )
    straight = k[0] == 0.0 and k[1] == 0.0
    reduce(
        observed.points, observed.starts, np.zeros(2) if straight else c, k, observed.size,
        fit.lines,
    )  # fmt: skip
    weighed = Prior(prior, _weights(relative, GUESSED_SIGMA_PX))
    rest = free[(free < 4) | (free >= PARAMETERS)]
    loss = np.inf
    if begin is None:
        at, loss = best_of_starts(observed, c, k, weighed, rest, LOSS_WIDTH_PX, fit)
    else:
        at = Estimate(begin.log_focal, begin.R, c, k, begin.turns)
    if not joint:
        return at
    at, loss = refine(observed, at, weighed, free, LOSS_WIDTH_PX, JOINT_STEPS, 1e-6, fit)
    if begin is not None or not (free == 4).any() or (free == 6).any() or not straight:
        return at
    # The principal point has other local minima, so it is also started from where the right
    # angles between three vanishing points put it.
    points, found, _ = vanishing_points(
        fit.lines, observed.heading, 3, np.zeros(2), observed.size, 4 * LOSS_WIDTH_PX
    )
    other = np.zeros(2)
    if not crossing_of_heights(points, found, observed.size, other):
        return at
    second, _ = best_of_starts(observed, other, k, weighed, rest, LOSS_WIDTH_PX, fit)
    second, low = refine(observed, second, weighed, free, LOSS_WIDTH_PX, JOINT_STEPS, 1e-6, fit)
    return second if low < loss else at


def _weights(relative: Floats, sigma: float) -> Floats:
    """(P,) the weights of priors of standard deviations (P,), for points of one."""
    return np.divide(sigma, relative, out=np.zeros(len(relative)), where=relative > 0.0)


@njit(cache=True, nogil=True)
def _determined(log_aspect: Floats, size: float, relative: Floats, free: Indices) -> float:
    """How many parameters the traces determine: of the free ones all but those that are known well
    beforehand, and those that proportions of rectangles determine."""
    params = 0.0
    for p in free:
        wide = 0.0  # of a prior that leaves the parameter to the traces
        if p == 0:
            wide = np.inf
        elif p == 4 or p == 5:
            wide = NARROW * CENTRE_SIGMA * 2 * size
        elif p == 6 or p == 7:
            wide = NARROW * BEND_SIGMA
        params += 0.0 if 0.0 < relative[p] < wide else 1.0
    for ratio in log_aspect:
        params -= 0.0 if np.isnan(ratio) else 1.0
    return max(params, 0.0)


def _closed(
    at: Estimate, trust: Floats, free: Indices, weight: Floats, sigma: float, fit: Fit
) -> Judged:
    """What is reported of an estimate: covariance, misfits, and the signs chosen."""
    covariance, misfits = np.zeros((len(weight), len(weight))), np.empty(len(trust))
    sound = _weighed(at.R, at.turns, free, weight, sigma, fit, covariance, misfits)
    return Judged(sound, at, trust, covariance, misfits, sigma, fit.Jt)


@njit(cache=True, nogil=True, error_model="numpy")
def _weighed(
    R: Floats, turns: Floats, free: Indices, weight: Floats, sigma: float, fit: Fit,
    covariance: Floats, misfits: Floats,
) -> bool:  # fmt: skip
    """Fill covariance (P, P) and misfits (T,), px a point, and choose the signs of R. False where
    the traces do not determine all free parameters."""
    n = len(free)
    inverse = np.empty((n, n))
    sound = inverted(information(fit.A, free, weight, sigma), inverse)
    for a in range(n):
        for b in range(n):
            covariance[free[a], free[b]] = inverse[a, b]
    for i in range(len(misfits)):
        misfits[i] = np.sqrt(fit.chi[i] / (fit.lines[i, 5] - 1.0))
    if not signed(R):
        turns[:] = -turns
        covariance[PARAMETERS:] *= -1.0
        covariance[:, PARAMETERS:] *= -1.0
        fit.Jt[:, PARAMETERS:] *= -1.0
    return sound


@njit(cache=True, nogil=True, error_model="numpy")
def bow_alone(
    points: Floats, starts: Indices, size: float, farthest: float, lines: Floats
) -> float:
    """The first bending term by which the traces' own points are straightest, whatever the camera:
    a start for the joint solution. Fills lines (T, 8)."""
    best, least = 0.0, np.inf
    c, k = np.zeros(2), np.zeros(2)
    low, high = -0.45, 0.9
    for _ in range(4):
        step = (high - low) / 24.0
        for i in range(-1, 25):
            k[0] = low + i * step if i >= 0 else 0.0  # 0 first: it wins a tie
            if folds(k[0], 0.0, farthest):
                continue
            reduce(points, starts, c, k, size, lines)
            total = 0.0
            for t in range(len(lines)):
                total += lines[t, 6]
            if total < least * (1.0 - 1e-9):
                best, least = k[0], total
        low, high = best - 1.5 * step, best + 1.5 * step
    return best
