"""The least error of any solver (the Cramér-Rao bound), from the information in traces."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from .lines import drawn
from .normal import normal_equations
from .solve import Traces


def information(
    traces: Traces, camera: Camera, free: Sequence[int], bend: tuple[float, float] = (0.0, 0.0)
) -> Floats:
    """The Fisher information of exact traces, for noise of 1 px, on the free parameters (by their
    place in the kernel's order) at a known camera; bend is on normalised coordinates."""
    laid = drawn(traces, (camera.width / 2, camera.height / 2))
    size = max(camera.width, camera.height) / 2
    ratio = (size / camera.focal_px) ** 2
    k = np.array([bend[0] * ratio, bend[1] * ratio * ratio])
    c = np.array([camera.cx - camera.width / 2, camera.cy - camera.height / 2])
    count = len(laid)
    A, g = np.zeros((8, 8)), np.zeros(8)
    normal_equations(
        laid.points, laid.starts, laid.heading, laid.trust, np.zeros((0, 4, 2)),
        np.zeros((0, 2), np.int64), np.zeros(0), np.zeros(0), math.log(camera.focal_px),
        camera.rotation, c, k, size, 0.0, True, 8, np.zeros((count, 8)), np.zeros(count),
        np.zeros((count, 8)), A, g,
    )  # fmt: skip
    pick: Floats = A[np.ix_(list(free), list(free))]
    return pick
