"""The sighting as people read it: numbers with their uncertainty, a verdict with its reason."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ..camera import Camera
from ..refusal import Refusal
from ..scene.model import Heading, Scene, Sighting, Value
from .lines import HEADINGS
from .measure import Standing, horizon, placed, stand, unit_camera
from .solve import Lens, Unsettled, lens_of

Verdict = Literal["Open", "Rough", "Fair", "True"]

FEW = 0.4  # a heading weaker than this is pointed out
_ORDER: tuple[Heading, ...] = ("across", "up", "away")
NAMES = {"across": "Across", "up": "Up", "away": "Away"}


class Measured(Value):
    """A number and its standard deviation."""

    value: float
    sigma: float


@dataclass(slots=True)
class TraceReading:
    """Plain, because a try makes one for every trace."""

    id: str
    misfit_px: float | None
    disagrees: bool


class TapeRead(Value):
    id: str
    measured_m: float
    off_m: float


class HeadingReading(Value):
    """One heading: how many traces, how well they agree, how much they pin down (0 to 1), and
    where they meet, as homogeneous pixels."""

    heading: Heading
    count: int
    fit_px: float | None
    strength: float
    vanishing: tuple[float, float, float] | None


class CameraReading(Value):
    """A camera, written out. position is in eye heights while zero or size is open."""

    width: int
    height: int
    focal_px: float
    cx: float
    cy: float
    rotation: tuple[tuple[float, float, float], ...]
    position: tuple[float, float, float]


class Reading(Value):
    """All that is known of a sighting."""

    verdict: Verdict
    reason: str
    next_step: str
    focal_px: Measured | None = None
    focal_35mm: Measured | None = None
    tilt_deg: Measured | None = None
    roll_deg: Measured | None = None
    yaw_deg: Measured | None = None
    eye_height_m: Measured | None = None
    fit_px: float | None = None
    horizon: tuple[float, float, float] | None = None
    camera: CameraReading | None = None
    settled: bool = False
    trouble: str | None = None
    traces: tuple[TraceReading, ...] = ()
    headings: tuple[HeadingReading, ...] = ()
    tapes: tuple[TapeRead, ...] = ()


def written(camera: Camera) -> CameraReading:
    r = camera.rotation
    return CameraReading(
        width=camera.width, height=camera.height, focal_px=camera.focal_px,
        cx=camera.cx, cy=camera.cy,
        rotation=tuple((float(a), float(b), float(c)) for a, b, c in r),
        position=(float(camera.position[0]), float(camera.position[1]), float(camera.position[2])),
    )  # fmt: skip


def reading(scene: Scene) -> Reading:
    """What the scene's sighting comes to."""
    sighting, plate = scene.sighting, scene.plate
    lens = lens_of(sighting, plate.width, plate.height)
    if isinstance(lens, Unsettled):
        return Reading(
            verdict="Open",
            reason=lens.reason,
            next_step=lens.reason,
            traces=tuple(
                TraceReading(id=t.id, misfit_px=None, disagrees=False) for t in sighting.traces
            ),
            headings=headings_of(sighting, None),
        )
    trouble: str | None = None
    standing: Standing | None = None
    try:
        standing = stand(lens, sighting)
    except Refusal as error:
        trouble = str(error)
    (tilt, roll, yaw), sigmas = lens.angles()
    headings = headings_of(sighting, lens)
    weak, strength = weakest(headings)
    verdict, reason = verdict_of(lens, sighting, weak, strength)
    mm = lens.focal_35mm
    return Reading(
        verdict=verdict,
        reason=reason,
        next_step=trouble or _next_step(lens, sighting, verdict, weak),
        focal_px=Measured(value=lens.focal_px, sigma=lens.focal_sigma),
        focal_35mm=Measured(value=mm, sigma=mm * lens.focal_sigma / lens.focal_px),
        tilt_deg=Measured(value=tilt, sigma=sigmas[0]),
        roll_deg=Measured(value=roll, sigma=sigmas[1]),
        yaw_deg=Measured(value=yaw, sigma=sigmas[2]),
        eye_height_m=Measured(value=standing.eye_height_m, sigma=standing.eye_height_sigma_m)
        if standing
        else None,
        fit_px=lens.fit_px,
        horizon=horizon(lens),
        camera=written(placed(lens, standing) if standing else unit_camera(lens)),
        settled=standing is not None,
        trouble=trouble,
        traces=tuple(
            TraceReading(id=t.id, misfit_px=m, disagrees=d)
            for t, m, d in zip(
                sighting.traces, lens.misfits.tolist(), lens.disagrees.tolist(), strict=True
            )
        ),
        headings=headings,
        tapes=tuple(
            TapeRead(id=t.id, measured_m=r.measured_m, off_m=r.off_m)
            for t, r in zip(sighting.tapes, standing.tapes, strict=True)
        )
        if standing
        else (),
    )


