"""Traces to camera: from any start-less set, with the uncertainty of everything it says."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..camera import focal_35mm, tilt_roll_yaw
from ..refusal import Refusal
from ..scene.model import Scene, Sighting
from . import judge, kernel
from .lines import Lines, reduced

Array = NDArray[np.float64]

LONGEST_LOG_FOCAL = 13.8  # px; past this the picture has no perspective to go by
OPEN_FOCAL = 0.25  # a focal length less certain than this is not given as a number


@dataclass(frozen=True)
class Lens:
    """What the traces say of the camera, all but where it stands.

    covariance: (4, 4) of log focal and the rotation vector (radians, camera axes).
    misfits: (T,) px, one a trace. disagrees: (T,) whether it was left out as grossly wrong.
    """

    focal_px: float
    rotation: Array
    covariance: Array
    fit_px: float
    misfits: Array
    disagrees: NDArray[np.bool_]
    width: int
    height: int

    @property
    def focal_sigma(self) -> float:
        return float(self.focal_px * np.sqrt(self.covariance[0, 0]))

    @property
    def focal_35mm(self) -> float:
        return focal_35mm(self.focal_px, self.width, self.height)

    def angles(self) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
        """Tilt, roll and yaw in degrees, and their standard deviations."""
        up, forward = self.rotation[:, 1], -self.rotation[2]
        # a small turn w of the camera moves a column c of the rotation by w x c
        level = max(float(np.hypot(up[0], up[1])), 1e-9)
        tilt = np.array([up[1], -up[0], 0.0]) / level
        roll = np.array([-up[0] * up[2], -up[1] * up[2], level**2]) / level**2
        across, back = self.rotation[:, 0], self.rotation[:, 2]
        flat = max(float(forward[0] ** 2 + forward[2] ** 2), 1e-12)
        fx = np.array([-across[1], across[0], 0.0])
        fz = np.array([-back[1], back[0], 0.0])
        yaw = (forward[0] * fz - forward[2] * fx) / flat
        turns = self.covariance[1:, 1:]
        s = [float(np.degrees(np.sqrt(g @ turns @ g))) for g in (tilt, roll, yaw)]
        return tilt_roll_yaw(self.rotation), (s[0], s[1], s[2])


@dataclass(frozen=True)
class Unsettled:
    """What is open, in words, where the traces do not carry a camera."""

    reason: str


_recent: OrderedDict[int, tuple[Sighting, int, int, Lens | Unsettled]] = OrderedDict()
RECENT = 64


def lens_of(sighting: Sighting, width: int, height: int) -> Lens | Unsettled:
    """The camera that a sighting's traces carry, or what is missing.

    Remembered for the last few sightings, by which value it is and not by what is in it: a scene
    whose sighting has not changed holds the very same one, and asking costs nothing.
    """
    known = _recent.get(id(sighting))
    if known and known[0] is sighting and known[1:3] == (width, height):
        return known[3]
    hint = (sighting.focal.value, sighting.focal.sigma) if sighting.focal else None
    answer = solve([(t.heading, t.points) for t in sighting.traces], width, height, hint)
    _recent[id(sighting)] = (sighting, width, height, answer)
    while len(_recent) > RECENT:
        _recent.popitem(last=False)
    return answer


def lens_of_scene(scene: Scene) -> Lens | Unsettled:
    return lens_of(scene.sighting, scene.plate.width, scene.plate.height)


def solve(
    traces: Sequence[tuple[str, Sequence[tuple[float, float]]]],
    width: int,
    height: int,
    focal_hint: tuple[float, float] | None = None,
) -> Lens | Unsettled:
    """Solve focal length and rotation from traced edges.

    traces: (heading, points) with heading one of across, up, away and points in pixels.
    focal_hint: a known focal length and its standard deviation, px; a deviation of 0 fixes it.
    Raises Refusal for a trace of no length.
    """
    lines = reduced(traces, (width / 2, height / 2))
    if lines.spread.min(initial=1.0) < 1e-6:
        raise Refusal(f"Trace {int(np.argmin(lines.spread)) + 1} has no length.")
    missing = _missing(lines, focal_hint is not None)
    if missing:
        return Unsettled(missing)
    hint, relative = 0.0, 0.0
    if focal_hint is not None:
        if focal_hint[0] <= 0:
            raise Refusal("A focal length must be more than zero.")
        hint = float(np.log(focal_hint[0]))
        relative = max(focal_hint[1] / focal_hint[0], 1e-6)
    sound, log_focal, rotation, kept, covariance, misfits = judge.judged(
        lines.middle, lines.along, lines.spread, lines.count, lines.bend, lines.heading,
        max(width, height) / 2, hint, relative,
    )  # fmt: skip
    if not sound or covariance[0, 0] > OPEN_FOCAL**2 or log_focal > LONGEST_LOG_FOCAL:
        return Unsettled(_open_reason(lines, rotation))
    agreeing = misfits[kept > 0]
    return Lens(
        math.exp(log_focal), _signed(rotation), covariance,
        math.sqrt(float(agreeing @ agreeing) / len(agreeing)), misfits, kept == 0, width, height,
    )  # fmt: skip


def _missing(lines: Lines, focal_known: bool) -> str | None:
    """Words for a set of traces too small to say anything, or None."""
    counts = np.bincount(lines.heading, minlength=3).tolist()
    used = sum(c > 0 for c in counts)
    if sum(counts) == 0:
        return (
            "Nothing is traced yet. Choose a heading below and draw along two edges that run that "
            "way; then do the same for a second heading."
        )
    if used == 1:
        return (
            "All traces run one way. One heading alone cannot tell where the camera looks: "
            "trace edges of a second heading."
        )
    if sum(counts) < (3 if focal_known else 4):
        return "One more trace is needed before a camera can be found."
    if not focal_known and sum(c >= 2 for c in counts) < 2:
        return "Two headings need two traces each before the focal length can be found."
    return None


def _signed(rotation: Array) -> Array:
    """Choose the signs: Up is up in the picture, Away goes into it, the frame is right-handed."""
    up, back = rotation[:, 1], rotation[:, 2]
    up = up if up[1] >= 0 else -up
    back = back if back[2] >= 0 else -back
    out: Array = np.stack([kernel.cross(up, back), up, back], axis=1)
    return out


def _open_reason(lines: Lines, rotation: Array) -> str:
    """Why the focal length stays open, in words."""
    names = {0: "Across", 1: "Up", 2: "Away"}
    counts = [int((lines.heading == h).sum()) for h in range(3)]
    flat = [names[h] for h in range(3) if counts[h] >= 2 and abs(rotation[2, h]) < 0.06]
    if flat:
        return (
            f"{' and '.join(flat)} traces run parallel in the picture, so the focal length stays "
            "open: trace a third heading, or give a focal length."
        )
    thin = [names[h] for h in range(3) if 0 < counts[h] < 3]
    where = f" ({' and '.join(thin)})" if thin else ""
    return (
        f"These traces leave the focal length open: add longer ones, further apart{where}, "
        "or give a focal length."
    )
