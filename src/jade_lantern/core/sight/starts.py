"""A camera without a starting guess: vanishing points of each heading, the cameras that pairs of
them suggest, and the best of those refined."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .misfit import FAST, PARAMETERS, cross, misfit_to_point, proportion, vanishing, ways_of
from .problem import Estimate, Fit, Observed, Prior
from .refine import refine

BEST_STARTS = 4  # starts that are refined
FIRST_STEPS, STEPS = 4, 25  # of each of them, and of the two lowest after that
GRID = np.array([0.35, 0.5, 0.7, 1.0, 1.4, 2.0, 3.0, 4.5, 7.0])  # focal lengths, in longer sides
ATTITUDES = 24  # level cameras all round that stand in where nothing suggests one


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def vanishing_candidates(
    m: Floats, d: Floats, spread: Floats, n: Floats, size: float, limit: float
) -> Floats:
    """Up to three vanishing points (K, 3) of the lines of one heading, best first: the least
    singular vector of the stacked lines, and the crossings of pairs. They are ranked by the sum of
    squared misfits, each cut off at limit (px), so that a gross error cannot outvote the rest."""
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
def frame(a: Floats, b: Floats, ia: int, ib: int) -> Floats:
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
def ray_to(v: Floats, focal: float) -> Floats:
    """The unit vector (3,), camera axes, towards a vanishing point in homogeneous px."""
    c = np.array([v[0] / focal, -v[1] / focal, -v[2]])
    return c / np.sqrt((c * c).sum())


@njit(cache=True, nogil=True)
def crossing_of_heights(points: Floats, found: Indices, size: float, out: Floats) -> bool:
    """Fill out (2,) with the principal point by three orthogonal vanishing points (3, K, 3): the
    orthocentre of their triangle (Caprile & Torre 1990). False where it is not near the picture."""
    for h in range(3):
        if found[h] == 0 or abs(points[h, 0, 2]) < 1e-6:
            return False
    a = points[0, 0, :2] / points[0, 0, 2]
    b = points[1, 0, :2] / points[1, 0, 2]
    c = points[2, 0, :2] / points[2, 0, 2]
    # (p - a).(b - c) = 0 and (p - b).(c - a) = 0
    x1, y1, x2, y2 = b[0] - c[0], b[1] - c[1], c[0] - a[0], c[1] - a[1]
    r1, r2 = a[0] * x1 + a[1] * y1, b[0] * x2 + b[1] * y2
    det = x1 * y2 - x2 * y1
    if abs(det) < 1e-6:
        return False
    out[0], out[1] = (r1 * y2 - r2 * y1) / det, (x1 * r2 - x2 * r1) / det
    return abs(out[0]) < 1.5 * size and abs(out[1]) < 1.5 * size


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def vanishing_points(
    lines: Floats, heading: Indices, ways: int, c: Floats, size: float, limit: float
) -> tuple[Floats, Indices, Floats]:
    """The vanishing points of W headings and bearings, from the principal point c.

    lines: (T, 8) see `lines.reduce`. Returns points (W, 3, 3), best first; how many of them there
    are (W,); and (W, 3) the line of each heading that has one line only, zero otherwise.
    """
    points, found, single = np.zeros((ways, 3, 3)), np.zeros(ways, np.int64), np.zeros((ways, 3))
    for h in range(ways):
        which = np.nonzero(heading == h)[0]
        mine = lines[which]
        mine[:, 0] -= c[0]
        mine[:, 1] -= c[1]
        if len(which) >= 2:
            best = vanishing_candidates(
                mine[:, 0:2], mine[:, 2:4], mine[:, 4], mine[:, 5], size, limit
            )
            found[h] = len(best)
            points[h, : len(best)] = best
        elif len(which) == 1:
            nx, ny = -mine[0, 3], mine[0, 2]
            single[h] = (nx, ny, -(nx * mine[0, 0] + ny * mine[0, 1]))
    return points, found, single


@njit(cache=True, nogil=True, error_model="numpy")
def _along(
    w: int, points: Floats, found: Indices, single: Floats, focal: float, up: Floats, out: Floats
) -> bool:
    """Fill out (3,) with the level direction of a heading or bearing w, given Up: towards its
    vanishing point, or to where its only line crosses the horizon. False where it has neither."""
    if found[w] > 0:
        out[:] = ray_to(points[w, 0], focal)
        lean = (out * up).sum()
        out[:] -= lean * up
    elif (single[w] != 0.0).any():
        normal = np.array([single[w, 0] * focal, -single[w, 1] * focal, -single[w, 2]])
        out[:] = cross(normal, up)
    else:
        return False
    length = np.sqrt((out * out).sum())
    if length < 1e-9:
        return False
    out[:] /= length
    return True


@njit(cache=True, nogil=True, error_model="numpy")
def _turns_at(
    points: Floats, found: Indices, single: Floats, focal: float, R: Floats, turns: Floats
) -> None:
    """Fill turns (B,) with those of the bearings, radians, under a camera."""
    way = np.zeros(3)
    for b in range(len(turns)):
        turns[b] = 0.0
        if _along(3 + b, points, found, single, focal, R[:, 1].copy(), way):
            turns[b] = np.arctan2(-(way * R[:, 2]).sum(), (way * R[:, 0]).sum())


@njit(cache=True, nogil=True, error_model="numpy")
def _by_pairs(
    points: Floats, found: Indices, size: float, focals: Floats, start_f: Floats, start_R: Floats,
) -> int:  # fmt: skip
    """Starts from pairs of vanishing points at a right angle: with the focal length that the angle
    asks for, and for the likely pairs with each of some focal lengths. Returns how many."""
    count = 0
    for a in range(3):
        for b in range(a + 1, 3):
            for i in range(found[a]):
                for j in range(found[b]):
                    va, vb = points[a, i], points[b, j]
                    for k in range(-1, len(focals) if i + j <= 1 else 0):
                        if k >= 0:
                            f = focals[k]
                        else:
                            ww = va[2] * vb[2]
                            if ww == 0.0:
                                continue
                            ff = -(va[0] * vb[0] + va[1] * vb[1]) / ww
                            if not (ff > (0.1 * size) ** 2 and ff < (100 * size) ** 2):
                                continue
                            f = np.sqrt(ff)
                        R = frame(ray_to(va, f), ray_to(vb, f), a, b)
                        if R[:, a].sum() != 0.0 or R[:, b].sum() != 0.0:
                            start_f[count], start_R[count] = np.log(f), R
                            count += 1
    return count


@njit(cache=True, nogil=True, error_model="numpy")
def _by_single_lines(
    points: Floats, found: Indices, single: Floats, focals: Floats, start_f: Floats,
    start_R: Floats, count: int,
) -> int:  # fmt: skip
    """Starts from a heading of one line, in the plane through the eye and that line, and another
    heading's vanishing point; appended to count others. Returns how many there then are."""
    for a in range(3):
        if found[a] > 0 or (single[a] == 0.0).all():
            continue
        for b in range(3):
            if a == b or found[b] == 0:
                continue
            for f in focals:
                vb = ray_to(points[b, 0], f)
                normal = np.array([single[a, 0] * f, -single[a, 1] * f, -single[a, 2]])  # K^T l
                va = cross(vb, normal)
                length = np.sqrt((va * va).sum())
                if length > 1e-9 and count < len(start_f):
                    start_f[count], start_R[count] = np.log(f), frame(va / length, vb, a, b)
                    count += 1
    return count


