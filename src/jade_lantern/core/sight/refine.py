"""Levenberg-Marquardt over whichever parameters of a sighting are free."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .bend import folds
from .lines import reduce
from .misfit import FAST, PARAMETERS, turned
from .normal import normal_equations


@njit(cache=True, nogil=True)
def _prior_loss(at: Floats, R: Floats, prior: Floats, weight: Floats) -> float:
    total = (weight[3] * R[0, 1]) ** 2
    for p in range(len(at)):
        if weight[p] > 0.0 and p != 3:
            total += (weight[p] * (at[p] - prior[p])) ** 2
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
    points: Floats, starts: Indices, heading: Indices, trust: Floats,
    corners: Floats, sides: Indices, log_aspect: Floats, rect_trust: Floats,
    log_focal: float, R: Floats, c: Floats, k: Floats, turns: Floats, size: float, farthest: float,
    prior: Floats, prior_weight: Floats, free: Indices, width: float, steps: int, enough: float,
    lines: Floats, chi: Floats, Jt: Floats, A: Floats,
) -> tuple[float, Floats, float]:  # fmt: skip
    """Levenberg-Marquardt from one start.

    prior, prior_weight (P,): a value for each parameter and what a unit of it is worth in px; 0
    for none. A rotation has no prior, but the third turn's weight is that of a level horizon.
    free: the indices of the parameters that move. c, k and turns are moved in place. Fills
    chi, Jt and A (without priors) as they are where it ends. It ends when a step gains less than
    the share `enough` of the loss. Returns log focal, R and the loss.
    """
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
    An, gn = np.empty((count, count)), np.empty(count)
    chin, Jn = np.empty(len(heading)), np.empty((len(heading), count))
    loss = normal_equations(
        points, starts, heading, trust, corners, sides, log_aspect, rect_trust, log_focal, R, c, k,
        turns, size, width, bending, used, lines, chi, Jt, A, g,
    )  # fmt: skip
    at, atn = np.zeros(count), np.zeros(count)
    at[0] = log_focal
    at[4:6], at[6:8], at[8:] = c, k, turns
    loss += _prior_loss(at, R, prior, prior_weight)
    cn, kn, H = np.empty(2), np.empty(2), np.empty((count, count))
    for _ in range(steps):
        H[:] = A
        for p in range(count):
            if prior_weight[p] > 0.0 and p != 3:
                H[p, p] += prior_weight[p] ** 2
                g[p] += prior_weight[p] ** 2 * (at[p] - prior[p])
        if prior_weight[3] > 0.0:  # Up's sideways lean, R[0, 1], turns with the 2nd and 3rd
            much, lean2, lean3 = prior_weight[3] ** 2, R[2, 1], -R[1, 1]
            H[2, 2] += much * lean2 * lean2
            H[2, 3] += much * lean2 * lean3
            H[3, 2] += much * lean2 * lean3
            H[3, 3] += much * lean3 * lean3
            g[2] += much * lean2 * R[0, 1]
            g[3] += much * lean3 * R[0, 1]
        better = False
        gain, new = 0.0, loss
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
            new = normal_equations(
                points, starts, heading, trust, corners, sides, log_aspect, rect_trust, lf, Rn,
                cn, kn, turned_on, size, width, bending, used, lines, chin, Jn, An, gn,
            )  # fmt: skip
            atn[0] = lf
            atn[4:6], atn[6:8], atn[8:] = cn, kn, turned_on
            new += _prior_loss(atn, Rn, prior, prior_weight)
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
        chi[:] = chin
        Jt[:] = Jn
        A[:] = An
        g[:] = gn
        damping = max(damping * 0.1, 1e-9)
        if gain < 1e-12 + enough * loss:
            break
    if bending:  # the lines as they are where it ended
        reduce(
            points, starts, c, k, size, lines[:, 0:2], lines[:, 2:4], lines[:, 4], lines[:, 5],
            lines[:, 6], lines[:, 7],
        )  # fmt: skip
    return log_focal, R, loss


@njit(cache=True, nogil=True)
def inverted(A: Floats, out: Floats) -> bool:
    """The inverse of a symmetric matrix into out; False where it has no well-founded one."""
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
