"""What a sighting tells in part, while the focal length is open or only verticals are traced."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Floats
from ..camera import rotation_of
from ..scene.model import FocalHint, Sighting
from .lens import Lens
from .lines import reduce, trace_set
from .misfit import misfit_to_point, vanishing
from .sighted import lens_of
from .solve import HELD_CENTRE

USUAL = 35 / 36  # the usual focal length, in longer sides,
HOW_USUAL = 0.5  # and the standard deviation of its logarithm


def partly(sighting: Sighting, width: int, height: int) -> Lens | None:
    """A camera of a usual or the given focal length that has what the traces do tell: tilt, roll
    and horizon, each as uncertain as the focal length makes it. None where they tell nothing."""
    usual = USUAL * max(width, height)
    hint = sighting.focal or FocalHint(value=usual, sigma=HOW_USUAL * usual)
    lens = lens_of(sighting.model_copy(update={"focal": hint}), width, height)
    if isinstance(lens, Lens):
        return lens
    ends = [t.points for t in sighting.traces if t.heading == "up" and t.trust > 0]
    if len(ends) < 2 or any(t.heading != "up" for t in sighting.traces):
        return None
    return _by_verticals(ends, hint.value, hint.sigma / hint.value, width, height)


def _by_verticals(
    ends: list[tuple[tuple[float, float], ...]], focal: float, share: float, width: int, height: int
) -> Lens:
    """Tilt and roll by where verticals meet, for a focal length known to within a share."""
    laid = trace_set([("up", points) for points in ends], (width / 2, height / 2))
    size = max(width, height) / 2
    lines = np.empty((len(ends), 8))
    reduce(laid.points, laid.starts, np.zeros(2), np.zeros(2), size, lines)
    v = np.empty(3)

    def off(angles: Floats, log_focal: float, centre: Floats) -> Floats:
        """Each vertical's misfit, px, under a tilt and a roll (radians)."""
        rotation = rotation_of(math.degrees(angles[0]), math.degrees(angles[1]), 0.0)
        vanishing(rotation, math.exp(log_focal), 1, v)
        out = [misfit_to_point(a[:2] - centre, a[2:4], a[4], a[5], v) for a in lines]
        return np.array(out)

    def best(known: Floats, start: Floats) -> Any:
        """known: log focal and the principal point, px from the middle."""
        return scipy.optimize.least_squares(off, start, args=(known[0], known[1:]))

    known = np.array([math.log(focal), 0.0, 0.0])
    # a vertical may meet the others above or below, so it is begun looking up, level and down
    ways = [best(known, np.radians([tilt, 0.0])) for tilt in (-30.0, 0.0, 30.0)]
    at = min(ways, key=lambda way: way.cost)
    tilt, roll = at.x
    step = np.array([1e-3, 0.1, 0.1])
    slopes = np.stack(
        [(best(known + step * e, at.x).x - at.x) / (step @ e) for e in np.eye(3)], axis=1
    )  # fmt: skip
    centre = 2 * HELD_CENTRE * size
    part = slopes @ np.diag(np.square([share, centre, centre])) @ slopes.T
    part += np.linalg.pinv(at.jac.T @ at.jac)  # an end is a pixel off
    covariance = np.zeros((8, 8))
    covariance[0, 0] = share**2
    # about the camera's x axis it tilts, about its z axis it rolls
    covariance[np.ix_([1, 3], [1, 3])] = part
    return Lens(
        focal, rotation_of(math.degrees(tilt), math.degrees(roll), 0.0), covariance, covariance,
        0.0, np.zeros(0), np.zeros(0), np.zeros((0, 8)), 1.0, width, height,
        (width / 2, height / 2),
    )  # fmt: skip