@njit(cache=True, nogil=True, error_model="numpy")
def _by_bearings(
    points: Floats, found: Indices, single: Floats, focals: Floats, start_f: Floats,
    start_R: Floats, count: int,
) -> int:  # fmt: skip
    """Starts from bearings: two level directions span the horizon, and Up is orthogonal to any.
    Appended to count others. Returns how many there then are."""
    along = np.zeros(3)
    for a in range(len(found)):
        for b in range(3, len(found)):
            if a >= b or found[a] == 0 or found[b] == 0:
                continue
            va, vb = points[a, 0], points[b, 0]
            for k in range(-1, len(focals)):
                if k < 0:
                    square = -(va[0] * vb[0] + va[1] * vb[1])
                    if a != 1 or square * va[2] * vb[2] <= 0.0:
                        continue
                    f = np.sqrt(square / (va[2] * vb[2]))
                else:
                    f = focals[k]
                up = ray_to(va, f) if a == 1 else cross(ray_to(va, f), ray_to(vb, f))
                size = np.sqrt((up * up).sum())
                if size < 1e-3:
                    continue
                up = up / size
                for h in (0, 2):
                    if count < len(start_f) and _along(h, points, found, single, f, up, along):
                        start_f[count], start_R[count] = np.log(f), frame(along, up, h, 1)
                        count += 1
                        break
    return count


