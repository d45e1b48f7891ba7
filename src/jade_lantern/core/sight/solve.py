"""Traces to camera, from no starting guess, with the uncertainty of everything it says."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from ..arrays import Floats, Indices
from ..refusal import Refusal
from ..scene.model import Rectangle
from . import judge
from .bend import folds
from .bound import slope_at
from .consensus import LEAST_SIGMA_PX
from .lens import Lens, Point, Unsettled
from .lines import HEADING_INDEX, TraceSet, shortest, trace_set
from .misfit import PARAMETERS
from .missing import missing, open_reason
from .problem import Estimate, Observed

Traces = Sequence[tuple[str, Sequence[Point]]]

LONGEST_LOG_FOCAL = 13.8  # px; past this the picture has no perspective to go by
OPEN_FOCAL = 0.25  # a focal length less certain than this is not given as a number
CARRIED_CENTRE = 0.12  # a principal point less certain than this share of the longer side is held
TOLD_BEND = 3.0  # sigmas from nothing at which a second bending term is taken to be there
# How far a photograph's principal point lies from its middle, in longer sides, and how much its
# lens bends (k1 on normalised coordinates): standard deviations of what was held and not given.
HELD_CENTRE, HELD_BEND = 0.02, 0.04
# Both are let go where the squared misfits, over their variance, fall by at least EASED, and by
# EASED_FEW over the traces to spare more. By chance they fall so far once in fifty times (an F test
# of three numbers). One misfit counts for GROSS at the most.
EASED, EASED_FEW, EASED_SPARE, GROSS = 10.0, 90.0, 7, 25.0
HOPED = 0.7  # The second solution is tried where the loss's slope promises this share of that fall.
LEVEL_RADIANS = 1e-5  # how exactly a horizon that is held level is level


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
    exact: bool = False,
) -> Lens | Unsettled:
    """Solve focal length and rotation, and what else is asked for, from traced edges.

    traces: (heading, points) with heading one of across, up, away, or a bearing's letter, and
    points in pixels.
    focal_hint: a known focal length and its standard deviation, px; a deviation of 0 fixes it.
    trust: a weight for each trace, 1 for full, 0 to leave it out. principal: the principal point
    in px, "solve", or None for the plate's middle. bend: k1 and k2 on normalised coordinates,
    "solve", or None for a straight lens. rectangles: each adds its sides as traces and, where its
    proportions are known, those. level: hold the horizon level. exact: the picture is a renderer's,
    so a principal point that is not given is in the middle, and the lens is straight; of a
    photograph's neither is known so well, which every uncertainty then holds; and where its traces
    agree clearly better with both let go as far as is usual, the answer is that one's, its small
    bending left out of it. A given principal point counts as exact in both.
    Raises Refusal for a trace of no length.
    """
    weights = list(trust) if trust is not None else [1.0] * len(traces)
    every = list(traces)
    for shape in rectangles:
        every += _sides(shape)
        weights += [shape.trust] * 4
    laid = trace_set(every, (width / 2, height / 2), weights)
    short = shortest(laid.points, laid.starts)
    if short >= 0:
        raise Refusal(f"Trace {short + 1} has no length.")
    lacking = missing(laid, focal_hint is not None, rectangles)
    if lacking:
        return Unsettled(lacking)
    asked = _Asked(laid, width, height, focal_hint, principal, bend, rectangles, level, exact)
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
        clearly_better = (
            isinstance(more, Lens)
            and abs(more.bend[1]) > TOLD_BEND * more.bend_sigma[1]
            and more.fit_px < lens.fit_px
        )
        if isinstance(more, Lens) and clearly_better:
            lens = replace(more, held=held)
    return asked.eased(lens) if isinstance(lens, Lens) else lens


def _sides(shape: Rectangle) -> list[tuple[str, tuple[Point, Point]]]:
    """A rectangle's four sides as traces, in order round it."""
    p, (a, b) = shape.points, shape.headings
    return [(h, (p[i], p[(i + 1) % 4])) for i, h in enumerate((a, b, a, b))]


