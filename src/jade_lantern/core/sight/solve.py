"""Traces to camera: from any start-less set, with the uncertainty of everything it says."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from ..arrays import Flags, Floats, Indices
from ..camera import Camera, focal_35mm, rotation_of
from ..refusal import Refusal
from ..scene.model import ByEye, Rectangle, Scene, Sighting
from . import judge
from .bend import folds
from .lines import HEADING_INDEX, HEADINGS, Drawn, drawn, shortest
from .normal import normal_equations

Point = tuple[float, float]
Traces = Sequence[tuple[str, Sequence[Point]]]

LONGEST_LOG_FOCAL = 13.8  # px; past this the picture has no perspective to go by
OPEN_FOCAL = 0.25  # a focal length less certain than this is not given as a number
CARRIED_CENTRE = 0.12  # a principal point less certain than this share of the longer side is held
TOLD_BEND = 3.0  # sigmas from nothing at which a second bending term is taken to be there
LEVEL_RADIANS = 1e-5  # how exactly a horizon that is held level is level
BY_EYE_FOCAL, BY_EYE_RADIANS = 0.15, math.radians(1.5)
NAMES = {"across": "Across", "up": "Up", "away": "Away"}


@dataclass(frozen=True)
class Lens:
    """What the traces say of the camera, all but where it stands.

    covariance: (8, 8) of log focal, the rotation vector (radians, camera axes), the principal
    point (px) and the bending terms as the kernel has them; zero for what was not free.
    centre: principal point, px. bend: k1, k2 on normalised coordinates, with their sigmas.
    misfits: (T,) px, one a trace, rectangles' sides after them. kept: (T,) the trust each was left
    with; 0 for one left out as grossly wrong. derivatives: (T, 8) of the misfits.
    """

    focal_px: float
    rotation: Floats
    covariance: Floats
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
    laid: Drawn | None = None
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
        out: list[float] = judge.numbers(
            math.log(self.focal_px), self.rotation, self.centre[0] - self.width / 2,
            self.centre[1] - self.height / 2, self.width / 2, self.height / 2, self.covariance,
        ).tolist()  # fmt: skip
        return out

    @cached_property
    def headings(self) -> list[list[float]]:
        """Across, Up, Away: count, fit px, strength, vanishing point (3)."""
        if self.laid is None:
            nothing = drawn([], (0, 0))
            return self._heading_numbers(nothing)
        return self._heading_numbers(self.laid)

    def _heading_numbers(self, laid: Drawn) -> list[list[float]]:
        centre = np.array([self.centre[0] - self.width / 2, self.centre[1] - self.height / 2])
        out: list[list[float]] = judge.heading_numbers(
            laid.points, laid.starts, laid.heading, self.kept, self.misfits,
            math.log(self.focal_px), self.rotation, centre, self.width / 2, self.height / 2,
        ).tolist()  # fmt: skip
        return out

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


_recent: OrderedDict[int, tuple[Sighting, int, int, Lens | Unsettled]] = OrderedDict()
RECENT = 64


def lens_of(sighting: Sighting, width: int, height: int) -> Lens | Unsettled:
    """The camera that a sighting's traces carry, or what is missing.

    Cached by object identity, not equality: scenes are immutable and share unchanged sightings, so
    `is` finds every repeat without comparing.
    """
    known = _recent.get(id(sighting))
    if known and known[0] is sighting and known[1:3] == (width, height):
        return known[3]
    answer = _answer(sighting, width, height)
    _recent[id(sighting)] = (sighting, width, height, answer)
    while len(_recent) > RECENT:
        _recent.popitem(last=False)
    return answer


def _answer(sighting: Sighting, width: int, height: int) -> Lens | Unsettled:
    if sighting.by_eye is not None:
        return _by_eye(sighting.by_eye, width, height)
    try:
        lens = _traced(sighting, width, height)
    except Refusal as error:
        return Unsettled(str(error))
    if sighting.backward and isinstance(lens, Lens):
        return replace(lens, rotation=lens.rotation * np.array([-1.0, 1.0, -1.0]))
    return lens


def _traced(sighting: Sighting, width: int, height: int) -> Lens | Unsettled:
    by_heading = {t.heading: t.trust for t in sighting.trust}
    return solve(
        [(t.heading, t.points) for t in sighting.traces],
        width,
        height,
        (sighting.focal.value, sighting.focal.sigma) if sighting.focal else None,
        trust=[t.trust * by_heading.get(t.heading, 1.0) for t in sighting.traces]
        if by_heading or any(t.trust != 1 for t in sighting.traces)
        else None,
        principal=sighting.principal,
        bend=sighting.bend
        if sighting.bend is None or sighting.bend == "solve"
        else (sighting.bend.k1, sighting.bend.k2),
        rectangles=sighting.rectangles,
        level=sighting.level,
    )


def lens_of_scene(scene: Scene) -> Lens | Unsettled:
    return lens_of(scene.sighting, scene.plate.width, scene.plate.height)


def _by_eye(seen: ByEye, width: int, height: int) -> Lens:
    """A camera set by hand, with the uncertainty that an eye has."""
    spread = np.zeros((8, 8))
    spread[0, 0] = BY_EYE_FOCAL**2
    spread[1:4, 1:4] = np.eye(3) * BY_EYE_RADIANS**2
    return Lens(
        seen.focal_px, rotation_of(seen.tilt_deg, seen.roll_deg, seen.yaw_deg), spread, 0.0,
        np.zeros(0), np.zeros(0), np.zeros((0, 8)), 1.0, width, height, (width / 2, height / 2),
    )  # fmt: skip


def solve(
    traces: Traces,
    width: int,
    height: int,
    focal_hint: tuple[float, float] | None = None,
    *,
    trust: Sequence[float] | None = None,
    principal: Literal["solve"] | Point | None = None,
    bend: Literal["solve"] | tuple[float, float] | None = None,
    rectangles: Sequence[Rectangle] = (),
    level: bool = False,
) -> Lens | Unsettled:
    """Solve focal length and rotation, and what else is asked for, from traced edges.

    traces: (heading, points) with heading one of across, up, away and points in pixels.
    focal_hint: a known focal length and its standard deviation, px; a deviation of 0 fixes it.
    trust: a weight for each trace, 1 for full, 0 to leave it out. principal: the principal point
    in px, "solve", or None for the plate's middle. bend: k1 and k2 on normalised coordinates,
    "solve", or None for a straight lens. rectangles: each adds its sides as traces and, where its
    proportions are known, those. level: hold the horizon level.
    Raises Refusal for a trace of no length.
    """
    weights = list(trust) if trust is not None else [1.0] * len(traces)
    every = list(traces)
    for shape in rectangles:
        every += _sides(shape)
        weights += [shape.trust] * 4
    laid = drawn(every, (width / 2, height / 2), weights)
    short = shortest(laid.points, laid.starts)
    if short >= 0:
        raise Refusal(f"Trace {short + 1} has no length.")
    missing = _missing(laid, focal_hint is not None, rectangles)
    if missing:
        return Unsettled(missing)
    asked = _Asked(laid, width, height, focal_hint, principal, bend, rectangles, level)
    lens, centre_carried = asked.run(principal == "solve", 1 if bend == "solve" else 0)
    held = ""
    if isinstance(lens, Lens) and principal == "solve" and not centre_carried:
        held = (
            "The principal point is held in the middle: it takes three headings that all meet in "
            "or near the picture to find it."
        )
        lens, _ = asked.run(False, 1 if bend == "solve" else 0)
        if isinstance(lens, Lens):
            lens = replace(lens, held=held)
    if isinstance(lens, Lens) and bend == "solve" and _many_points(laid):
        more, _ = asked.run(principal == "solve" and centre_carried, 2)
        told = (
            isinstance(more, Lens)
            and abs(more.bend[1]) > TOLD_BEND * more.bend_sigma[1]
            and more.fit_px < lens.fit_px
        )
        if isinstance(more, Lens) and told:
            lens = replace(more, held=held)
    return lens


def _sides(shape: Rectangle) -> list[tuple[str, tuple[Point, Point]]]:
    """A rectangle's four sides as traces, in order round it."""
    p, (a, b) = shape.points, shape.headings
    return [(h, (p[i], p[(i + 1) % 4])) for i, h in enumerate((a, b, a, b))]


