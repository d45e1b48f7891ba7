"""A line pulled onto the picture's own edge, to a fraction of a pixel.

The edge is looked for as one straight line of steps of the same sign within reach of the line
that was drawn, so that what crosses it counts little; then each place along it is measured where
the gradient is greatest, and a line is fitted robustly to those places (Steger 1998, in spirit).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit

from ..arrays import Bytes, Floats

LEAST_STEP = 1.2  # of 255 a pixel: weaker edges are noise
SHARE_SEEN = 0.4  # of the line's length must show the edge
STEPS = 12  # the search goes so many steps to each side
NEARER = 0.5  # how much an edge at the end of reach must be stronger than one close by


@njit(cache=True, nogil=True, error_model="numpy")
def _sample(gray: Bytes, x: float, y: float) -> float:
    """Bilinear, at a pixel position whose centres are half-integers; the rim is held."""
    h, w = gray.shape
    x = min(max(x - 0.5, 0.0), w - 1.001)
    y = min(max(y - 0.5, 0.0), h - 1.001)
    i, j = int(x), int(y)
    fx, fy = x - i, y - j
    top = gray[j, i] * (1.0 - fx) + gray[j, i + 1] * fx
    low = gray[j + 1, i] * (1.0 - fx) + gray[j + 1, i + 1] * fx
    return top * (1.0 - fy) + low * fy


@njit(cache=True, nogil=True, error_model="numpy")
def _steps(
    gray: Bytes, ax: float, ay: float, ux: float, uy: float, length: float, count: int,
    step: float, t0: float, t1: float, out: Floats,
) -> None:  # fmt: skip
    """Grey steps a pixel across a line, (count stations, 2 STEPS + 1 offsets): the line runs from
    t0 to t1 px off the drawn one, the offsets are `step` apart and averaged over as much."""
    nx, ny = -uy, ux
    inner = max(1, int(step / 0.5 + 0.5))
    for s in range(count):
        along = length * (s + 0.5) / count
        off = t0 + (t1 - t0) * (s + 0.5) / count
        x, y = ax + ux * along + nx * off, ay + uy * along + ny * off
        for k in range(2 * STEPS + 1):
            t = (k - STEPS) * step
            high, low = 0.0, 0.0
            for i in range(inner):
                d = 0.5 * step * (2 * i + 1) / inner
                high += _sample(gray, x + nx * (t + d), y + ny * (t + d))
                low += _sample(gray, x + nx * (t - d), y + ny * (t - d))
            out[s, k] = (high - low) / inner / step


@njit(cache=True, nogil=True, error_model="numpy")
def _best_line(steps: Floats, leaning: float) -> tuple[int, int, float]:
    """The offsets (indices) at both ends of the line with the most steps of one sign; leaning
    makes nearer lines better. Also the mean of its compressed steps, signed."""
    count, wide = steps.shape
    small = np.empty((count, wide))
    for s in range(count):
        for k in range(wide):
            v = steps[s, k]
            small[s, k] = np.sqrt(abs(v)) * (1.0 if v >= 0 else -1.0)
    best, a, b, mean = 0.0, STEPS, STEPS, 0.0
    for i in range(wide):
        for j in range(wide):
            total = 0.0
            for s in range(count):
                at = i + (j - i) * (s + 0.5) / count
                total += small[s, int(at + 0.5)]
            far = ((i - STEPS) ** 2 + (j - STEPS) ** 2) / (2.0 * STEPS * STEPS)
            score = abs(total) * (1.0 - leaning * far)
            if score > best:
                best, a, b, mean = score, i, j, total / count
    return a, b, mean


@njit(cache=True, nogil=True, error_model="numpy")
def pulled(
    gray: Bytes, ax: float, ay: float, bx: float, by: float, reach: float, seen: Floats
) -> bool:
    """Pull the line from a to b onto the edge within reach, px, of it. Fills seen (5,) with the
    ends and the edge's mean step a pixel; False where there is no edge to be pulled onto."""
    length = np.sqrt((bx - ax) ** 2 + (by - ay) ** 2)
    seen[0], seen[1], seen[2], seen[3], seen[4] = ax, ay, bx, by, 0.0
    if length < 4.0:
        return False
    ux, uy = (bx - ax) / length, (by - ay) / length
    count = int(min(max(length / 2.0, 12.0), 240.0))
    steps = np.empty((count, 2 * STEPS + 1))
    t0, t1 = 0.0, 0.0
    step = max(reach / STEPS, 0.25)
    mean = 0.0
    while True:
        _steps(gray, ax, ay, ux, uy, length, count, step, t0, t1, steps)
        i, j, mean = _best_line(steps, NEARER)
        # the fitted indices run from the first station's edge to the last one's
        t0, t1 = t0 + (i - STEPS) * step, t1 + (j - STEPS) * step
        if step <= 0.5:
            break
        step = max(step / 4.0, 0.5)
    sign = 1.0 if mean >= 0 else -1.0
    where, weight = np.zeros(count), np.zeros(count)
    fine = 0.25
    for turn in range(4):
        _steps(gray, ax, ay, ux, uy, length, count, fine, t0, t1, steps)
        room = 8 if turn == 0 else 6
        strong = 0
        for s in range(count):
            top, at = 0.0, -1
            for k in range(STEPS - room, STEPS + room + 1):
                # three steps together, so that one noisy sample does not win
                v = sign * (steps[s, k - 1] + steps[s, k] + steps[s, k + 1]) / 3.0
                if v > top:
                    top, at = v, k
            weight[s] = 0.0
            if at < 0 or top < LEAST_STEP or at <= STEPS - room or at >= STEPS + room:
                continue
            # The edge lies at the centroid of the step's gradient. The whole step is summed: to
            # leave out a pixel of its tail would shift the centroid.
            mass, moment = 0.0, 0.0
            for k in range(max(at - 7, 0), min(at + 8, 2 * STEPS + 1)):
                v = sign * steps[s, k]
                if v > 0.08 * top:
                    mass += v
                    moment += v * (k - STEPS) * fine
            where[s] = moment / mass
            weight[s] = min(top, 20.0)
            strong += 1
        if strong < SHARE_SEEN * count:
            return False
        base, slope = 0.0, 0.0
        for again in range(4):
            sw, sx, sy, sxx, sxy = 0.0, 0.0, 0.0, 0.0, 0.0
            for s in range(count):
                if weight[s] <= 0.0:
                    continue
                p = (s + 0.5) / count
                w = weight[s]
                if again > 0:
                    r = (where[s] - base - slope * p) / 0.6
                    w *= (1.0 - r * r) ** 2 if abs(r) < 1.0 else 0.0
                sw, sx, sy = sw + w, sx + w * p, sy + w * where[s]
                sxx, sxy = sxx + w * p * p, sxy + w * p * where[s]
            det = sw * sxx - sx * sx
            if sw <= 0.0 or det <= 1e-12 * sw * sw:
                return False
            slope = (sw * sxy - sx * sy) / det
            base = (sy - slope * sx) / sw
        t0, t1 = t0 + base, t1 + base + slope
    agreeing, strength = 0, 0.0
    for s in range(count):
        p = (s + 0.5) / count
        if weight[s] > 0.0 and abs(where[s] - base - slope * p) < 0.6:
            agreeing += 1
            strength += weight[s]
    if agreeing < SHARE_SEEN * count or max(abs(t0), abs(t1)) > reach + 1.0:
        return False
    nx, ny = -uy, ux
    seen[0], seen[1] = ax + nx * t0, ay + ny * t0
    seen[2], seen[3] = bx + nx * t1, by + ny * t1
    seen[4] = strength / agreeing
    return True


