"""The compiled heart of the sighting: misfits, their derivatives, and refinement.

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
def loss_of(r: Array, trust: Array, width: float) -> float:
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
    loss = loss_of(r, trust, width) + (hint_weight * (log_focal - hint)) ** 2
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
            new = loss_of(rn, trust, width) + (hint_weight * (lf - hint)) ** 2
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
