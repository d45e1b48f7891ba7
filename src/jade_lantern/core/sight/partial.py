"""What a sighting tells in part, while the focal length is open or only verticals are traced."""

from __future__ import annotations

import math

import numpy as np

from ..camera import rotation_of
from ..scene.model import FocalHint, Sighting
from .lens import Lens
from .lines import drawn, reduce
from .sighted import lens_of
from .solve import HELD_CENTRE
from .starts import vanishing_candidates

USUAL = 28 / 36  # the usual focal length, in longer sides,
HOW_USUAL = 0.45  # and the standard deviation of its logarithm
STEP = 1e-3


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
    laid = drawn([("up", points) for points in ends], (width / 2, height / 2))
    size = max(width, height) / 2
    m, d = np.empty((len(ends), 2)), np.empty((len(ends), 2))
    spread, n, bow, weigh = (np.empty(len(ends)) for _ in range(4))
    nothing = np.zeros(2)
    reduce(laid.points, laid.starts, nothing, nothing, size, m, d, spread, n, bow, weigh)
    x, y, w = vanishing_candidates(m, d, spread, n, size, 8.0)[0]

    def angles(log_focal: float, dx: float, dy: float) -> np.ndarray:
        """Tilt and roll, radians."""
        f = math.exp(log_focal)
        up = np.array([(x - dx * w) / f, -(y - dy * w) / f, -w])
        up /= np.linalg.norm(up) * (1 if up[1] >= 0 else -1)
        return np.array([math.asin(np.clip(-up[2], -1, 1)), math.atan2(up[0], up[1])])

    at = np.array([math.log(focal), 0.0, 0.0])
    tilt, roll = angles(*at)
    slopes = np.stack([(angles(*(at + STEP * e)) - angles(*at)) / STEP for e in np.eye(3)], axis=1)
    # an end that is a pixel off turns a vertical by so much: what the traces themselves leave open
    drawn_off = math.sqrt(2) / math.sqrt(float(spread.sum()))
    given = np.diag(np.square([share, 2 * HELD_CENTRE * size, 2 * HELD_CENTRE * size]))
    covariance = np.zeros((8, 8))
    covariance[0, 0] = share**2
    # about the camera's x axis it tilts, about its z axis it rolls
    part = slopes @ given @ slopes.T + np.eye(2) * drawn_off**2
    covariance[np.ix_([1, 3], [1, 3])] = part
    rotation = rotation_of(math.degrees(tilt), math.degrees(roll), 0.0)
    return Lens(
        focal, rotation, covariance, covariance, 0.0, np.zeros(0), np.zeros(0), np.zeros((0, 8)),
        1.0, width, height, (width / 2, height / 2),
    )  # fmt: skip
