"""What a sighting tells of the camera: a value, or what is open."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..arrays import Flags, Floats
from ..camera import Camera, focal_35mm
from . import numbers
from .lines import TraceSet, trace_set
from .misfit import PARAMETERS

Point = tuple[float, float]

NAMES = {"across": "Across", "up": "Up", "away": "Away"}


@dataclass(frozen=True)
class Lens:
    """What the traces say of the camera, all but where it stands.

    noise: (P, P), the covariance by the traces' noise of log focal, the rotation vector (radians,
    camera axes), the principal point (px), the bending terms as the kernel has them, and the
    bearings' turns (radians); zero for what was not free. covariance: the same with what was held
    in place and is not known to be there: the principal point, and the bending of a lens that is
    taken as straight.
    freed: whether the principal point was free.
    centre: principal point, px. bend: k1, k2 on normalised coordinates, with their sigmas.
    misfits: (T,) px, one a trace, rectangles' sides after them. kept: (T,) the trust each was left
    with; 0 for one left out as grossly wrong. derivatives: (T, P) of the misfits. turns: (B,) the
    bearings' turns from Across towards Away, radians, in the order of their letters. small_bend:
    the k1 by which the traces were let bend without its being part of the answer (see `solve`).
    """

    focal_px: float
    rotation: Floats
    covariance: Floats
    noise: Floats
    fit_px: float
    misfits: Floats
    kept: Floats
    derivatives: Floats
    sigma_px: float
    width: int
    height: int
    centre: Point
    bend: tuple[float, float] = (0.0, 0.0)
    bend_sigma: tuple[float, float] = (0.0, 0.0)
    laid: TraceSet | None = None
    freed: bool = False
    turns: Floats = field(default_factory=lambda: np.zeros(0))
    small_bend: float = 0.0
    held: str = ""  # what was asked to be solved and could not be, in words

    @property
    def disagrees(self) -> Flags:
        asked = self.laid.trust if self.laid is not None else self.kept
        return (self.kept <= 0) & (asked > 0)

    @property
    def focal_sigma(self) -> float:
        return float(self.focal_px * np.sqrt(self.covariance[0, 0]))

    @property
    def centre_sigma(self) -> Point:
        return math.sqrt(self.covariance[4, 4]), math.sqrt(self.covariance[5, 5])

    @property
    def focal_35mm(self) -> float:
        return focal_35mm(self.focal_px, self.width, self.height)

    @cached_property
    def numbers(self) -> list[float]:
        """Tilt, roll, yaw (degrees), their sigmas, the horizon (3), its sigma (px)."""
        out: list[float] = numbers.numbers(
            math.log(self.focal_px), self.rotation, self.centre[0] - self.width / 2,
            self.centre[1] - self.height / 2, self.width / 2, self.height / 2, self.covariance,
        ).tolist()  # fmt: skip
        return out

    @cached_property
    def headings(self) -> list[list[float]]:
        """Across, Up, Away and the bearings: count, fit px, strength, vanishing point (3)."""
        if self.laid is None:
            nothing = trace_set([], (0, 0))
            return self._heading_numbers(nothing)
        return self._heading_numbers(self.laid)

    def _heading_numbers(self, laid: TraceSet) -> list[list[float]]:
        centre = np.array([self.centre[0] - self.width / 2, self.centre[1] - self.height / 2])
        out: list[list[float]] = numbers.heading_numbers(
            laid.points, laid.starts, laid.heading, self.kept, self.misfits,
            math.log(self.focal_px), self.rotation, self.turns, centre, self.width / 2,
            self.height / 2,
        ).tolist()  # fmt: skip
        return out

    @property
    def bearings(self) -> dict[str, tuple[float, float]]:
        """The turn of each bearing from Across towards Away, and its sigma, in degrees."""
        letters = self.laid.bearings if self.laid is not None else ()
        out = {}
        for i, letter in enumerate(letters):
            turn = 90.0 - (90.0 - math.degrees(self.turns[i])) % 180.0
            variance = float(self.covariance[PARAMETERS + i, PARAMETERS + i])
            out[letter] = (turn, math.degrees(math.sqrt(max(variance, 0.0))))
        return out

    def turn_of(self, way: str) -> float:
        """Degrees from Across towards Away of a level heading or a bearing; 0 for what is none."""
        if way in self.bearings:
            return self.bearings[way][0]
        return 90.0 if way == "away" else 0.0

    def camera(self, position: Floats) -> Camera:
        return Camera(
            self.width, self.height, self.focal_px, self.rotation, position,
            self.centre[0], self.centre[1],
        )  # fmt: skip

    def angles(self) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
        """Tilt, roll and yaw in degrees, and their standard deviations."""
        n = self.numbers
        return (n[0], n[1], n[2]), (n[3], n[4], n[5])


@dataclass(frozen=True)
class Unsettled:
    """What is open, in words, where the traces do not carry a camera."""

    reason: str