@njit(cache=True, nogil=True, error_model="numpy")
def _level_all_round(log_focal: float, start_f: Floats, start_R: Floats) -> int:
    """Starts for three single lines and a focal length: level cameras in all directions."""
    for i in range(ATTITUDES):
        yaw = i * 2 * np.pi / ATTITUDES
        c, s = np.cos(yaw), np.sin(yaw)
        start_f[i] = log_focal
        start_R[i] = np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])
    return ATTITUDES


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def _loss_until(
    observed: Observed, lines: Floats, zero: Floats, v: Floats, width: float, total: float,
    enough: float,
) -> float:  # fmt: skip
    """A start's loss over the traces, added to total, for ranking only: summed until it exceeds
    enough. v: (W, 3) the vanishing points under the start. Geman-McClure's loss, which is cheaper
    than Cauchy's and ranks alike."""
    heading, trust = observed.heading, observed.trust
    for i in range(len(heading)):
        vx, vy, w = v[heading[i], 0], v[heading[i], 1], v[heading[i], 2]
        qx = (lines[i, 0] - zero[0]) * w - vx
        qy = (lines[i, 1] - zero[1]) * w - vy
        spread, n = lines[i, 4], lines[i, 5]
        top = qx * lines[i, 3] - qy * lines[i, 2]
        bottom = n * (qx * qx + qy * qy) + spread * w * w + 1e-12
        x = n * spread * top * top / (bottom * width * width)
        total += trust[i] * width * width * x / (1.0 + x)
        if total >= enough:
            break
    return total


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def best_starts(
    observed: Observed, centre: Floats, bend: Floats, hint: float, hint_weight: float,
    width: float, lines: Floats, bearings: int,
) -> tuple[Floats, Floats, Floats]:  # fmt: skip
    """The starts of least loss: log focal (K,), R (K, 3, 3) and the bearings' turns (K, B).

    hint, hint_weight: log of a known focal length and its weight; 0 for none. lines: (T, 8).
    """
    size = observed.size
    zero = centre if bend[0] == 0.0 and bend[1] == 0.0 else np.zeros(2)
    ways = 3 + bearings
    points, found, single = vanishing_points(lines, observed.heading, ways, zero, size, 4.0 * width)
    focals = GRID * (2 * size)
    if hint_weight > 0.0:
        focals = np.exp(np.full(1, hint))
    most = 3 * 9 * 10 + 200 + 20 * ways * ways
    start_f, start_R = np.empty(most), np.empty((most, 3, 3))
    count = _by_pairs(points, found, size, focals, start_f, start_R)
    count = _by_single_lines(points, found, single, focals, start_f, start_R, count)
    if bearings > 0:
        count = _by_bearings(points, found, single, focals, start_f, start_R, count)
    if count == 0:
        log_focal = hint if hint_weight > 0.0 else np.log(2 * size)
        count = _level_all_round(log_focal, start_f, start_R)
    turns = np.zeros((count, bearings))
    keep = min(count, BEST_STARTS)
    order, lowest = np.full(keep, -1, np.int64), np.full(keep, np.inf)
    v, J = np.empty((ways, 3)), np.empty(PARAMETERS)
    for s in range(count):
        focal = np.exp(start_f[s])
        for h in range(3):
            vanishing(start_R[s], focal, h, v[h])
        if bearings > 0:
            _turns_at(points, found, single, focal, start_R[s], turns[s])
            every = ways_of(start_R[s], turns[s])
            for h in range(3, ways):
                v[h] = (focal * every[h, 0], -focal * every[h, 1], -every[h, 2])
        total = _loss_until(
            observed, lines, zero, v, width, (hint_weight * (start_f[s] - hint)) ** 2,
            lowest[keep - 1],
        )  # fmt: skip
        for i in range(len(observed.log_aspect)):
            if total < lowest[keep - 1] and not np.isnan(observed.log_aspect[i]):
                r = proportion(
                    observed.corners[i], observed.sides[i, 0], observed.sides[i, 1],
                    observed.log_aspect[i], start_R[s], focal, centre, bend, size, 0, J,
                )  # fmt: skip
                total += observed.rect_trust[i] * width * width * np.log1p(r * r / (width * width))
        at = keep
        while at > 0 and total < lowest[at - 1]:
            at -= 1
        if at < keep:
            for k in range(keep - 1, at, -1):
                lowest[k], order[k] = lowest[k - 1], order[k - 1]
            lowest[at], order[at] = total, s
    return start_f[order], start_R[order], turns[order]


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def best_of_starts(
    observed: Observed, centre: Floats, bend: Floats, prior: Prior, free: Indices, width: float,
    fit: Fit,
) -> tuple[Estimate, float]:  # fmt: skip
    """The estimate of least robust loss over all starts, and that loss.

    A few steps are taken from each of the best starts, and all the way only from the two lowest.
    Signs do not change a misfit and are chosen afterwards. free: the parameters that move: focal
    length, rotation and turns. width: px a point, of Cauchy's loss. fit.lines is given.
    """
    log_focals, Rs, turns = best_starts(
        observed, centre, bend, prior.value[0], prior.weight[0], width, fit.lines,
        len(prior.value) - PARAMETERS,
    )  # fmt: skip
    count = len(log_focals)
    low, order = np.empty(count), np.arange(count)
    best, least = 0, np.inf
    # one loop for both rounds: each place where `refine` is called makes it compile longer
    for turn in range(count + min(count, 2)):
        if turn == count:
            order = np.argsort(low)
        i = order[turn % count]
        if turn > count and low[i] < least * (1 + 1e-3) + 1e-9:
            break  # it is the same minimum
        steps, enough = (FIRST_STEPS, 1e-3) if turn < count else (STEPS, 1e-5)
        begin = Estimate(log_focals[i], Rs[i], centre, bend, turns[i])
        at, low[i] = refine(observed, begin, prior, free, width, steps, enough, fit)
        log_focals[i], Rs[i], turns[i] = at.log_focal, at.R, at.turns
        if turn >= count and low[i] < least:
            best, least = i, low[i]
    found = Estimate(
        log_focals[best], Rs[best].copy(), centre.copy(), bend.copy(), turns[best].copy()
    )
    return found, least