def headings_of(sighting: Sighting, lens: Lens | None) -> tuple[HeadingReading, ...]:
    """Each heading's reading, Across, Up and Away."""
    across, up, away = (_heading(h, sighting, lens) for h in _ORDER)
    return across, up, away


def _heading(heading: Heading, sighting: Sighting, lens: Lens | None) -> HeadingReading:
    mine = [i for i, t in enumerate(sighting.traces) if t.heading == heading]
    fit, vanishing, strength = None, None, min(len(mine) / 3, 1.0) * 0.5
    if lens is not None and mine:
        disagrees, misfits = lens.disagrees.tolist(), lens.misfits.tolist()
        agreeing = [misfits[i] for i in mine if not disagrees[i]] or [misfits[i] for i in mine]
        fit = math.sqrt(sum(r * r for r in agreeing) / len(agreeing))
        column = lens.rotation[:, HEADINGS.index(heading)].tolist()
        f, w = lens.focal_px, -column[2]
        x, y = f * column[0] + lens.width / 2 * w, -f * column[1] + lens.height / 2 * w
        vanishing = (x, y, w)
        strength = _strength(sighting, mine, lens)
    return HeadingReading(
        heading=heading, count=len(mine), fit_px=fit, strength=strength, vanishing=vanishing
    )


def _strength(sighting: Sighting, mine: list[int], lens: Lens) -> float:
    """How well a heading's traces pin their vanishing point down: long ones, spread over the
    picture, give 1; one alone, or several side by side, little."""
    if len(mine) < 2:
        return 0.12
    middles, unit, total = [], (0.0, 0.0), 0.0
    for i in mine:
        (ax, ay), (bx, by) = sighting.traces[i].points[0], sighting.traces[i].points[-1]
        dx, dy = bx - ax, by - ay
        if dx * unit[0] + dy * unit[1] < 0:
            dx, dy = -dx, -dy
        length = math.hypot(dx, dy)
        unit = (unit[0] + dx / length, unit[1] + dy / length)
        total += length
        middles.append(((ax + bx) / 2, (ay + by) / 2))
    across = [(y * unit[0] - x * unit[1]) / len(mine) for x, y in middles]
    spread = max(across) - min(across)
    size = max(lens.width, lens.height)
    strength = 3.4 * math.sqrt(spread * total / len(mine)) / size * math.sqrt(len(mine) / 3)
    return min(max(strength, 0.12), 1.0)


def verdict_of(lens: Lens, sighting: Sighting, weak: str, strength: float) -> tuple[Verdict, str]:
    """The verdict and its reason; weak names the heading that is pinned down least, strength says
    how well that one is."""
    share = lens.focal_sigma / lens.focal_px
    scale = max(lens.width, lens.height) / 1920
    fit = lens.fit_px / max(scale, 0.25)
    bad = [t for t, d in zip(sighting.traces, lens.disagrees, strict=True) if d]
    odd = _odd(lens)
    if bad:
        which = f"{len(bad)} traces disagree" if len(bad) > 1 else "One trace disagrees"
        note = f" {which} with the rest and was left out: look at it."
    else:
        note = odd
    if share > 0.06 or fit > 4:
        why = "The focal length is shaky" if share > 0.06 else "The traces do not agree"
        return "Rough", f"{why}; {weak} is the weak one.{note}"
    if share > 0.02 or fit > 1.6:
        return "Fair", f"Good enough to block; {weak} is the weak one.{note}"
    if strength < FEW:
        return "True", f"The numbers are well pinned down, but {weak} rests on little.{note}"
    return "True", f"Every heading is well pinned down.{note}"


def weakest(headings: Sequence[HeadingReading]) -> tuple[str, float]:
    """The name and strength of the heading that is pinned down least."""
    least = min((h for h in headings if h.count), key=lambda h: h.strength)
    return NAMES[least.heading], least.strength


def _odd(lens: Lens) -> str:
    """Words for a number that is out of the ordinary."""
    mm = lens.focal_35mm
    if mm < 14:
        return f" A focal length of {mm:.0f} mm is extremely wide: check the headings."
    if mm > 200:
        return f" A focal length of {mm:.0f} mm is very long: check the headings."
    return ""


def _next_step(lens: Lens, sighting: Sighting, verdict: Verdict, weak: str) -> str:
    if any(lens.disagrees):
        return "Look at the trace marked first in the list: it disagrees with all the others."
    if sighting.datum is None:
        return "Pick the datum: a corner on the ground that becomes the world's zero."
    if sighting.eye_height_m is None and not sighting.tapes:
        return "Give the size: an eye height, or a tape along a length you know."
    if verdict in ("Open", "Rough"):
        return f"{weak} is the weak one. Add a long edge far from its others."
    if not sighting.locked:
        return "Check with the grid and the test box; then lock the sighting and go on to Block."
    return "Locked. On to Block."
