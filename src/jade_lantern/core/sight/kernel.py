"""The compiled heart of the sighting: misfits, their derivatives, starts and refinement.

Parameters are the log of the focal length and a rotation vector applied on the left of R. The
misfit of a line with middle m, direction d, spread L and n points against a vanishing point
v = (v_xy, w) is, with q = m w - v_xy,

    r = sqrt(n L) (q x d) / sqrt(n |q|^2 + L w^2)

which to first order is the square root of the least sum of squared distances of the points to
any line through v, so that least squares in r is maximum likelihood for equal noise on the
points. For two points it is the offset of the ends times sqrt 2 (Caprile & Torre 1990; Hartley &
Zisserman 2004, ch. 8).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

Array = Any

BEST_STARTS = 6
# sums may be taken in any order; infinities keep their meaning
FAST = {"reassoc", "contract", "nsz", "arcp"}


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def misfit_to_point(m: Array, d: Array, spread: float, n: float, v: Array) -> float:
    qx = m[0] * v[2] - v[0]
    qy = m[1] * v[2] - v[1]
    bottom = n * (qx * qx + qy * qy) + spread * v[2] * v[2]
    if bottom <= 0.0:
        return 1e6
    return np.sqrt(n * spread) * (qx * d[1] - qy * d[0]) / np.sqrt(bottom)


@njit(cache=True, nogil=True)
def vanishing(R: Array, focal: float, heading: int, out: Array) -> None:
    out[0] = focal * R[0, heading]
    out[1] = -focal * R[1, heading]
    out[2] = -R[2, heading]


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def misfits(
    m: Array, d: Array, spread: Array, n: Array, heading: Array, R: Array, focal: float
) -> Array:
    out = np.empty(len(n))
    v = np.empty(3)
    for i in range(len(n)):
        vanishing(R, focal, heading[i], v)
        out[i] = misfit_to_point(m[i], d[i], spread[i], n[i], v)
    return out


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def jacobian(
    m: Array, d: Array, spread: Array, n: Array, heading: Array, R: Array, focal: float
) -> tuple[Array, Array]:
    """Misfits (T,) and their derivatives (T, 4) by log focal and the rotation vector."""
    count = len(n)
    r = np.empty(count)
    J = np.empty((count, 4))
    dv = np.empty(3)
    for i in range(count):
        c0, c1, c2 = R[0, heading[i]], R[1, heading[i]], R[2, heading[i]]
        vx, vy, w = focal * c0, -focal * c1, -c2
        qx, qy = m[i, 0] * w - vx, m[i, 1] * w - vy
        bottom = np.sqrt(n[i] * (qx * qx + qy * qy) + spread[i] * w * w) + 1e-12
        top = qx * d[i, 1] - qy * d[i, 0]
        scale = np.sqrt(n[i] * spread[i])
        r[i] = scale * top / bottom
        for k in range(4):
            if k == 0:
                dv[0], dv[1], dv[2] = vx, vy, 0.0
            elif k == 1:  # e_x cross c = (0, -c2, c1)
                dv[0], dv[1], dv[2] = 0.0, focal * c2, -c1
            elif k == 2:  # e_y cross c = (c2, 0, -c0)
                dv[0], dv[1], dv[2] = focal * c2, 0.0, c0
            else:  # e_z cross c = (-c1, c0, 0)
                dv[0], dv[1], dv[2] = -focal * c1, -focal * c0, 0.0
            dqx, dqy = m[i, 0] * dv[2] - dv[0], m[i, 1] * dv[2] - dv[1]
            dtop = dqx * d[i, 1] - dqy * d[i, 0]
            dbottom = (n[i] * (qx * dqx + qy * dqy) + spread[i] * w * dv[2]) / bottom
            J[i, k] = scale * (dtop - top * dbottom / bottom) / bottom
    return r, J


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def turned(R: Array, w: Array) -> Array:
    """exp([w]x) R, by Rodrigues' formula, made orthonormal again."""
    angle = np.sqrt(w[0] ** 2 + w[1] ** 2 + w[2] ** 2)
    if angle < 1e-14:
        return R.copy()
    x, y, z = w[0] / angle, w[1] / angle, w[2] / angle
    c, s = np.cos(angle), np.sin(angle)
    t = 1.0 - c
    out = np.empty((3, 3))
    for k in range(3):
        a, b, d = R[0, k], R[1, k], R[2, k]
        out[0, k] = (t * x * x + c) * a + (t * x * y - s * z) * b + (t * x * z + s * y) * d
        out[1, k] = (t * x * y + s * z) * a + (t * y * y + c) * b + (t * y * z - s * x) * d
        out[2, k] = (t * x * z - s * y) * a + (t * y * z + s * x) * b + (t * z * z + c) * d
    size, lean = 0.0, 0.0
    for i in range(3):
        size += out[i, 0] ** 2
    for i in range(3):
        out[i, 0] /= np.sqrt(size)
        lean += out[i, 0] * out[i, 1]
    size = 0.0
    for i in range(3):
        out[i, 1] -= lean * out[i, 0]
        size += out[i, 1] ** 2
    for i in range(3):
        out[i, 1] /= np.sqrt(size)
    for i in range(3):
        j, k = (i + 1) % 3, (i + 2) % 3
        out[i, 2] = out[j, 0] * out[k, 1] - out[k, 0] * out[j, 1]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def descent(A: Array, g: Array, damping: float, step: Array) -> None:
    """Solve (A + damping diag A) step = -g for a positive definite A (4, 4), by Cholesky."""
    L = np.zeros((4, 4))
    for i in range(4):
        for j in range(i + 1):
            total = A[i, j]
            if i == j:
                total += damping * (A[i, i] + 1e-9)
            for k in range(j):
                total -= L[i, k] * L[j, k]
            L[i, j] = np.sqrt(max(total, 1e-18)) if i == j else total / L[j, j]
    for i in range(4):
        total = -g[i]
        for k in range(i):
            total -= L[i, k] * step[k]
        step[i] = total / L[i, i]
    for i in range(3, -1, -1):
        total = step[i]
        for k in range(i + 1, 4):
            total -= L[k, i] * step[k]
        step[i] = total / L[i, i]


