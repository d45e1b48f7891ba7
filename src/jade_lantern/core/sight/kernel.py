"""The compiled heart of the sighting: misfits, their derivatives, and refinement.

Parameters, in this order: the log of the focal length; a rotation vector applied on the left of R
(3); the principal point, px from the plate's centre (2); the two bending terms, on radii in half
of the plate's longer side (2). The misfit of a line with middle m, direction d, spread L and n
points against a vanishing point v = (v_xy, w) is, with q = m w - v_xy,

    r = sqrt(n L) (q x d) / sqrt(n |q|^2 + L w^2)

which to first order is the square root of what the sum of squared distances of the points to any
line through v has more than to their own best line, so that least squares in r is maximum
likelihood for equal noise on the points. For two points it is the offset of the ends times sqrt 2
(Caprile & Torre 1990; Hartley & Zisserman 2004, ch. 8). Where the lens bends, the points' own
distances off their best line count too (Devernay & Faugeras 2001).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from .bend import folds, straight_radius
from .lines import reduce

Array = Any

# sums may be taken in any order; infinities keep their meaning
FAST = {"reassoc", "contract", "nsz", "arcp"}
PARAMETERS = 8


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


@njit(cache=True, nogil=True)
def cross(a: Array, b: Array) -> Array:
    return np.array(
        [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
    )


@njit(cache=True, nogil=True, error_model="numpy")
def log_ratio(corners: Array, R: Array, focal: float, a: int, b: int) -> float:
    """The log of a rectangle's first side over its second, from its four corners (4, 2) in px
    from the principal point; its first side runs along heading a, its second along b."""
    X = np.empty((4, 3))
    for i in range(4):
        x, y = corners[i, 0] / focal, -corners[i, 1] / focal
        h = 3 - a - b
        depth = R[0, h] * x + R[1, h] * y - R[2, h]
        if abs(depth) < 1e-9:
            depth = 1e-9
        X[i, 0], X[i, 1], X[i, 2] = x / depth, y / depth, -1.0 / depth
    along, over = 0.0, 0.0
    for j in range(3):
        along += R[j, a] * (X[1, j] - X[0, j] + X[2, j] - X[3, j])
        over += R[j, b] * (X[2, j] - X[1, j] + X[3, j] - X[0, j])
    return np.log(max(abs(along), 1e-9) / max(abs(over), 1e-9))


@njit(cache=True, nogil=True, error_model="numpy")
def _straight_corners(corners: Array, c: Array, k: Array, size: float, out: Array) -> None:
    for i in range(4):
        x, y = corners[i, 0] - c[0], corners[i, 1] - c[1]
        g = 1.0
        if k[0] != 0.0 or k[1] != 0.0:
            rd = np.sqrt(x * x + y * y) / size
            if rd > 1e-9:
                g = straight_radius(rd, k[0], k[1]) / rd
        out[i, 0], out[i, 1] = x * g, y * g


@njit(cache=True, nogil=True, error_model="numpy")
def proportion(
    corners: Array, a: int, b: int, log_aspect: float, R: Array, focal: float,
    c: Array, k: Array, size: float, used: int, J: Array,
) -> float:  # fmt: skip
    """How far a rectangle misses its known proportions, px: the error of the log ratio over what
    one pixel on each corner does to it. Fills its first `used` derivatives."""
    flat = np.empty((4, 2))
    _straight_corners(corners, c, k, size, flat)
    now = log_ratio(flat, R, focal, a, b)
    noise = 1e-12
    for i in range(4):
        for j in range(2):
            kept = flat[i, j]
            flat[i, j] = kept + 0.5
            up = log_ratio(flat, R, focal, a, b)
            flat[i, j] = kept - 0.5
            noise += (up - log_ratio(flat, R, focal, a, b)) ** 2
            flat[i, j] = kept
    noise = np.sqrt(noise)
    w = np.zeros(3)
    for p in range(used):
        high, low = 0.0, 0.0
        if p == 0:
            high = log_ratio(flat, R, focal * np.exp(1e-5), a, b)
            low = log_ratio(flat, R, focal * np.exp(-1e-5), a, b)
            J[p] = (high - low) / 2e-5 / noise
        elif p < 4:
            w[p - 1] = 1e-5
            high = log_ratio(flat, turned(R, w), focal, a, b)
            w[p - 1] = -1e-5
            low = log_ratio(flat, turned(R, w), focal, a, b)
            w[p - 1] = 0.0
            J[p] = (high - low) / 2e-5 / noise
        else:
            cc, kk = c.copy(), k.copy()
            step = 0.05 if p < 6 else 1e-5
            into, at = (cc, p - 4) if p < 6 else (kk, p - 6)
            into[at] += step
            moved = np.empty((4, 2))
            _straight_corners(corners, cc, kk, size, moved)
            high = log_ratio(moved, R, focal, a, b)
            into[at] -= 2 * step
            _straight_corners(corners, cc, kk, size, moved)
            low = log_ratio(moved, R, focal, a, b)
            J[p] = (high - low) / (2 * step) / noise
    return (now - log_aspect) / noise


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def line_misfit(
    m: Array, d: Array, spread: float, n: float, heading: int, R: Array, focal: float,
    used: int, J: Array,
) -> float:  # fmt: skip
    """The misfit of one line and its first `used` derivatives into J (8,); those by bending are
    left at 0."""
    c0, c1, c2 = R[0, heading], R[1, heading], R[2, heading]
    vx, vy, w = focal * c0, -focal * c1, -c2
    qx, qy = m[0] * w - vx, m[1] * w - vy
    bottom = np.sqrt(n * (qx * qx + qy * qy) + spread * w * w) + 1e-12
    top = qx * d[1] - qy * d[0]
    scale = np.sqrt(n * spread)
    dx, dy, dw = 0.0, 0.0, 0.0
    for k in range(min(used, 6)):
        if k == 0:
            dqx, dqy, dw = -vx, -vy, 0.0
        elif k < 4:
            if k == 1:  # e_x cross c = (0, -c2, c1)
                dx, dy, dw = 0.0, focal * c2, -c1
            elif k == 2:  # e_y cross c = (c2, 0, -c0)
                dx, dy, dw = focal * c2, 0.0, c0
            else:  # e_z cross c = (-c1, c0, 0)
                dx, dy, dw = -focal * c1, -focal * c0, 0.0
            dqx, dqy = m[0] * dw - dx, m[1] * dw - dy
        else:  # the middle moves against the principal point
            dqx, dqy, dw = (-w, 0.0, 0.0) if k == 4 else (0.0, -w, 0.0)
        dtop = dqx * d[1] - dqy * d[0]
        dbottom = (n * (qx * dqx + qy * dqy) + spread * w * dw) / bottom
        J[k] = scale * (dtop - top * dbottom / bottom) / bottom
    for k in range(6, used):
        J[k] = 0.0
    return scale * top / bottom


@njit(cache=True, nogil=True, error_model="numpy")
def bow_terms(
    points: Array, c: Array, k: Array, size: float, m: Array, d: Array, spread: float,
    weigh: float, off: Array, doff: Array, dm: Array, dd: Array,
) -> None:  # fmt: skip
    """What bending and the principal point (columns cx, cy, k1, k2) do to one trace: to each
    point's distance off (P,) the trace's best line, doff (P, 4), and to that line's middle
    dm (4, 2) and direction dd (4, 2)."""
    count = len(points)
    nx, ny = -d[1], d[0]
    mean, lever = np.zeros(4), np.zeros(4)
    dm[:] = 0.0
    u = np.empty(2)
    du = np.empty((4, 2))
    for i in range(count):
        x, y = points[i, 0] - c[0], points[i, 1] - c[1]
        rd = np.sqrt(x * x + y * y) / size
        r = straight_radius(rd, k[0], k[1])
        grow = r / rd if rd > 1e-9 else 1.0
        u[0], u[1] = x * grow, y * grow
        r2 = r * r
        s = 1.0 + r2 * (k[0] + k[1] * r2)
        g = 1.0 + r2 * (3.0 * k[0] + 5.0 * k[1] * r2)
        ex, ey = (x / (rd * size), y / (rd * size)) if rd > 1e-9 else (1.0, 0.0)
        du[0, 0] = -((1.0 - ex * ex) / s + ex * ex / g)
        du[0, 1] = -(ex * ey / g - ex * ey / s)
        du[1, 0] = du[0, 1]
        du[1, 1] = -((1.0 - ey * ey) / s + ey * ey / g)
        for j in range(2):
            du[2, j] = -u[j] * r2 / g
            du[3, j] = -u[j] * r2 * r2 / g
        off[i] = (nx * (u[0] - m[0]) + ny * (u[1] - m[1])) / weigh
        along = d[0] * (u[0] - m[0]) + d[1] * (u[1] - m[1])
        for p in range(4):
            side = nx * du[p, 0] + ny * du[p, 1]
            doff[i, p] = side
            mean[p] += side / count
            lever[p] += side * along / spread
            dm[p, 0] += du[p, 0] / count
            dm[p, 1] += du[p, 1] / count
    for p in range(4):
        dd[p, 0], dd[p, 1] = nx * lever[p], ny * lever[p]
    for i in range(count):
        x, y = points[i, 0] - c[0], points[i, 1] - c[1]
        rd = np.sqrt(x * x + y * y) / size
        grow = straight_radius(rd, k[0], k[1]) / rd if rd > 1e-9 else 1.0
        along = d[0] * (x * grow - m[0]) + d[1] * (y * grow - m[1])
        for p in range(4):
            doff[i, p] = (doff[i, p] - mean[p] - along * lever[p]) / weigh


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def normal_equations(
    points: Array, starts: Array, heading: Array, trust: Array,
    corners: Array, sides: Array, log_aspect: Array, rect_trust: Array,
    log_focal: float, R: Array, c: Array, k: Array, size: float, width: float, bending: bool,
    used: int, lines: Array, chi: Array, Jt: Array, A: Array, g: Array,
) -> float:  # fmt: skip
    """The loss at one place, and its normal equations A (8, 8), g (8,).

    Only the first `used` parameters are looked at. width > 0 makes the loss Cauchy's, of that
    width in px a point. bending says that the bending terms or, on a bent plate, the principal
    point are free, so that the reduced lines change with them. lines (T, 8) holds the reduced
    lines, from the plate's centre, or on a bent plate from the principal point; where they change
    it is filled here. Fills chi (T,), the squared misfit of each trace with its points' own, and
    Jt (T, 8), the derivatives of its misfit to the vanishing point.
    """
    A[:] = 0.0
    g[:] = 0.0
    focal = np.exp(log_focal)
    J = np.empty(PARAMETERS)
    m = np.empty(2)
    loss = 0.0
    if bending:
        reduce(
            points, starts, c, k, size, lines[:, 0:2], lines[:, 2:4], lines[:, 4], lines[:, 5],
            lines[:, 6], lines[:, 7],
        )  # fmt: skip
    off, doff = np.empty(64), np.empty((64, 4))
    dm, dd = np.empty((4, 2)), np.empty((4, 2))
    plain = not bending and k[0] == 0.0 and k[1] == 0.0
    zero_x, zero_y = (c[0], c[1]) if plain else (0.0, 0.0)
    for t in range(len(heading)):
        m[0], m[1] = lines[t, 0] - zero_x, lines[t, 1] - zero_y
        d = lines[t, 2:4]
        spread, n, weigh = lines[t, 4], lines[t, 5], lines[t, 7]
        r = line_misfit(m, d, spread, n, heading[t], R, focal, used, J) / weigh
        for p in range(used):
            J[p] /= weigh
        a, b = starts[t], starts[t + 1]
        if bending:
            bow_terms(points[a:b], c, k, size, m, d, spread, weigh, off, doff, dm, dd)
            v2 = -R[2, heading[t]]
            qx = m[0] * v2 - focal * R[0, heading[t]]
            qy = m[1] * v2 + focal * R[1, heading[t]]
            scale = np.sqrt(n * spread) / (
                np.sqrt(n * (qx * qx + qy * qy) + spread * v2 * v2) + 1e-12
            ) / weigh  # fmt: skip
            for p in range(4):
                J[4 + p] = scale * (
                    v2 * (dm[p, 0] * d[1] - dm[p, 1] * d[0]) + qx * dd[p, 1] - qy * dd[p, 0]
                )
        total = r * r + lines[t, 6]
        chi[t] = total
        weight = trust[t]
        if width > 0.0:
            many = (n - 1.0) * width * width
            loss += weight * many * np.log1p(total / many)
            weight /= 1.0 + total / many
        else:
            loss += weight * total
        for p in range(used):
            Jt[t, p] = J[p]
            g[p] += weight * J[p] * r
            for o in range(p + 1):
                A[p, o] += weight * J[p] * J[o]
        if bending and b - a > 2:
            for i in range(b - a):
                for p in range(4):
                    g[4 + p] += weight * doff[i, p] * off[i]
                    for o in range(p + 1):
                        A[4 + p, 4 + o] += weight * doff[i, p] * doff[i, o]
    for i in range(len(log_aspect)):
        if np.isnan(log_aspect[i]):
            continue
        r = proportion(
            corners[i], sides[i, 0], sides[i, 1], log_aspect[i], R, focal, c, k, size, used, J
        )
        weight = rect_trust[i]
        if width > 0.0:
            loss += weight * width * width * np.log1p(r * r / (width * width))
            weight /= 1.0 + r * r / (width * width)
        else:
            loss += weight * r * r
        for p in range(used):
            g[p] += weight * J[p] * r
            for o in range(p + 1):
                A[p, o] += weight * J[p] * J[o]
    for p in range(used):
        for o in range(p):
            A[o, p] = A[p, o]
    return loss


@njit(cache=True, nogil=True, error_model="numpy")
def descent(A: Array, g: Array, free: Array, damping: float, step: Array) -> None:
    """Solve (A + damping diag A) step = -g over the free parameters, by Cholesky."""
    n = len(free)
    L = np.zeros((PARAMETERS, PARAMETERS))
    for i in range(n):
        for j in range(i + 1):
            total = A[free[i], free[j]]
            if i == j:
                total += damping * (A[free[i], free[i]] + 1e-9)
            for k in range(j):
                total -= L[i, k] * L[j, k]
            L[i, j] = np.sqrt(max(total, 1e-18)) if i == j else total / L[j, j]
    x = np.empty(PARAMETERS)
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
    points: Array, starts: Array, heading: Array, trust: Array,
    corners: Array, sides: Array, log_aspect: Array, rect_trust: Array,
    log_focal: float, R: Array, c: Array, k: Array, size: float, farthest: float,
    prior: Array, prior_weight: Array, free: Array, width: float, steps: int,
    lines: Array, chi: Array, Jt: Array, A: Array,
) -> tuple[float, Array, float]:  # fmt: skip
    """Levenberg-Marquardt from one start.

    prior, prior_weight (8,): a value for each parameter and what a unit of it is worth in px; 0
    for none. A rotation has no prior, but the third turn's weight is that of a level horizon.
    free: the indices of the parameters that move. c and k are moved in place. Fills
    chi, Jt and A (without priors) as they are where it ends. Returns log focal, R and the loss.
    """
    used = 4
    if len(free) > 0 and free[len(free) - 1] >= 4:
        used = PARAMETERS
    bending = (len(free) > 0 and free[len(free) - 1] >= 6) or (
        (k[0] != 0.0 or k[1] != 0.0) and len(free) > 0 and free[len(free) - 1] >= 4
    )
    damping = 1e-3
    g, step = np.empty(PARAMETERS), np.zeros(PARAMETERS)
    An, gn = np.empty((PARAMETERS, PARAMETERS)), np.empty(PARAMETERS)
    chin, Jn = np.empty(len(heading)), np.empty((len(heading), PARAMETERS))
    loss = normal_equations(
        points, starts, heading, trust, corners, sides, log_aspect, rect_trust, log_focal, R, c, k,
        size, width, bending, used, lines, chi, Jt, A, g,
    )  # fmt: skip
    at = np.array([log_focal, 0.0, 0.0, 0.0, c[0], c[1], k[0], k[1]])
    loss += _prior_loss(at, R, prior, prior_weight)
    cn, kn, H = np.empty(2), np.empty(2), np.empty((PARAMETERS, PARAMETERS))
    for _ in range(steps):
        H[:] = A
        for p in range(PARAMETERS):
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
            if (kn[0] != at[6] or kn[1] != at[7]) and folds(kn[0], kn[1], farthest):
                damping *= 8.0
                continue
            new = normal_equations(
                points, starts, heading, trust, corners, sides, log_aspect, rect_trust, lf, Rn,
                cn, kn, size, width, bending, used, lines, chin, Jn, An, gn,
            )  # fmt: skip
            atn = np.array([lf, 0.0, 0.0, 0.0, cn[0], cn[1], kn[0], kn[1]])
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
        chi[:] = chin
        Jt[:] = Jn
        A[:] = An
        g[:] = gn
        damping = max(damping * 0.1, 1e-9)
        if gain < 1e-12 + 1e-10 * loss:
            break
    if bending:  # the lines as they are where it ended
        reduce(
            points, starts, c, k, size, lines[:, 0:2], lines[:, 2:4], lines[:, 4], lines[:, 5],
            lines[:, 6], lines[:, 7],
        )  # fmt: skip
    return log_focal, R, loss


@njit(cache=True, nogil=True)
def _prior_loss(at: Array, R: Array, prior: Array, weight: Array) -> float:
    total = (weight[3] * R[0, 1]) ** 2
    for p in range(PARAMETERS):
        if weight[p] > 0.0 and p != 3:
            total += (weight[p] * (at[p] - prior[p])) ** 2
    return total


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
