"""From traces to a judged camera: solved robustly, gross traces left out one after another, the
uncertainty of what is left, and the numbers that are shown of it.

The steps are compiled one by one and called from Python. As one compiled function they take 35 s
longer to compile, since Numba optimises everything that a function calls again together with it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from .bend import folds
from .consensus import LEAST_SIGMA_PX, consensus, information, take_back
from .lines import reduce
from .misfit import PARAMETERS, turned, ways_of
from .problem import Estimate, Fit, Observed, Prior, fit_for
from .refine import inverted, refine
from .starts import best_of_starts, crossing_of_heights, vanishing_points

GUESSED_SIGMA_PX = 1.0  # a careful hand's standard deviation, used while few traces measure it
GUESS_WORTH = 2.0  # degrees of freedom that the guess counts as
LOSS_WIDTH_PX = 2.0
CENTRE_SIGMA = 0.35  # standard deviation of a free principal point, in longer sides of the plate
BEND_SIGMA = 1.0
NARROW = 0.2  # a nearly fixed parameter keeps a prior this fraction as wide as a free one
TRACES_A_PASS = 50  # one more gross trace is left out at once for each so many
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


@njit(cache=True, nogil=True)
def signed(R: Floats) -> bool:
    """Choose the signs of a rotation's columns: Up points up in the picture, Away into it, and the
    frame is right-handed. False where that reverses the turn from Across to Away, so that
    bearings' turns change sign."""
    flips = R[2, 2] < 0.0
    old_x, old_y, old_z = R[0, 0], R[1, 0], R[2, 0]
    if R[1, 1] < 0.0:
        for j in range(3):
            R[j, 1] = -R[j, 1]
    if R[2, 2] < 0.0:
        for j in range(3):
            R[j, 2] = -R[j, 2]
    for j in range(3):
        a, b = (j + 1) % 3, (j + 2) % 3
        R[j, 0] = R[a, 1] * R[b, 2] - R[b, 1] * R[a, 2]
    across_flips = old_x * R[0, 0] + old_y * R[1, 0] + old_z * R[2, 0] < 0.0
    return flips == across_flips


@njit(cache=True, nogil=True, error_model="numpy")
def attitude(R: Floats, focal: float, cx: float, cy: float, out: Floats) -> None:
    """Tilt, roll, yaw (radians), and the horizon a x + b y + c = 0 (px, unit normal), into (6,)."""
    ux, uy, uz = R[0, 1], R[1, 1], R[2, 1]
    out[0] = np.arcsin(min(max(-R[2, 1], -1.0), 1.0))
    out[1] = np.arctan2(ux, uy)
    out[2] = np.arctan2(-R[2, 0], R[2, 2])
    a, b = -ux / focal, uy / focal
    c = uz - a * cx - b * cy
    size = np.sqrt(a * a + b * b)
    if size < 1e-12:
        out[3], out[4], out[5] = 0.0, 0.0, c
    else:
        out[3], out[4], out[5] = a / size, b / size, c / size


@njit(cache=True, nogil=True, error_model="numpy")
def numbers(
    log_focal: float, R: Floats, cx: float, cy: float, half_width: float, half_height: float,
    covariance: Floats,
) -> Floats:  # fmt: skip
    """What people read of a camera (10,): tilt, roll, yaw in degrees and their sigmas; the
    horizon (3) and the sigma in px of where it crosses the plate's middle."""
    out = np.zeros(10)
    now, up, w = np.empty(6), np.empty(6), np.zeros(3)
    x0, y0 = half_width + cx, half_height + cy
    attitude(R, np.exp(log_focal), x0, y0, now)
    J = np.zeros((4, PARAMETERS))
    step = 1e-6
    for p in range(6):
        if covariance[p, p] <= 0.0:
            continue
        f, dx, dy, scale = log_focal, 0.0, 0.0, step
        w[:] = 0.0
        if p == 0:
            f += step
        elif p < 4:
            w[p - 1] = step
        else:
            scale = 1e-3
            dx, dy = (scale, 0.0) if p == 4 else (0.0, scale)
        attitude(turned(R, w), np.exp(f), x0 + dx, y0 + dy, up)
        for q in range(3):
            turn = up[q] - now[q]
            if turn > np.pi:
                turn -= 2 * np.pi
            elif turn < -np.pi:
                turn += 2 * np.pi
            J[q, p] = turn / scale * 180.0 / np.pi
        J[3, p] = (
            (up[3] - now[3]) * half_width + (up[4] - now[4]) * half_height + up[5] - now[5]
        ) / scale
    for q in range(3):
        out[q] = now[q] * 180.0 / np.pi
    out[6:9] = now[3:6]
    for q in range(4):
        total = 0.0
        for a in range(6):
            for b in range(6):
                total += J[q, a] * covariance[a, b] * J[q, b]
        out[(3 + q) if q < 3 else 9] = np.sqrt(max(total, 0.0))
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def heading_numbers(
    points: Floats, starts: Indices, heading: Indices, trust: Floats, misfits: Floats,
    log_focal: float, R: Floats, turns: Floats, c: Floats, half_width: float, half_height: float,
) -> Floats:  # fmt: skip
    """For each of Across, Up, Away and the bearings (W, 6): how many traces, their fit (px), how
    well they pin the vanishing point down (0 to 1), and that point in homogeneous px from the
    plate's corner.

    Long traces, spread over the picture, give 1; one alone, or several side by side, little.
    """
    ways = ways_of(R, turns)
    out = np.zeros((len(ways), 6))
    focal = np.exp(log_focal)
    for h in range(len(ways)):
        count, agreeing, total, worst = 0, 0, 0.0, 0.0
        ux, uy, length_sum = 0.0, 0.0, 0.0
        for t in range(len(heading)):
            if heading[t] != h:
                continue
            count += 1
            worst += misfits[t] ** 2
            if trust[t] > 0.0:
                agreeing += 1
                total += misfits[t] ** 2
            a, b = starts[t], starts[t + 1] - 1
            dx, dy = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1]
            if dx * ux + dy * uy < 0.0:
                dx, dy = -dx, -dy
            length = np.sqrt(dx * dx + dy * dy)
            if length > 0.0:
                ux, uy = ux + dx / length, uy + dy / length
            length_sum += length
        out[h, 0] = count
        if count == 0:
            continue
        out[h, 1] = np.sqrt(total / agreeing) if agreeing > 0 else np.sqrt(worst / count)
        low, high = np.inf, -np.inf
        for t in range(len(heading)):
            if heading[t] == h:
                a, b = starts[t], starts[t + 1] - 1
                x, y = (points[a, 0] + points[b, 0]) / 2, (points[a, 1] + points[b, 1]) / 2
                across = (y * ux - x * uy) / count
                low, high = min(low, across), max(high, across)
        size = 2.0 * max(half_width, half_height)
        strength = 0.12
        if count > 1:
            strength = 3.4 * np.sqrt((high - low) * length_sum / count) / size * np.sqrt(count / 3)
        out[h, 2] = min(max(strength, 0.12), 1.0)
        w = -ways[h, 2]
        out[h, 3] = focal * ways[h, 0] + (half_width + c[0]) * w
        out[h, 4] = -focal * ways[h, 1] + (half_height + c[1]) * w
        out[h, 5] = w
    return out
