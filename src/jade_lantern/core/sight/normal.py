"""The loss of an estimate of the camera, and the normal equations of its next Gauss-Newton step."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .lines import reduce
from .misfit import FAST, bow_terms, line_misfit, proportion, slope_by_turn, ways_of
from .problem import Estimate, Fit, Observed


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy", inline="always")
def _weighed(squared: float, scale: float, trust: float) -> tuple[float, float]:
    """What a squared misfit, px², adds to the loss, and the weight of its normal equations.
    scale: the squared width of Cauchy's loss, px²; 0 for plain least squares."""
    if scale > 0.0:
        share = squared / scale
        return trust * scale * np.log1p(share), trust / (1.0 + share)
    return trust * squared, trust


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def _focal_and_rotation(
    heading: Indices, trust: Floats, at: Estimate, cx: float, cy: float, width: float, fit: Fit,
    g: Floats,
) -> float:  # fmt: skip
    """`normal_equations` for the focal length and rotation alone, which is what nearly every drag
    asks for: unrolled, so that all sums stay in registers."""
    lines, chi, Jt, A = fit.lines, fit.chi, fit.Jt, fit.A
    focal, R = np.exp(at.log_focal), at.R
    loss = 0.0
    a00, a10, a11, a20, a21, a22 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    a30, a31, a32, a33 = 0.0, 0.0, 0.0, 0.0
    g0, g1, g2, g3 = 0.0, 0.0, 0.0, 0.0
    for t in range(len(heading)):
        h = heading[t]
        c0, c1, c2 = R[0, h], R[1, h], R[2, h]
        mx, my, dx, dy = lines[t, 0] - cx, lines[t, 1] - cy, lines[t, 2], lines[t, 3]
        spread, n, weigh = lines[t, 4], lines[t, 5], lines[t, 7]
        vx, vy, w = focal * c0, -focal * c1, -c2
        qx, qy = mx * w - vx, my * w - vy
        bottom = np.sqrt(n * (qx * qx + qy * qy) + spread * w * w) + 1e-12
        top = qx * dy - qy * dx
        scale = np.sqrt(n * spread) / (bottom * weigh)
        lean = top / (bottom * bottom)
        r = scale * top
        # the four ways q and w move, as in line_misfit
        j0 = scale * (-vx * dy + vy * dx - lean * n * (-qx * vx - qy * vy))
        px, py = mx * -c1, my * -c1 - focal * c2
        j1 = scale * (px * dy - py * dx - lean * (n * (qx * px + qy * py) - spread * w * c1))
        px, py = mx * c0 - focal * c2, my * c0
        j2 = scale * (px * dy - py * dx - lean * (n * (qx * px + qy * py) + spread * w * c0))
        px, py = focal * c1, focal * c0
        j3 = scale * (px * dy - py * dx - lean * n * (qx * px + qy * py))
        total = r * r + lines[t, 6]
        chi[t] = total
        lost, weight = _weighed(total, (n - 1.0) * width * width, trust[t])
        loss += lost
        Jt[t, 0], Jt[t, 1], Jt[t, 2], Jt[t, 3] = j0, j1, j2, j3
        w0, w1, w2, w3 = weight * j0, weight * j1, weight * j2, weight * j3
        g0, g1, g2, g3 = g0 + w0 * r, g1 + w1 * r, g2 + w2 * r, g3 + w3 * r
        a00, a10, a11 = a00 + w0 * j0, a10 + w1 * j0, a11 + w1 * j1
        a20, a21, a22 = a20 + w2 * j0, a21 + w2 * j1, a22 + w2 * j2
        a30, a31, a32, a33 = a30 + w3 * j0, a31 + w3 * j1, a32 + w3 * j2, a33 + w3 * j3
    g[0], g[1], g[2], g[3] = g0, g1, g2, g3
    A[0, 0], A[1, 1], A[2, 2], A[3, 3] = a00, a11, a22, a33
    A[0, 1], A[0, 2], A[0, 3], A[1, 2], A[1, 3], A[2, 3] = a10, a20, a30, a21, a31, a32
    A[1, 0], A[2, 0], A[3, 0], A[2, 1], A[3, 1], A[3, 2] = a10, a20, a30, a21, a31, a32
    return loss