def pulled_points(
    planes: Sequence[Bytes], points: Sequence[tuple[float, float]], reach: float
) -> tuple[tuple[float, float], ...] | None:
    """A trace's points pulled onto the picture's edge: two as one straight line, more of them each
    onto the edge where it is. planes: the picture's lightness and colours (see `look`); the one
    that shows the edge most strongly is gone by. None where no edge is within reach (px)."""
    h, w = planes[0].shape
    if len(points) == 2:
        (ax, ay), (bx, by) = points
        best = _clearest(planes, ax, ay, bx, by, reach)
        if best is None:
            return None
        return _within(best[0], best[1], w, h), _within(best[2], best[3], w, h)
    out, found = [], 0
    for i, p in enumerate(points):
        before, after = points[max(i - 1, 0)], points[min(i + 1, len(points) - 1)]
        along = np.subtract(after, before)
        half = along / max(float(np.hypot(*along)), 1e-9) * min(float(np.hypot(*along)) / 4, 30.0)
        a, b = np.subtract(p, half), np.add(p, half)
        best = _clearest(planes, a[0], a[1], b[0], b[1], reach)
        if best is not None:
            found += 1
            out.append(_within((best[0] + best[2]) / 2, (best[1] + best[3]) / 2, w, h))
        else:
            out.append((float(p[0]), float(p[1])))
    return tuple(out) if found * 2 >= len(points) else None


def _clearest(
    planes: Sequence[Bytes], ax: float, ay: float, bx: float, by: float, reach: float
) -> Floats | None:
    best = None
    for plane in planes:
        seen = np.empty(5)
        if pulled(plane, ax, ay, bx, by, reach, seen) and (best is None or seen[4] > best[4]):
            best = seen
    return best


def _within(x: float, y: float, width: int, height: int) -> tuple[float, float]:
    return min(max(float(x), 0.0), float(width)), min(max(float(y), 0.0), float(height))