@njit(cache=True, nogil=True)
def cross(a: Array, b: Array) -> Array:
    return np.array(
        [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
    )


@njit(cache=True, nogil=True)
def _loss(r: Array, trust: Array, width: float) -> float:
    """Sum of squares, or where width > 0 the Cauchy loss of that width (px)."""
    total = 0.0
    for i in range(len(r)):
        x = r[i] * r[i]
        if width > 0.0:
            x = width * width * np.log1p(x / (width * width))
        total += trust[i] * x
    return total


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def refine(
    m: Array,
    d: Array,
    spread: Array,
    n: Array,
    heading: Array,
    trust: Array,
    log_focal: float,
    R: Array,
    hint: float,
    hint_weight: float,
    width: float,
    steps: int,
) -> tuple[float, Array, float]:
    """Levenberg-Marquardt from one start. hint_weight is in px per unit of log focal; width is
    the robust loss's, 0 for plain least squares. Returns log focal, R and the loss."""
    damping = 1e-3
    r, J = jacobian(m, d, spread, n, heading, R, np.exp(log_focal))
    loss = _loss(r, trust, width) + (hint_weight * (log_focal - hint)) ** 2
    A, g, step = np.empty((4, 4)), np.empty(4), np.empty(4)
    for _ in range(steps):
        A[:] = 0.0
        g[:] = 0.0
        for i in range(len(r)):
            weight = trust[i]
            if width > 0.0:
                weight /= 1.0 + (r[i] / width) ** 2
            for a in range(4):
                g[a] += weight * J[i, a] * r[i]
                for b in range(4):
                    A[a, b] += weight * J[i, a] * J[i, b]
        A[0, 0] += hint_weight**2
        g[0] += hint_weight**2 * (log_focal - hint)
        better = False
        for _try in range(8):
            descent(A, g, damping, step)
            if abs(step[0]) > 0.7:
                step *= 0.7 / abs(step[0])
            lf = min(max(log_focal + step[0], 2.0), 16.0)
            Rn = turned(R, step[1:])
            rn, Jn = jacobian(m, d, spread, n, heading, Rn, np.exp(lf))
            new = _loss(rn, trust, width) + (hint_weight * (lf - hint)) ** 2
            if new < loss:
                better = True
                break
            damping *= 6.0
        if not better:
            break
        gain = loss - new
        log_focal, R, r, J, loss = lf, Rn, rn, Jn, new
        damping = max(damping * 0.2, 1e-12)
        if gain < 1e-10 * loss + 1e-14:
            break
    return log_focal, R, loss


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
    pairs = min(count, 14)
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


@njit(cache=True, nogil=True)
def inverted(A: Array, out: Array) -> bool:
    """The inverse of a symmetric matrix into out; False where it has no well-founded one."""
    n = len(A)
    scale = np.empty(n)
    for i in range(n):
        scale[i] = np.sqrt(max(A[i, i], 1e-12))
    scaled = np.empty((n, n))
    for i in range(n):
        for j in range(n):
            scaled[i, j] = A[i, j] / (scale[i] * scale[j])
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


@njit(cache=True, nogil=True)
def grossest(
    r: Array, jac: Array, count: Array, bend: Array, heading: Array, kept: Array,
    prior: float, dof: float, least_sigma: float, limit: float,
) -> int:  # fmt: skip
    """The kept trace that disagrees grossly and can be spared, or -1. prior is added to the
    information on log focal; limit is in standard deviations of a studentised residual."""
    A = np.zeros((4, 4))
    total = 0.0
    for i in range(len(r)):
        total += kept[i] * (r[i] * r[i] + bend[i])
        for a in range(4):
            for b in range(4):
                A[a, b] += kept[i] * jac[i, a] * jac[i, b]
    A[0, 0] += prior
    inverse = np.empty((4, 4))
    if not inverted(A, inverse):
        return -1
    worst, most = -1, 0.0
    for i in range(len(r)):
        if kept[i] == 0.0:
            continue
        leverage = 0.0
        for a in range(4):
            for b in range(4):
                leverage += jac[i, a] * inverse[a, b] * jac[i, b]
        free = 1.0 - min(max(leverage, 0.0), 0.999)
        outside = max(total - r[i] * r[i] / free, 0.0) / max(dof - 1.0, 1.0)
        student = abs(r[i]) / np.sqrt(free) / np.sqrt(max(outside, least_sigma**2))
        if student > most:
            worst, most = i, student
    if worst < 0 or most <= limit or abs(r[worst]) <= 1.5:
        return -1
    same = 0
    for i in range(len(r)):
        if kept[i] > 0.0 and heading[i] == heading[worst]:
            same += 1
    return worst if same > 2 else -1
