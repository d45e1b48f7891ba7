"""A camera from no starting guess: vanishing points by heading, and the best of many starts."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from .kernel import FAST, cross, misfit_to_point, refine, vanishing

Array = Any

BEST_STARTS = 4


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def vanishing_candidates(
    m: Array, d: Array, spread: Array, n: Array, size: float, limit: float
) -> Array:
    """Up to three vanishing points (K, 3) for the lines of one heading, best first: the least
    singular vector of the stacked lines, and crossings of pairs, ranked by their misfits with
    each one's counted no further than limit (px), so that a gross error cannot outvote the rest."""
    count = len(n)
    lines = np.empty((count, 3))
    for i in range(count):
        nx, ny = -d[i, 1], d[i, 0]
        lines[i, 0], lines[i, 1] = nx, ny
        lines[i, 2] = -(nx * m[i, 0] + ny * m[i, 1]) / size
    pairs = min(count, 9)
    order = np.argsort(-spread)
    total = 1 + pairs * (pairs - 1) // 2
    points = np.empty((total, 3))
    M = np.zeros((3, 3))
    for i in range(count):
        for a in range(3):
            for b in range(3):
                M[a, b] += spread[i] * lines[i, a] * lines[i, b]
    points[0] = np.linalg.eigh(M)[1][:, 0]
    k = 1
    for a in range(pairs):
        for b in range(a + 1, pairs):
            points[k] = cross(lines[order[a]], lines[order[b]])
            k += 1
    score = np.full(total, np.inf)
    for k in range(total):
        length = np.sqrt((points[k] ** 2).sum())
        if length < 1e-9:
            continue
        points[k] /= length
        points[k, 0] *= size
        points[k, 1] *= size
        score[k] = 0.0
        for i in range(count):
            r = misfit_to_point(m[i], d[i], spread[i], n[i], points[k])
            score[k] += min(r * r, limit * limit)
    keep = min(3, total)
    return points[np.argsort(score)[:keep]]


@njit(cache=True, nogil=True)
def _frame(a: Array, b: Array, ia: int, ib: int) -> Array:
    """A rotation whose columns ia and ib are nearest to unit vectors a and b."""
    s, t = a + b, a - b
    ls, lt = np.sqrt((s * s).sum()), np.sqrt((t * t).sum())
    R = np.zeros((3, 3))
    if ls < 1e-6 or lt < 1e-6:
        return R
    ra = (s / ls + t / lt) / np.sqrt(2.0)
    rb = (s / ls - t / lt) / np.sqrt(2.0)
    R[:, ia] = ra
    R[:, ib] = rb
    ic = 3 - ia - ib
    R[:, ic] = cross(R[:, (ic + 1) % 3], R[:, (ic + 2) % 3])
    return R


