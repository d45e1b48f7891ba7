"""Misfits of lines and rectangles to a camera, and their derivatives, compiled.

Parameters, in this order: the log of the focal length; a rotation vector applied on the left of R
(3); the principal point, px from the plate's centre (2); the two bending terms, on radii in half
of the plate's longer side (2); and after these eight the turn of each bearing, from Across towards
Away, radians. The misfit of a line with middle m, direction d, spread L and n
points against a vanishing point v = (v_xy, w) is, with q = m w - v_xy,

    r = sqrt(n L) (q x d) / sqrt(n |q|^2 + L w^2)

which to first order is the square root of what the sum of squared distances of the points to any
line through v has more than to their own best line, so that least squares in r is maximum
likelihood for equal noise on the points. For two points it is the offset of the ends times sqrt 2
(Caprile & Torre 1990; Hartley & Zisserman 2004, ch. 8). Where the lens bends, the points' own
distances off their best line count too (Devernay & Faugeras 2001).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats
from .bend import straight_radius

# sums may be taken in any order; infinities keep their meaning
FAST = {"reassoc", "contract", "nsz", "arcp"}
PARAMETERS = 8  # and one more for each bearing


@njit(cache=True, nogil=True)
def cross(a: Floats, b: Floats) -> Floats:
    return np.array(
        [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
    )


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def turned(R: Floats, w: Floats) -> Floats:
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
def vanishing(R: Floats, focal: float, heading: int, out: Floats) -> None:
    out[0] = focal * R[0, heading]
    out[1] = -focal * R[1, heading]
    out[2] = -R[2, heading]


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def misfit_to_point(m: Floats, d: Floats, spread: float, n: float, v: Floats) -> float:
    qx = m[0] * v[2] - v[0]
    qy = m[1] * v[2] - v[1]
    bottom = n * (qx * qx + qy * qy) + spread * v[2] * v[2]
    if bottom <= 0.0:
        return 1e6
    return np.sqrt(n * spread) * (qx * d[1] - qy * d[0]) / np.sqrt(bottom)


@njit(cache=True, nogil=True, error_model="numpy")
def ways_of(R: Floats, turns: Floats) -> Floats:
    """Unit directions (3 + B, 3), camera axes: Across, Up, minus Away, and the bearings."""
    out = np.empty((3 + len(turns), 3))
    for i in range(3):
        for h in range(3):
            out[h, i] = R[i, h]
        for b in range(len(turns)):
            out[3 + b, i] = np.cos(turns[b]) * R[i, 0] - np.sin(turns[b]) * R[i, 2]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def slope_by_turn(
    m: Floats, d: Floats, spread: float, n: float, way: Floats, R: Floats, focal: float
) -> float:
    """How the misfit of a line along a level direction `way` (3,) grows with its turn."""
    # a quarter turn on from the way lies up x way
    o0 = R[1, 1] * way[2] - R[2, 1] * way[1]
    o1 = R[2, 1] * way[0] - R[0, 1] * way[2]
    o2 = R[0, 1] * way[1] - R[1, 1] * way[0]
    w, dw = -way[2], -o2
    qx, qy = m[0] * w - focal * way[0], m[1] * w + focal * way[1]
    px, py = m[0] * dw - focal * o0, m[1] * dw + focal * o1
    bottom = np.sqrt(n * (qx * qx + qy * qy) + spread * w * w) + 1e-12
    top = qx * d[1] - qy * d[0]
    dtop = px * d[1] - py * d[0]
    dbottom = (n * (qx * px + qy * py) + spread * w * dw) / bottom
    slope: float = np.sqrt(n * spread) * (dtop - top * dbottom / bottom) / bottom
    return slope


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def line_misfit(
    m: Floats, d: Floats, spread: float, n: float, way: Floats, focal: float, used: int, J: Floats
) -> float:
    """The misfit of one line along a direction `way` (3,), camera axes, and its first `used`
    derivatives into J; those by bending and by turns are left at 0."""
    c0, c1, c2 = way[0], way[1], way[2]
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
    points: Floats, c: Floats, k: Floats, size: float, m: Floats, d: Floats, spread: float,
    weigh: float, off: Floats, doff: Floats, dm: Floats, dd: Floats,
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


@njit(cache=True, nogil=True, error_model="numpy")
def log_ratio(corners: Floats, R: Floats, focal: float, a: int, b: int) -> float:
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
def _straight_corners(corners: Floats, c: Floats, k: Floats, size: float, out: Floats) -> None:
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
    corners: Floats, a: int, b: int, log_aspect: float, R: Floats, focal: float,
    c: Floats, k: Floats, size: float, used: int, J: Floats,
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
        if p >= PARAMETERS:
            J[p] = 0.0
        elif p == 0:
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