def _many_points(laid: Drawn) -> bool:
    return int((np.diff(laid.starts) - 2).clip(0).sum()) >= 3


class _Asked:
    """One sighting's question, to be put with more or less left free."""

    def __init__(
        self,
        laid: Drawn,
        width: int,
        height: int,
        hint: tuple[float, float] | None,
        principal: Literal["solve"] | Point | None,
        bend: Literal["solve"] | tuple[float, float] | None,
        rectangles: Sequence[Rectangle],
        level: bool,
    ) -> None:
        self.laid, self.width, self.height = laid, width, height
        self.size = max(width, height) / 2
        self.prior, self.relative = np.zeros(8), np.zeros(8)
        self.relative[3] = LEVEL_RADIANS if level else 0.0
        if hint is not None:
            if hint[0] <= 0:
                raise Refusal("A focal length must be more than zero.")
            self.prior[0] = math.log(hint[0])
            self.relative[0] = max(hint[1] / hint[0], 1e-6)
        if principal is not None and principal != "solve":
            self.prior[4:6] = principal[0] - width / 2, principal[1] - height / 2
        self.known_bend = bend if bend is not None and bend != "solve" else (0.0, 0.0)
        middle = np.array([width / 2, height / 2])
        self.corners = np.array([r.points for r in rectangles], float).reshape(-1, 4, 2) - middle
        self.sides = np.array(
            [[HEADING_INDEX[h] for h in r.headings] for r in rectangles], np.int64
        ).reshape(-1, 2)
        self.log_aspect = np.array(
            [math.log(r.aspect) if r.aspect else math.nan for r in rectangles], float
        )
        self.rect_trust = np.array([r.trust for r in rectangles], float)

    def farthest(self) -> float:
        """How far from the principal point the plate's farthest corner is, in half longer sides."""
        x = abs(self.prior[4]) + self.width / 2
        y = abs(self.prior[5]) + self.height / 2
        return math.hypot(x, y) / self.size

    def run(self, free_centre: bool, bends: int) -> tuple[Lens | Unsettled, bool]:
        """Solve; also says whether a freed principal point is carried by the traces."""
        free = [0, 1, 2, 3]
        self.relative[4:] = 0
        if free_centre:
            free += [4, 5]
            self.relative[4:6] = judge.CENTRE_SIGMA * 2 * self.size
        if bends:
            free += [6, 7][:bends]
            self.relative[6:8] = judge.BEND_SIGMA
        lens = self._once(np.array(free))
        k1, k2 = self.known_bend
        if (k1 or k2) and isinstance(lens, Lens):
            for _ in range(6):
                ratio = (self.size / lens.focal_px) ** 2
                inner = np.array([k1 * ratio, k2 * ratio * ratio])
                if folds(inner[0], inner[1], self.farthest()):
                    raise Refusal(
                        f"With k1 {k1:g} and k2 {k2:g} the picture folds over before its corners: "
                        "such a lens cannot be."
                    )
                done = np.allclose(inner, self.prior[6:8], rtol=1e-6, atol=1e-9)
                self.prior[6:8] = inner
                if done:
                    break
                again = self._once(np.array(free))
                if not isinstance(again, Lens):
                    return again, False
                lens = again
        carried = isinstance(lens, Lens) and (
            max(lens.centre_sigma) < CARRIED_CENTRE * 2 * self.size
        )
        return lens, carried

    def _once(self, free: Indices) -> Lens | Unsettled:
        laid = self.laid
        sound, log_focal, rotation, inner, kept, covariance, misfits, sigma, jac = judge.judged(
            laid.points, laid.starts, laid.heading, laid.trust, self.corners, self.sides,
            self.log_aspect, self.rect_trust, self.size, self.farthest(), self.prior,
            self.relative, free,
        )  # fmt: skip
        if not sound or covariance[0, 0] > OPEN_FOCAL**2 or log_focal > LONGEST_LOG_FOCAL:
            return Unsettled(_open_reason(laid, rotation))
        focal = math.exp(log_focal)
        if len(free) == 4 and not self.prior[6] and not self.prior[7]:
            bend, bend_sigma = (0.0, 0.0), (0.0, 0.0)
        else:
            bend, bend_sigma = _outward(inner[2:], covariance, focal / self.size)
        agreeing = misfits[kept > 0]
        return Lens(
            focal, rotation, covariance, math.sqrt(float(agreeing @ agreeing) / len(agreeing)),
            misfits, kept, jac, sigma, self.width, self.height,
            (self.width / 2 + float(inner[0]), self.height / 2 + float(inner[1])),
            bend, bend_sigma, laid,
        )  # fmt: skip


