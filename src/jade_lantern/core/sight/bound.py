"""The least error of any solver (the Cramér-Rao bound), from the information in traces."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..arrays import Floats, Indices
from ..camera import Camera
from .lines import TraceSet, trace_set
from .misfit import PARAMETERS
from .normal import normal_equations
from .problem import Estimate, Observed, fit_for

Traces = Sequence[tuple[str, Sequence[tuple[float, float]]]]
Rectangles = tuple[Floats, Indices, Floats, Floats]  # corners, sides, log aspects, trust
NO_RECTANGLES: Rectangles = (
    np.zeros((0, 4, 2)), np.zeros((0, 2), np.int64), np.zeros(0), np.zeros(0),
)  # fmt: skip


def slope_at(
    laid: TraceSet,
    log_focal: float,
    rotation: Floats,
    inner: Floats,
    size: float,
    rectangles: Rectangles = NO_RECTANGLES,
    turns: Floats | None = None,
    width: float = 0.0,
) -> tuple[Floats, Floats, float]:
    """The Fisher information (P, P) of traces, for noise of 1 px, on all of the kernel's
    parameters: 8, and the turns (B,) of bearings, radians; half the slope (P,) of the loss by
    them; and the loss, px squared. inner: (4,) the principal point, px from the middle, and the
    bending terms as the kernel has them. size: half the longer side, px. width: of Cauchy's loss,
    px; 0 for plain least squares."""
    turns = np.zeros(0) if turns is None else turns
    P = PARAMETERS + len(turns)
    observed = Observed(
        laid.points, laid.starts, laid.heading, laid.trust, *rectangles, size, np.inf
    )
    at = Estimate(log_focal, rotation, inner[:2].copy(), inner[2:].copy(), turns)
    fit, g = fit_for(observed, len(turns)), np.zeros(P)
    loss = normal_equations(observed, at, width, True, P, fit, g)
    return fit.A, g, loss


def information(
    traces: Traces, camera: Camera, free: Sequence[int], bend: tuple[float, float] = (0.0, 0.0)
) -> Floats:
    """The Fisher information of exact traces, for noise of 1 px, on the free parameters (by their
    place in the kernel's order) at a known camera; bend is on normalised coordinates."""
    laid = trace_set(traces, (camera.width / 2, camera.height / 2))
    size = max(camera.width, camera.height) / 2
    ratio = (size / camera.focal_px) ** 2
    off = camera.cx - camera.width / 2, camera.cy - camera.height / 2
    inner = np.array([*off, bend[0] * ratio, bend[1] * ratio * ratio])
    A, _, _ = slope_at(laid, math.log(camera.focal_px), camera.rotation, inner, size)
    pick: Floats = A[np.ix_(list(free), list(free))]
    return pick