def _many_points(laid: TraceSet) -> bool:
    return int((np.diff(laid.starts) - 2).clip(0).sum()) >= 3


class _Asked:
    """One sighting's question, to be put with more or less left free."""

    def __init__(
        self,
        laid: TraceSet,
        width: int,
        height: int,
        hint: tuple[float, float] | None,
        principal: Literal["solve"] | Point | None,
        bend: Literal["solve"] | tuple[float, float] | None,
        rectangles: Sequence[Rectangle],
        level: bool,
        exact: bool,
    ) -> None:
        self.laid, self.width, self.height = laid, width, height
        self.size = max(width, height) / 2
        count = PARAMETERS + len(laid.bearings)
        self.prior, self.relative = np.zeros(count), np.zeros(count)
        exact = exact or (principal is not None and principal != "solve")
        self.open_centre = not exact and principal is None
        # traces of more points show their bending themselves
        self.open_bend = not exact and bend is None and bool((np.diff(laid.starts) == 2).all())
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
        free += self._turns()
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

    def _turns(self) -> list[int]:
        """The parameters of bearings that a trusted trace belongs to."""
        trusted = set(self.laid.heading[self.laid.trust > 0].tolist())
        return [5 + h for h in sorted(trusted) if h > 2]

    def eased(self, lens: Lens) -> Lens:
        """The camera with the principal point, and the bending if it too is unknown, let go as far
        as photographs' usually are, where the traces agree clearly better then; or the same."""
        spare = int((lens.kept > 0).sum()) - 4 - len(self._turns())
        if not self.open_centre or spare < EASED_SPARE:
            return lens
        bend = HELD_BEND * (self.size / lens.focal_px) ** 2
        self.relative[4:6] = HELD_CENTRE * 2 * self.size
        self.relative[6] = bend if self.open_bend else 0.0
        free = [0, 1, 2, 3, 4, 5, *([6] if self.open_bend else []), *self._turns()]
        needed = EASED + EASED_FEW / (spare - 3)
        if self._hoped_for(lens, free, spare) < HOPED * needed:
            return lens
        new = self._once(np.array(free), lens)
        if isinstance(new, Unsettled):
            return lens
        variance = max(new.sigma_px, LEAST_SIGMA_PX) ** 2
        before, after = (
            np.minimum(self.laid.trust * x.misfits**2, GROSS * variance)[new.kept > 0].sum()
            for x in (lens, new)
        )
        off = np.square(np.subtract(new.centre, [self.width / 2, self.height / 2])).sum()
        usual = off / (HELD_CENTRE * 2 * self.size) ** 2 + (new.bend[0] / HELD_BEND) ** 2
        if (before - after) / variance - usual < needed:
            return lens
        return replace(
            new, bend=(0.0, 0.0), bend_sigma=(0.0, 0.0), freed=False, small_bend=new.bend[0],
            held=lens.held,
        )  # fmt: skip

    def _hoped_for(self, lens: Lens, free: list[int], spare: int) -> float:
        """About how much letting parameters go would take off the squared misfits, in their
        variance, from how the loss slopes where they are held (Rao's score test)."""
        inner = np.array([lens.centre[0] - self.width / 2, lens.centre[1] - self.height / 2, 0, 0])
        information, slope, loss = slope_at(
            self.laid, math.log(lens.focal_px), lens.rotation, inner, self.size,
            (self.corners, self.sides, self.log_aspect, self.rect_trust), lens.turns,
            judge.LOSS_WIDTH_PX,
        )  # fmt: skip
        known = [lens.sigma_px**2 / r**2 if (r := self.relative[p]) > 0 else 0.0 for p in free]
        rows = np.array(free)[:, None]
        inside = information[rows, free] + np.diag(known)
        drop = float(slope[free] @ np.linalg.lstsq(inside, slope[free], rcond=1e-12)[0])
        left = max((loss - drop) / max(spare - 3, 1), LEAST_SIGMA_PX**2)
        return drop / left

    def _once(self, free: Indices, begin: Lens | None = None) -> Lens | Unsettled:
        """begin: a camera to start from."""
        laid = self.laid
        observed = Observed(
            laid.points, laid.starts, laid.heading, laid.trust, self.corners, self.sides,
            self.log_aspect, self.rect_trust, self.size, self.farthest(),
        )  # fmt: skip
        start = None
        if begin is not None:
            start = Estimate(
                math.log(begin.focal_px), begin.rotation, np.zeros(2), np.zeros(2), begin.turns
            )
        sound, at, kept, covariance, misfits, sigma, jac = judge.judged(
            observed, self.prior, self.relative, free, start
        )
        log_focal, rotation, turns = at.log_focal, at.R, at.turns
        inner = np.concatenate([at.c, at.k])
        if not sound or covariance[0, 0] > OPEN_FOCAL**2 or log_focal > LONGEST_LOG_FOCAL:
            return Unsettled(open_reason(laid, rotation))
        focal = math.exp(log_focal)
        plain = not ((free >= 4) & (free < PARAMETERS)).any()
        if plain and not self.prior[6] and not self.prior[7]:
            bend, bend_sigma = (0.0, 0.0), (0.0, 0.0)
        else:
            bend, bend_sigma = _outward(inner[2:], covariance, focal / self.size)
        agreeing = misfits[kept > 0]
        held = self._held(free, log_focal, rotation, inner, turns, kept, sigma)
        fit = math.sqrt(float(agreeing @ agreeing) / len(agreeing))
        return Lens(
            focal, rotation, covariance + held, covariance, fit,
            misfits, kept, jac, sigma, self.width, self.height,
            (self.width / 2 + float(inner[0]), self.height / 2 + float(inner[1])),
            bend, bend_sigma, laid, 4 in free, turns=turns,
        )  # fmt: skip

    def _held(
        self, free: Indices, log_focal: float, rotation: Floats, inner: Floats, turns: Floats,
        kept: Floats, sigma: float,
    ) -> Floats:  # fmt: skip
        """What it adds to the covariance (P, P) that the principal point and the bending were
        held and need not be there: their usual spread, through the solution's derivatives."""
        ratio = (self.size / math.exp(log_focal)) ** 2
        usual = {}
        if self.open_centre and 4 not in free:
            usual = {4: HELD_CENTRE * 2 * self.size, 5: HELD_CENTRE * 2 * self.size}
        if self.open_bend and 6 not in free:
            usual[6] = HELD_BEND * ratio
        count = PARAMETERS + len(turns)
        out = np.zeros((count, count))
        if not usual:
            return out
        held, spread = np.array(list(usual)), np.diag(np.square(list(usual.values())))
        information = slope_at(
            replace(self.laid, trust=kept), log_focal, rotation, inner, self.size,
            (self.corners, self.sides, self.log_aspect, self.rect_trust), turns,
        )[0] / sigma**2  # fmt: skip
        known = [1 / self.relative[p] ** 2 if self.relative[p] > 0 else 0.0 for p in free]
        rows = free[:, None]
        inside = information[rows, free] + np.diag(known)
        follows = -np.linalg.lstsq(inside, information[rows, held], rcond=1e-12)[0]
        out[rows, free] = follows @ spread @ follows.T
        out[rows, held] = follows @ spread
        out[held[:, None], free] = spread @ follows.T
        out[held[:, None], held] = spread
        return out


def _outward(inner: Floats, covariance: Floats, ratio: float) -> tuple[Point, Point]:
    """Bending terms on coordinates normalised by the focal length, and their sigmas, from those
    on half longer sides; ratio is focal length over half the longer side."""
    out, sigmas = [], []
    for i, power in ((0, 2), (1, 4)):
        value = float(inner[i]) * ratio**power
        g = np.zeros(len(covariance))
        g[0], g[6 + i] = power * value, ratio**power
        out.append(value)
        sigmas.append(math.sqrt(max(float(g @ covariance @ g), 0.0)))
    return (out[0], out[1]), (sigmas[0], sigmas[1])