def _outward(inner: Floats, covariance: Floats, ratio: float) -> tuple[Point, Point]:
    """Bending terms on coordinates normalised by the focal length, and their sigmas, from those
    on half longer sides; ratio is focal length over half the longer side."""
    out, sigmas = [], []
    for i, power in ((0, 2), (1, 4)):
        value = float(inner[i]) * ratio**power
        g = np.zeros(8)
        g[0], g[6 + i] = power * value, ratio**power
        out.append(value)
        sigmas.append(math.sqrt(max(float(g @ covariance @ g), 0.0)))
    return (out[0], out[1]), (sigmas[0], sigmas[1])


def _missing(laid: Drawn, focal_known: bool, rectangles: Sequence[Rectangle]) -> str | None:
    """Words for a set of traces too small to say anything, or None."""
    counts = [0, 0, 0]
    for heading, trust in zip(laid.heading.tolist(), laid.trust.tolist(), strict=True):
        counts[heading] += trust > 0
    used = sum(c > 0 for c in counts)
    proportions = sum(1 for r in rectangles if r.aspect)
    if len(laid) and not sum(counts):
        return "No trace is trusted. Trust at least two headings."
    if sum(counts) == 0:
        return (
            "Nothing is traced yet: take edges that were found, or draw two of one heading and two "
            "of another."
        )
    if used == 1:
        return (
            "All traces run one way. One heading alone cannot tell where the camera looks: "
            "trace edges of a second heading."
        )
    if sum(counts) + proportions < (3 if focal_known else 4):
        return "One more trace is needed before a camera can be found."
    if not focal_known and not proportions and sum(c >= 2 for c in counts) < 2:
        return "Two headings need two traces each before the focal length can be found."
    return None


def _open_reason(laid: Drawn, rotation: Floats) -> str:
    """Why the focal length stays open, in words."""
    counts = [int(((laid.heading == h) & (laid.trust > 0)).sum()) for h in range(3)]
    flat = [NAMES[HEADINGS[h]] for h in range(3) if counts[h] >= 2 and abs(rotation[2, h]) < 0.06]
    ways = "trace a third heading, lay a rectangle of known proportions, or give a focal length."
    if flat:
        return (
            f"{' and '.join(flat)} traces run parallel in the picture, so the focal length stays "
            f"open: {ways}"
        )
    thin = [NAMES[HEADINGS[h]] for h in range(3) if 0 < counts[h] < 3]
    where = f" ({' and '.join(thin)})" if thin else ""
    return (
        f"These traces leave the focal length open: add longer ones, further apart{where}, "
        "lay a rectangle of known proportions, or give a focal length."
    )


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
