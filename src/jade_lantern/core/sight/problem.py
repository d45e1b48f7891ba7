"""The records that the compiled steps of a solution hand to each other.

NamedTuples, because Numba compiles them to plain arguments. Parameters are numbered as follows:
0 is the log of the focal length, 1 to 3 a rotation vector (radians, camera axes), 4 and 5 the
principal point (px from the plate's centre), 6 and 7 the bending terms (on half longer sides), and
from 8 on the turns of bearings (radians).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Floats, Indices
from .misfit import PARAMETERS


class Observed(NamedTuple):
    """What a camera is solved from: T traces of P points, and K rectangles.

    points: (P, 2) px from the plate's centre, trace after trace. starts: (T + 1,) where each
    trace's points begin. heading: (T,) column of the world's axes, or 3 and more for bearings.
    trust: (T,) weight of each trace, 0 to leave it out. corners: (K, 4, 2) px. sides: (K, 2) the
    headings of a rectangle's sides. log_aspect: (K,) NaN where the proportions are not known.
    rect_trust: (K,) weights. size: half the plate's longer side, px. farthest: the distance of the
    farthest corner from the principal point, in units of size.
    """

    points: Floats
    starts: Indices
    heading: Indices
    trust: Floats
    corners: Floats
    sides: Indices
    log_aspect: Floats
    rect_trust: Floats
    size: float
    farthest: float


class Estimate(NamedTuple):
    """One value of all parameters. c: (2,) principal point. k: (2,) bending. turns: (B,)."""

    log_focal: float
    R: Floats
    c: Floats
    k: Floats
    turns: Floats


class Prior(NamedTuple):
    """A value (P,) for each parameter, and its weight (P,): the noise of a point, px, over the
    parameter's standard deviation; 0 for none. The third parameter's prior is that of a level
    horizon; the other two of the rotation have none."""

    value: Floats
    weight: Floats


class Fit(NamedTuple):
    """How an estimate fits. lines: (T, 8) the traces reduced to lines, see `lines.reduce`. chi:
    (T,) px², squared misfit of each trace with its points' own. Jt: (T, P) derivatives of its
    misfit to the vanishing point. A: (P, P) the information on the parameters, for noise of 1 px,
    without priors."""

    lines: Floats
    chi: Floats
    Jt: Floats
    A: Floats


def fit_for(observed: Observed, turns: int) -> Fit:
    """Room for the fit of an estimate with some bearings' turns."""
    count, parameters = len(observed.heading), PARAMETERS + turns
    return Fit(
        np.empty((count, 8)), np.zeros(count), np.zeros((count, parameters)),
        np.zeros((parameters, parameters)),
    )  # fmt: skip
