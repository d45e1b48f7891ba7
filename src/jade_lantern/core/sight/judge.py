"""From traces to a judged camera in one compiled call: solved, gross traces left out, the
uncertainty of what is left, and the numbers that people read from it."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .bend import folds
from .consensus import LEAST_SIGMA_PX, admitted, consensus, part
from .lines import reduce
from .misfit import PARAMETERS, turned, ways_of
from .refine import inverted, refine
from .starts import candidates, crossing_of_heights, solved

GUESSED_SIGMA_PX = 1.0  # what a careful hand does; stands in while there is little to measure it by
GUESS_WORTH = 2.0  # how many traces' worth that guess counts for
LOSS_WIDTH_PX = 2.0
CENTRE_SIGMA = 0.35  # how far off its middle a plate's principal point may well be, in longer sides
BEND_SIGMA = 1.0
NARROW = 0.2  # of those: so well is a number known that is only let go a little
TRACES_A_PASS = 50  # for each so many, one more gross trace is left out at once
JOINT_STEPS, LAST_STEPS = np.int64(30), np.int64(40)


@njit(cache=True, nogil=True)
def spread_of(chi: Floats, lines: Floats, trust: Floats, free: float) -> float:
    """The standard deviation of a point, px, from the misfits of the kept traces and a guess."""
    dof, total = -free, GUESS_WORTH * GUESSED_SIGMA_PX**2
    for i in range(len(chi)):
        if trust[i] > 0.0:
            dof += lines[i, 5] - 1.0
            total += trust[i] * chi[i]
    return max(np.sqrt(total / (max(dof, 0.0) + GUESS_WORTH)), LEAST_SIGMA_PX)


@njit(cache=True, nogil=True)
def grossest(
    chi: Floats, Jt: Floats, A: Floats, lines: Floats, heading: Indices, trust: Floats,
    free: Indices, prior_weight: Floats, dof: float, limit: float,
) -> tuple[int, float]:  # fmt: skip
    """The kept trace that disagrees most grossly and can be spared, or -1; and its studentised
    residual. One that is not over the limit does not count as gross."""
    n = len(free)
    inverse = np.empty((n, n))
    if not inverted(part(A, free, prior_weight, 1.0), inverse):
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


@njit(cache=True, nogil=True, error_model="numpy")
def bow_alone(
    points: Floats, starts: Indices, size: float, farthest: float, lines: Floats
) -> float:
    """The first bending term that makes each trace as straight as may be, whatever the camera:
    the start for the joint solution."""
    best, least = 0.0, np.inf
    c, k = np.zeros(2), np.zeros(2)
    low, high = -0.45, 0.9
    for _ in range(4):
        step = (high - low) / 24.0
        for i in range(-1, 25):
            k[0] = low + i * step if i >= 0 else 0.0  # straight, where nothing tells otherwise
            if folds(k[0], 0.0, farthest):
                continue
            reduce(
                points, starts, c, k, size, lines[:, 0:2], lines[:, 2:4], lines[:, 4],
                lines[:, 5], lines[:, 6], lines[:, 7],
            )  # fmt: skip
            total = 0.0
            for t in range(len(lines)):
                total += lines[t, 6]
            if total < least * (1.0 - 1e-9):
                best, least = k[0], total
        low, high = best - 1.5 * step, best + 1.5 * step
    return best


@njit(cache=True, nogil=True, error_model="numpy")
def judged(
    points: Floats, starts: Indices, heading: Indices, trusted: Floats,
    corners: Floats, sides: Indices, log_aspect: Floats, rect_trust: Floats,
    size: float, farthest: float, prior: Floats, relative: Floats, free: Indices, turns: Floats,
    begin: float, begin_R: Floats,
) -> tuple[bool, float, Floats, Floats, Floats, Floats, Floats, float, Floats]:  # fmt: skip
    """Solve, leave out traces that grossly disagree one after another, and weigh the rest.

    prior, relative (P,), P being 8 and one more for each bearing: a value for each parameter and
    its standard deviation; 0 for none.
    begin, begin_R: a log focal length and rotation to begin from, the turns being begun from what
    they are; 0 to look for the best start. Parameters that are not free stay at their prior.
    turns (B,) is filled with the bearings' turns, radians. A trace is judged by its misfit over
    what that misfit would be expected to be with the trace left out (its studentised residual),
    against the spread of the others. Returns whether there is a covariance, log focal, R, the
    principal point and bending (4,), which traces were kept (T,), the covariance (P, P), the
    misfits (T,) px, sigma px, and each trace's derivatives (T, P).
    """
    count = len(heading)
    trust = trusted.copy()
    for i in range(count):
        trust[i] = max(trust[i], 0.0)
    lines = np.empty((count, 8))
    P = PARAMETERS + len(turns)
    chi, Jt = np.zeros(count), np.zeros((count, P))
    A = np.zeros((P, P))
    still = free[(free < 4) | (free >= PARAMETERS)]
    c, k = prior[4:6].copy(), prior[6:8].copy()
    known = relative[0] > 0.0
    moves_bend = (free == 6).any()
    moves_centre = (free == 4).any()
    if moves_bend:
        k[0] = bow_alone(points, starts, size, farthest, lines)
    at = c if k[0] != 0.0 or k[1] != 0.0 else np.zeros(2)
    reduce(
        points, starts, at, k, size, lines[:, 0:2], lines[:, 2:4], lines[:, 4], lines[:, 5],
        lines[:, 6], lines[:, 7],
    )  # fmt: skip
    params = 0.0
    for p in free:
        # what is known well beforehand takes nothing from what the traces can tell
        known_well = relative[p] > 0.0 and (
            p == 0
            or (p in (4, 5) and relative[p] < NARROW * CENTRE_SIGMA * 2 * size)
            or (p in (6, 7) and relative[p] < NARROW * BEND_SIGMA)
        )
        params += 0.0 if known_well else 1.0
    for i in range(len(log_aspect)):
        params -= 0.0 if np.isnan(log_aspect[i]) else 1.0
    params = max(params, 0.0)
    sigma = GUESSED_SIGMA_PX
    weight = np.zeros(P)
    for p in range(P):
        weight[p] = sigma / relative[p] if relative[p] > 0.0 else 0.0
    log_focal, R, loss = begin, begin_R.copy(), np.inf
    if begin == 0.0:
        log_focal, R, loss = solved(
            points, starts, heading, trust, corners, sides, log_aspect, rect_trust, c, k, turns,
            size, farthest, prior, weight, still, LOSS_WIDTH_PX, lines, chi, Jt, A,
        )  # fmt: skip
    if len(free) > len(still):
        log_focal, R, loss = refine(
            points, starts, heading, trust, corners, sides, log_aspect, rect_trust, log_focal, R,
            c, k, turns, size, farthest, prior, weight, free, LOSS_WIDTH_PX, JOINT_STEPS, 1e-6,
            lines, chi, Jt, A,
        )  # fmt: skip
        if begin == 0.0 and moves_centre and not moves_bend and k[0] == 0.0 and k[1] == 0.0:
            found, ends = np.zeros(3, np.int64), np.zeros((3, 3, 3))
            candidates(
                lines, heading, np.zeros(2), size, 4 * LOSS_WIDTH_PX, ends, found, np.zeros((3, 3))
            )
            other, other_turns = np.zeros(2), np.zeros(len(turns))
            if crossing_of_heights(ends, found, size, other):
                f2, R2, _ = solved(
                    points, starts, heading, trust, corners, sides, log_aspect, rect_trust, other,
                    k, other_turns, size, farthest, prior, weight, still, LOSS_WIDTH_PX,
                    lines, chi, Jt, A,
                )  # fmt: skip
                f2, R2, loss2 = refine(
                    points, starts, heading, trust, corners, sides, log_aspect, rect_trust, f2, R2,
                    other, k, other_turns, size, farthest, prior, weight, free, LOSS_WIDTH_PX,
                    JOINT_STEPS, 1e-6, lines, chi, Jt, A,
                )  # fmt: skip
                if loss2 < loss:
                    log_focal, R = f2, R2
                    c[:] = other
                    turns[:] = other_turns
    named = np.zeros(count, np.bool_)
    consensus(chi, lines, heading, trust, params)
    for _pass in range(2 + count // 3):
        sigma = GUESSED_SIGMA_PX
        for _again in range(2 if known or len(free) > len(still) else 1):
            for p in range(P):
                weight[p] = sigma / relative[p] if relative[p] > 0.0 else 0.0
            log_focal, R, _ = refine(
                points, starts, heading, trust, corners, sides, log_aspect, rect_trust, log_focal,
                R, c, k, turns, size, farthest, prior, weight, free, 0.0, LAST_STEPS, 1e-10, lines,
                chi, Jt, A,
            )  # fmt: skip
            sigma = spread_of(chi, lines, trust, params)
        back = admitted(
            chi, Jt, A, lines, trusted, trust, free, weight, max(sigma, GUESSED_SIGMA_PX), named
        )  # fmt: skip
        dof = -params
        for i in range(count):
            if trust[i] > 0.0:
                dof += lines[i, 5] - 1.0
        if back:
            continue
        if dof < 3.0:
            break
        # Of few traces one is left out at a time, since a gross one may make others look gross.
        # Of many several are, or solving hundreds anew for each would take seconds.
        left_out, first = 0, 0.0
        while left_out < 1 + count // TRACES_A_PASS:
            worst, student = grossest(
                chi, Jt, A, lines, heading, trust, free, weight, dof, 4.0 + 12.0 / dof
            )  # fmt: skip
            if worst < 0 or student < 0.5 * first:
                break
            first = max(first, student)
            trust[worst] = 0.0
            named[worst] = True
            dof -= lines[worst, 5] - 1.0
            left_out += 1
            if dof < 3.0:
                break
        if left_out == 0:
            break
    for p in range(P):
        weight[p] = sigma / relative[p] if relative[p] > 0.0 else 0.0
    n = len(free)
    inverse = np.empty((n, n))
    sound = inverted(part(A, free, weight, sigma), inverse)
    covariance = np.zeros((P, P))
    for a in range(n):
        for b in range(n):
            covariance[free[a], free[b]] = inverse[a, b]
    misfits = np.empty(count)
    for i in range(count):
        misfits[i] = np.sqrt(chi[i] / (lines[i, 5] - 1.0))
    sideways, depth = R[:, 0].copy(), R[:, 2].copy()
    signed(R)
    # a turn from Across towards Away is counted the other way where one of them has changed sign
    if (sideways * R[:, 0]).sum() * (depth * R[:, 2]).sum() < 0.0:
        turns[:] = -turns
        covariance[PARAMETERS:] *= -1.0
        covariance[:, PARAMETERS:] *= -1.0
        Jt[:, PARAMETERS:] *= -1.0
    return (
        sound, log_focal, R, np.array([c[0], c[1], k[0], k[1]]), trust, covariance, misfits,
        sigma, Jt,
    )  # fmt: skip


@njit(cache=True, nogil=True)
def signed(R: Floats) -> None:
    """Choose the signs: Up is up in the picture, Away goes into it, the frame is right-handed."""
    if R[1, 1] < 0.0:
        for j in range(3):
            R[j, 1] = -R[j, 1]
    if R[2, 2] < 0.0:
        for j in range(3):
            R[j, 2] = -R[j, 2]
    for j in range(3):
        a, b = (j + 1) % 3, (j + 2) % 3
        R[j, 0] = R[a, 1] * R[b, 2] - R[b, 1] * R[a, 2]


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
