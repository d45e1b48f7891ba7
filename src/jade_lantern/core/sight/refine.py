"""Levenberg-Marquardt over the free parameters of a camera (Nocedal & Wright 2006, ch. 10)."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .bend import folds
from .lines import reduce
from .misfit import FAST, PARAMETERS, turned
from .normal import normal_equations
from .problem import Estimate, Fit, Observed, Prior


@njit(cache=True, nogil=True)
def _prior_loss(at: Floats, R: Floats, value: Floats, weight: Floats) -> float:
    total = (weight[3] * R[0, 1]) ** 2
    for p in range(len(at)):
        if weight[p] > 0.0 and p != 3:
            total += (weight[p] * (at[p] - value[p])) ** 2
    return total


@njit(cache=True, nogil=True, error_model="numpy")
def descent(A: Floats, g: Floats, free: Indices, damping: float, step: Floats) -> None:
    """Solve (A + damping diag A) step = -g over the free parameters, by Cholesky."""
    n = len(free)
    L = np.zeros((n, n))
    for i in range(n):
        for j in range(i + 1):
            total = A[free[i], free[j]]
            if i == j:
                total += damping * (A[free[i], free[i]] + 1e-9)
            for k in range(j):
                total -= L[i, k] * L[j, k]
            L[i, j] = np.sqrt(max(total, 1e-18)) if i == j else total / L[j, j]
    x = np.empty(n)
    for i in range(n):
        total = -g[free[i]]
        for k in range(i):
            total -= L[i, k] * x[k]
        x[i] = total / L[i, i]
    for i in range(n - 1, -1, -1):
        total = x[i]
        for k in range(i + 1, n):
            total -= L[k, i] * x[k]
        x[i] = total / L[i, i]
    step[:] = 0.0
    for i in range(n):
        step[free[i]] = x[i]


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def refine(
    observed: Observed, begin: Estimate, prior: Prior, free: Indices, width: float, steps: int,
    enough: float, fit: Fit,
) -> tuple[Estimate, float]:  # fmt: skip
    """Levenberg-Marquardt from one start. Returns the estimate that it ends at, and its loss.

    free: the numbers of the parameters that move. width: of Cauchy's loss, see `normal_equations`.
    steps: the most to be taken. enough: it ends when a step gains less than this share of the
    loss. Fills fit as it is at the end.
    """
    size, farthest = observed.size, observed.farthest
    value, weight = prior.value, prior.weight
    log_focal, R = begin.log_focal, begin.R.copy()
    c, k, turns = begin.c.copy(), begin.k.copy(), begin.turns.copy()
    count = PARAMETERS + len(turns)
    used = 4
    moves_bend, moves_centre = False, False
    for p in free:
        if p >= 4:
            used = count
        moves_centre = moves_centre or p == 4
        moves_bend = moves_bend or p == 6
    bending = moves_bend or (moves_centre and (k[0] != 0.0 or k[1] != 0.0))
    damping = 1e-3
    g, step = np.empty(count), np.zeros(count)
    gn = np.empty(count)
    # a second fit for steps that are tried; the lines are shared: they do not change, or change
    # with every estimate and are filled anew at the end
    next_fit = Fit(
        fit.lines, np.empty(len(fit.chi)), np.empty((len(fit.chi), count)),
        np.empty((count, count)),
    )  # fmt: skip
    now = Estimate(log_focal, R, c, k, turns)
    loss = normal_equations(observed, now, width, bending, used, fit, g)
    at, atn = np.zeros(count), np.zeros(count)
    at[0] = log_focal
    at[4:6], at[6:8], at[8:] = c, k, turns
    loss += _prior_loss(at, R, value, weight)
    cn, kn, H = np.empty(2), np.empty(2), np.empty((count, count))
    for _ in range(steps):
        H[:] = fit.A
        for p in range(count):
            if weight[p] > 0.0 and p != 3:
                H[p, p] += weight[p] ** 2
                g[p] += weight[p] ** 2 * (at[p] - value[p])
        if weight[3] > 0.0:  # the sideways lean of Up, R[0, 1], changes with parameters 2 and 3
            much, lean2, lean3 = weight[3] ** 2, R[2, 1], -R[1, 1]
            H[2, 2] += much * lean2 * lean2
            H[2, 3] += much * lean2 * lean3
            H[3, 2] += much * lean2 * lean3
            H[3, 3] += much * lean3 * lean3
            g[2] += much * lean2 * R[0, 1]
            g[3] += much * lean3 * R[0, 1]
        better = False
        new = loss
        for _try in range(8):
            descent(H, g, free, damping, step)
            if abs(step[0]) > 0.7:
                step *= 0.7 / abs(step[0])
            lf = min(max(log_focal + step[0], 2.0), 16.0)
            Rn = turned(R, step[1:4])
            cn[0], cn[1] = at[4] + step[4], at[5] + step[5]
            kn[0], kn[1] = at[6] + step[6], at[7] + step[7]
            turned_on = at[8:] + step[8:]
            if (kn[0] != at[6] or kn[1] != at[7]) and folds(kn[0], kn[1], farthest):
                damping *= 8.0
                continue
            there = Estimate(lf, Rn, cn, kn, turned_on)
            new = normal_equations(observed, there, width, bending, used, next_fit, gn)
            atn[0] = lf
            atn[4:6], atn[6:8], atn[8:] = cn, kn, turned_on
            new += _prior_loss(atn, Rn, value, weight)
            if new < loss:
                better = True
                break
            damping *= 8.0
        if not better:
            break
        gain = loss - new
        log_focal, R, loss = lf, Rn, new
        at[:] = atn
        c[:] = cn
        k[:] = kn
        turns[:] = turned_on
        fit.chi[:] = next_fit.chi
        fit.Jt[:] = next_fit.Jt
        fit.A[:] = next_fit.A
        g[:] = gn
        damping = max(damping * 0.1, 1e-9)
        if gain < 1e-12 + enough * loss:
            break
    if bending:
        reduce(observed.points, observed.starts, c, k, size, fit.lines)
    return Estimate(log_focal, R, c, k, turns), loss


@njit(cache=True, nogil=True)
def inverted(A: Floats, out: Floats) -> bool:
    """Fill out with the inverse of a symmetric positive matrix. False where it is singular, or so
    close to it that rounding decides: a condition number above 1e11 after scaling the diagonal."""
    n = len(A)
    scale = np.empty(n)
    for i in range(n):
        scale[i] = np.sqrt(max(A[i, i], 1e-12))
    scaled = np.empty((n, n))
    for i in range(n):
        for j in range(n):
            scaled[i, j] = A[i, j] / (scale[i] * scale[j])
            if not np.isfinite(scaled[i, j]):
                return False
    values, vectors = np.linalg.eigh(scaled)
    if values[0] < 1e-11 * values[n - 1]:
        return False
    for i in range(n):
        for j in range(n):
            total = 0.0
            for k in range(n):
                total += vectors[i, k] * vectors[j, k] / values[k]
            out[i, j] = total / (scale[i] * scale[j])
    return True
