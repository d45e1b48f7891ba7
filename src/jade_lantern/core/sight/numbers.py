"""The numbers that people read of a solution: its signs, attitude and horizon, and where each
heading vanishes, with their uncertainties."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .misfit import PARAMETERS, turned, ways_of


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
