"""A camera from no starting guess: vanishing points by heading, and the best of many starts."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .misfit import FAST, PARAMETERS, cross, misfit_to_point, proportion, vanishing, ways_of
from .refine import refine

BEST_STARTS = 4
# NumPy's own integers: plain ones would have `refine` compiled anew for each
FIRST_STEPS, STEPS = np.int64(4), np.int64(25)


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def vanishing_candidates(
    m: Floats, d: Floats, spread: Floats, n: Floats, size: float, limit: float
) -> Floats:
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
    """The principal point that three right angles between vanishing points (3, K, 3) ask for:
    the crossing of their triangle's heights. False where it is not near the picture."""
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
def candidates(
    lines: Floats, heading: Indices, c: Floats, size: float, limit: float,
    points: Floats, found: Indices, single: Floats,
) -> None:  # fmt: skip
    """Vanishing points for each of W headings and bearings: points (W, 3, 3) best first, found
    (W,) how many of them, and for one of a single line that line, single (W, 3)."""
    points[:] = 0.0
    found[:] = 0
    for h in range(len(found)):
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


@njit(cache=True, nogil=True, error_model="numpy")
def _along(
    w: int, points: Floats, found: Indices, single: Floats, focal: float, up: Floats, out: Floats
) -> bool:
    """The level direction (3,) that one heading or bearing runs along, if Up is known: towards
    its vanishing point, or where its only line crosses the horizon. False where it has none."""
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
    """Each bearing's turn under a camera."""
    way = np.zeros(3)
    for b in range(len(turns)):
        turns[b] = 0.0
        if _along(3 + b, points, found, single, focal, R[:, 1].copy(), way):
            turns[b] = np.arctan2(-(way * R[:, 2]).sum(), (way * R[:, 0]).sum())