@njit(cache=True, nogil=True)
def _back(v: Array, focal: float) -> Array:
    c = np.array([v[0] / focal, -v[1] / focal, -v[2]])
    return c / np.sqrt((c * c).sum())


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def solved(
    m: Array,
    d: Array,
    spread: Array,
    n: Array,
    heading: Array,
    trust: Array,
    size: float,
    hint: float,
    hint_weight: float,
    width: float,
) -> tuple[float, Array, float]:
    """The best camera over all starts: log focal, R and robust loss.

    Starts come from the vanishing points of each pair of headings, with the focal length their
    right angle gives and with a spread of others; a heading of one line joins a heading of several
    through the plane that line spans. Signs do not change a misfit and are chosen afterwards.
    """
    limit = 4.0 * width
    points = np.zeros((3, 3, 3))
    found = np.zeros(3, np.int64)
    lines_of = np.zeros(3, np.int64)
    single = np.zeros((3, 3))
    for h in range(3):
        which = np.nonzero(heading == h)[0]
        lines_of[h] = len(which)
        if len(which) >= 2:
            c = vanishing_candidates(m[which], d[which], spread[which], n[which], size, limit)
            found[h] = len(c)
            points[h, : len(c)] = c
        elif len(which) == 1:
            i = which[0]
            nx, ny = -d[i, 1], d[i, 0]
            single[h] = (nx, ny, -(nx * m[i, 0] + ny * m[i, 1]))
    v = np.empty(3)
    grid = size * 2 * np.array([0.35, 0.5, 0.7, 1.0, 1.4, 2.0, 3.0, 4.5, 7.0])
    most = 3 * 9 * 10 + 200
    start_f = np.empty(most)
    start_R = np.empty((most, 3, 3))
    count = 0
    for a in range(3):
        for b in range(a + 1, 3):
            for i in range(found[a]):
                for j in range(found[b]):
                    va, vb = points[a, i], points[b, j]
                    for k in range(-1, len(grid)):
                        if k >= 0:
                            if i + j > 1:  # the focal lengths of a spread, for the likely pairs
                                break
                            f = grid[k]
                            if hint_weight > 0.0:
                                if k > 0:
                                    continue
                                f = np.exp(hint)
                        else:
                            ww = va[2] * vb[2]
                            if ww == 0.0:
                                continue
                            ff = -(va[0] * vb[0] + va[1] * vb[1]) / ww
                            if not (ff > (0.1 * size) ** 2 and ff < (100 * size) ** 2):
                                continue
                            f = np.sqrt(ff)
                        R = _frame(_back(va, f), _back(vb, f), a, b)
                        if R[:, a].sum() != 0.0 or R[:, b].sum() != 0.0:
                            start_f[count], start_R[count] = np.log(f), R
                            count += 1
    for a in range(3):
        if lines_of[a] != 1:
            continue
        for b in range(3):
            if a == b or found[b] == 0:
                continue
            for k in range(len(grid)):
                f = np.exp(hint) if hint_weight > 0.0 else grid[k]
                vb = _back(points[b, 0], f)
                # the plane through the eye and the line: K^T l
                normal = np.array([single[a, 0] * f, -single[a, 1] * f, -single[a, 2]])
                va = cross(vb, normal)
                length = np.sqrt((va * va).sum())
                if length > 1e-9 and count < most:
                    start_f[count], start_R[count] = np.log(f), _frame(va / length, vb, a, b)
                    count += 1
                if hint_weight > 0.0:
                    break
    if count == 0:  # three single lines and a focal length: a spread of plain attitudes
        for k in range(24):
            if count < most:
                yaw = k * np.pi / 12
                start_f[count] = hint if hint_weight > 0.0 else np.log(2 * size)
                c, s = np.cos(yaw), np.sin(yaw)
                start_R[count] = np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])
                count += 1
    # the best starts; the loss of one is summed only until it cannot be among them
    keep = min(count, BEST_STARTS)
    order = np.full(keep, -1, np.int64)
    lowest_loss = np.full(keep, np.inf)
    for s in range(count):
        total = (hint_weight * (start_f[s] - hint)) ** 2
        focal = np.exp(start_f[s])
        for i in range(len(n)):
            vanishing(start_R[s], focal, heading[i], v)
            r = misfit_to_point(m[i], d[i], spread[i], n[i], v)
            total += trust[i] * width * width * np.log1p(r * r / (width * width))
            if total >= lowest_loss[keep - 1]:
                break
        at = keep
        while at > 0 and total < lowest_loss[at - 1]:
            at -= 1
        if at < keep:
            for k in range(keep - 1, at, -1):
                lowest_loss[k], order[k] = lowest_loss[k - 1], order[k - 1]
            lowest_loss[at], order[at] = total, s
    # a few steps from each of the best starts; all the way only from the two that came lowest
    f = np.empty(keep)
    R = np.empty((keep, 3, 3))
    low = np.empty(keep)
    for s in range(keep):
        f[s], R[s], low[s] = refine(
            m, d, spread, n, heading, trust, start_f[order[s]], start_R[order[s]],
            hint, hint_weight, width, 4,
        )  # fmt: skip
    lowest = np.argsort(low)
    best_f, best_R, best = f[lowest[0]], R[lowest[0]], np.inf
    for k in range(min(keep, 2)):
        s = lowest[k]
        if k > 0 and low[s] < best * (1 + 1e-3) + 1e-9:
            break  # it has come to the same place
        fs, Rs, new = refine(
            m, d, spread, n, heading, trust, f[s], R[s], hint, hint_weight, width, 25
        )  # fmt: skip
        if new < best:
            best_f, best_R, best = fs, Rs, new
    return best_f, best_R, best