@njit(cache=True, nogil=True, fastmath=FAST, error_model="numpy")
def normal_equations(
    observed: Observed, at: Estimate, width: float, bending: bool, used: int, fit: Fit, g: Floats
) -> float:
    """The loss of an estimate, px², and its normal equations: fills fit.A (P, P) and g (P,), half
    the slope.

    width: px a point, of Cauchy's loss; 0 for plain least squares. bending: the bending terms, or
    the principal point of a bent plate, are free, so that the reduced lines change with them;
    fit.lines is filled then, and is given otherwise (from the plate's centre, or on a bent plate
    from the principal point). used: the first so many parameters are looked at. Fills fit.chi and
    fit.Jt too.
    """
    points, starts, heading, trust = (
        observed.points, observed.starts, observed.heading, observed.trust
    )  # fmt: skip
    corners, sides, log_aspect, size = (
        observed.corners, observed.sides, observed.log_aspect, observed.size
    )  # fmt: skip
    R, c, k, turns = at.R, at.c, at.k, at.turns
    lines, chi, Jt, A = fit.lines, fit.chi, fit.Jt, fit.A
    A[:] = 0.0
    g[:] = 0.0
    focal = np.exp(at.log_focal)
    m = np.empty(2)
    loss = 0.0
    if bending:
        reduce(points, starts, c, k, size, lines)
    off, doff = np.empty(64), np.empty((64, 4))
    dm, dd = np.empty((4, 2)), np.empty((4, 2))
    plain = not bending and k[0] == 0.0 and k[1] == 0.0
    zero_x, zero_y = (c[0], c[1]) if plain else (0.0, 0.0)
    if used == 4 and len(log_aspect) == 0 and not bending:
        return _focal_and_rotation(heading, trust, at, zero_x, zero_y, width, fit, g)
    J = np.zeros(len(g))
    ways = ways_of(R, turns)
    for t in range(len(heading)):
        m[0], m[1] = lines[t, 0] - zero_x, lines[t, 1] - zero_y
        d = lines[t, 2:4]
        spread, n, weigh = lines[t, 4], lines[t, 5], lines[t, 7]
        way = ways[heading[t]]
        r = line_misfit(m, d, spread, n, way, focal, used, J) / weigh
        if heading[t] > 2 and used > 5 + heading[t]:
            J[5 + heading[t]] = slope_by_turn(m, d, spread, n, way, R, focal)
        for p in range(used):
            J[p] /= weigh
        a, b = starts[t], starts[t + 1]
        if bending:
            bow_terms(points[a:b], c, k, size, m, d, spread, weigh, off, doff, dm, dd)
            v2 = -way[2]
            qx = m[0] * v2 - focal * way[0]
            qy = m[1] * v2 + focal * way[1]
            scale = np.sqrt(n * spread) / (
                np.sqrt(n * (qx * qx + qy * qy) + spread * v2 * v2) + 1e-12
            ) / weigh  # fmt: skip
            for p in range(4):
                J[4 + p] = scale * (
                    v2 * (dm[p, 0] * d[1] - dm[p, 1] * d[0]) + qx * dd[p, 1] - qy * dd[p, 0]
                )
        total = r * r + lines[t, 6]
        chi[t] = total
        lost, weight = _weighed(total, (n - 1.0) * width * width, trust[t])
        loss += lost
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
        lost, weight = _weighed(r * r, width * width, observed.rect_trust[i])
        loss += lost
        for p in range(used):
            g[p] += weight * J[p] * r
            for o in range(p + 1):
                A[p, o] += weight * J[p] * J[o]
    for p in range(used):
        for o in range(p):
            A[o, p] = A[p, o]
    return loss