@njit(cache=True, nogil=True, error_model="numpy")
def _by_bearings(
    points: Floats, found: Indices, single: Floats, grid: Floats, hint: float, hint_weight: float,
    start_f: Floats, start_R: Floats, count: int,
) -> int:  # fmt: skip
    """Starts from bearings, put behind the ones there are: two level directions span the horizon,
    and Up is at right angles to one. Returns how many starts there then are."""
    along = np.zeros(3)
    for a in range(len(found)):
        for b in range(3, len(found)):
            if a >= b or found[a] == 0 or found[b] == 0:
                continue
            va, vb = points[a, 0], points[b, 0]
            for k in range(-1, len(grid)):
                if k < 0:
                    square = -(va[0] * vb[0] + va[1] * vb[1])
                    if a != 1 or square * va[2] * vb[2] <= 0.0:
                        continue
                    f = np.sqrt(square / (va[2] * vb[2]))
                elif hint_weight > 0.0:
                    if k > 0:
                        break
                    f = np.exp(hint)
                else:
                    f = grid[k]
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


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def solved(
    points_: Floats, begins: Indices, heading: Indices, trust: Floats,
    corners: Floats, sides: Indices, log_aspect: Floats, rect_trust: Floats,
    centre: Floats, bend: Floats, turns: Floats, size: float, farthest: float, prior: Floats,
    prior_weight: Floats, free: Indices, width: float, lines: Floats, chi: Floats, Jt: Floats,
    A: Floats,
) -> tuple[float, Floats, float]:  # fmt: skip
    """The best camera over all starts: log focal, R and robust loss.

    Starts come from the vanishing points of each pair of headings, with the focal length their
    right angle gives and with a spread of others; a heading of one line joins a heading of several
    through the plane that line spans; bearings give starts of their own (see `_by_bearings`).
    Signs do not change a misfit and are chosen afterwards. free: the parameters that move: focal
    length, rotation and turns. Leaves the bearings' turns in turns (B,).
    """
    zero = centre if bend[0] == 0.0 and bend[1] == 0.0 else np.zeros(2)
    hint, hint_weight = prior[0], prior_weight[0]
    limit = 4.0 * width
    ways = 3 + len(turns)
    points = np.zeros((ways, 3, 3))
    found = np.zeros(ways, np.int64)
    single = np.zeros((ways, 3))
    candidates(lines, heading, zero, size, limit, points, found, single)
    v = np.empty((ways, 3))
    J = np.empty(PARAMETERS)
    grid = size * 2 * np.array([0.35, 0.5, 0.7, 1.0, 1.4, 2.0, 3.0, 4.5, 7.0])
    most = 3 * 9 * 10 + 200 + 20 * ways * ways
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
                        R = frame(ray_to(va, f), ray_to(vb, f), a, b)
                        if R[:, a].sum() != 0.0 or R[:, b].sum() != 0.0:
                            start_f[count], start_R[count] = np.log(f), R
                            count += 1
    for a in range(3):
        if found[a] > 0 or (single[a] == 0.0).all():
            continue
        for b in range(3):
            if a == b or found[b] == 0:
                continue
            for k in range(len(grid)):
                f = np.exp(hint) if hint_weight > 0.0 else grid[k]
                vb = ray_to(points[b, 0], f)
                # the plane through the eye and the line: K^T l
                normal = np.array([single[a, 0] * f, -single[a, 1] * f, -single[a, 2]])
                va = cross(vb, normal)
                length = np.sqrt((va * va).sum())
                if length > 1e-9 and count < most:
                    start_f[count], start_R[count] = np.log(f), frame(va / length, vb, a, b)
                    count += 1
                if hint_weight > 0.0:
                    break
    if len(turns) > 0:
        count = _by_bearings(
            points, found, single, grid, hint, hint_weight, start_f, start_R, count
        )
    if count == 0:  # three single lines and a focal length: a spread of plain attitudes
        for k in range(24):
            if count < most:
                yaw = k * np.pi / 12
                start_f[count] = hint if hint_weight > 0.0 else np.log(2 * size)
                c, s = np.cos(yaw), np.sin(yaw)
                start_R[count] = np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])
                count += 1
    # the best starts; the loss of one is summed only until it cannot be among them
    start_turns = np.zeros((count, len(turns)))
    keep = min(count, BEST_STARTS)
    order = np.full(keep, -1, np.int64)
    lowest_loss = np.full(keep, np.inf)
    for s in range(count):
        total = (hint_weight * (start_f[s] - hint)) ** 2
        focal = np.exp(start_f[s])
        for h in range(3):
            vanishing(start_R[s], focal, h, v[h])
        if len(turns) > 0:
            _turns_at(points, found, single, focal, start_R[s], start_turns[s])
            every = ways_of(start_R[s], start_turns[s])
            for h in range(3, ways):
                v[h] = (focal * every[h, 0], -focal * every[h, 1], -every[h, 2])
        for i in range(len(heading)):
            vx, vy, w = v[heading[i], 0], v[heading[i], 1], v[heading[i], 2]
            qx = (lines[i, 0] - zero[0]) * w - vx
            qy = (lines[i, 1] - zero[1]) * w - vy
            spread, n = lines[i, 4], lines[i, 5]
            top = qx * lines[i, 3] - qy * lines[i, 2]
            bottom = n * (qx * qx + qy * qy) + spread * w * w + 1e-12
            x = n * spread * top * top / (bottom * width * width)
            total += trust[i] * width * width * x / (1.0 + x)  # only to rank them by
            if total >= lowest_loss[keep - 1]:
                break
        for i in range(len(log_aspect)):
            if total < lowest_loss[keep - 1] and not np.isnan(log_aspect[i]):
                r = proportion(
                    corners[i], sides[i, 0], sides[i, 1], log_aspect[i], start_R[s], focal,
                    centre, bend, size, 0, J,
                )  # fmt: skip
                total += rect_trust[i] * width * width * np.log1p(r * r / (width * width))
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
    turned = np.empty((keep, len(turns)))
    for s in range(keep):
        turned[s] = start_turns[order[s]]
        f[s], R[s], low[s] = refine(
            points_, begins, heading, trust, corners, sides, log_aspect, rect_trust,
            start_f[order[s]], start_R[order[s]], centre, bend, turned[s], size, farthest, prior,
            prior_weight, free, width, FIRST_STEPS, 1e-3, lines, chi, Jt, A,
        )  # fmt: skip
    lowest = np.argsort(low)
    best_f, best_R, best = f[lowest[0]], R[lowest[0]], np.inf
    for k in range(min(keep, 2)):
        s = lowest[k]
        if k > 0 and low[s] < best * (1 + 1e-3) + 1e-9:
            break  # it has come to the same place
        fs, Rs, new = refine(
            points_, begins, heading, trust, corners, sides, log_aspect, rect_trust, f[s], R[s],
            centre, bend, turned[s], size, farthest, prior, prior_weight, free, width, STEPS, 1e-5,
            lines, chi, Jt, A,
        )  # fmt: skip
        if new < best:
            best_f, best_R, best = fs, Rs, new
            turns[:] = turned[s]
    return best_f, best_R, best
