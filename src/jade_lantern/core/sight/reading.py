"""The sighting as people read it: numbers with their uncertainty, a verdict with its reason."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ..camera import Camera
from ..refusal import Refusal
from ..scene.model import Heading, Scene, Sighting
from ..value import Point2, Value
from .corner import meeting
from .lines import HEADING_INDEX
from .measure import Placement, TapeReading, placed, placement, unit_camera
from .rectangle import measured_aspect
from .solve import NAMES, Lens, Unsettled, lens_of

Verdict = Literal["Open", "Rough", "Fair", "True"]

FEW = 0.4  # a heading weaker than this is pointed out
ORDER: tuple[Heading, ...] = ("across", "up", "away")
WIDE_MM, LONG_MM, WIDE_PORTRAIT_MM = 14.0, 200.0, 20.0
LOW_EYE_M, HIGH_EYE_M = 0.3, 3.5


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


class RectangleReading(Value):
    """How far its worst side misses, and the proportions that the camera sees in it."""

    id: str
    misfit_px: float
    disagrees: bool
    aspect: float


class CornerReading(Value):
    """Where the two traces of a corner meet, px; None where they no longer do."""

    id: str
    at: Point2 | None


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
    """A camera, camera_reading out. position is in eye heights while zero or size is open."""

    width: int
    height: int
    focal_px: float
    cx: float
    cy: float
    rotation: tuple[tuple[float, float, float], ...]
    position: tuple[float, float, float]


class BendReading(Value):
    """The lens's bending; flat says that the plate has been flattened by it."""

    k1: float
    k2: float
    k1_sigma: float
    k2_sigma: float
    flat: bool


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
    horizon_sigma_px: float | None = None
    principal: Point2 | None = None
    principal_sigma_px: Point2 | None = None
    bend: BendReading | None = None
    camera: CameraReading | None = None
    settled: bool = False
    by_eye: bool = False
    trouble: str | None = None
    odd: tuple[str, ...] = ()
    traces: tuple[TraceReading, ...] = ()
    rectangles: tuple[RectangleReading, ...] = ()
    corners: tuple[CornerReading, ...] = ()
    headings: tuple[HeadingReading, ...] = ()
    tapes: tuple[TapeRead, ...] = ()
    lengths_disagree: bool = False
    eye_off_m: float | None = None
    distance: TapeRead | None = None


def camera_reading(camera: Camera) -> CameraReading:
    (a, b, c), (x, y, z) = camera.rotation.tolist(), camera.position.tolist()
    return CameraReading(
        width=camera.width, height=camera.height, focal_px=camera.focal_px,
        cx=camera.cx, cy=camera.cy, rotation=(tuple(a), tuple(b), tuple(c)), position=(x, y, z),
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
            traces=tuple(TraceReading(t.id, None, False) for t in sighting.traces),
            headings=tuple(_counted(h, sighting) for h in ORDER),
            corners=_corners(sighting),
        )
    trouble: str | None = None
    standing: Placement | None = None
    try:
        standing = placement(lens, sighting)
    except Refusal as error:
        trouble = str(error)
    n = lens.numbers
    headings = headings_of(lens)
    verdict, reason = verdict_of(lens, sighting, headings)
    odd = odd_numbers(lens, standing)
    share = lens.focal_sigma / lens.focal_px
    mm, focal = lens.focal_35mm, lens.focal_px
    freed = lens.covariance[4, 4] > 0
    bent = lens.bend != (0.0, 0.0)
    settled = standing is not None and not bent
    by = plate.flattened
    return Reading(
        verdict=verdict,
        reason=" ".join([reason, *odd, lens.held]).strip(),
        next_step=trouble or _next_step(lens, sighting, verdict, headings, standing),
        focal_px=Measured(value=focal, sigma=share * focal),
        focal_35mm=Measured(value=mm, sigma=share * mm),
        tilt_deg=Measured(value=n[0], sigma=n[3]),
        roll_deg=Measured(value=n[1], sigma=n[4]),
        yaw_deg=Measured(value=n[2], sigma=n[5]),
        eye_height_m=Measured(value=standing.eye_height_m, sigma=standing.eye_height_sigma_m)
        if standing
        else None,
        fit_px=lens.fit_px if sighting.by_eye is None else None,
        horizon=(n[6], n[7], n[8]),
        horizon_sigma_px=n[9],
        principal=lens.centre,
        principal_sigma_px=lens.centre_sigma if freed else None,
        bend=_bend(lens)
        if bent
        else None
        if by is None
        else BendReading(k1=by.bend.k1, k2=by.bend.k2, k1_sigma=0, k2_sigma=0, flat=True),
        camera=camera_reading(placed(lens, standing) if standing else unit_camera(lens)),
        settled=settled,
        by_eye=sighting.by_eye is not None,
        trouble=trouble,
        odd=tuple(odd),
        traces=_traces(lens, sighting),
        rectangles=tuple(_rectangles(lens, sighting)) if sighting.rectangles else (),
        corners=_corners(sighting),
        headings=headings,
        tapes=tuple(
            TapeRead(id=t.id, measured_m=r.measured_m, off_m=r.off_m)
            for t, r in zip(sighting.tapes, standing.tapes, strict=True)
        )
        if standing
        else (),
        lengths_disagree=standing is not None and standing.lengths_disagree,
        eye_off_m=standing.eye.off_m if standing and standing.eye else None,
        distance=_tape("distance", standing.distance) if standing else None,
    )


def _tape(id: str, read: TapeReading | None) -> TapeRead | None:
    return TapeRead(id=id, measured_m=read.measured_m, off_m=read.off_m) if read else None


def _bend(lens: Lens) -> BendReading:
    (k1, k2), (s1, s2) = lens.bend, lens.bend_sigma
    return BendReading(k1=k1, k2=k2, k1_sigma=s1, k2_sigma=s2, flat=False)


def _traces(lens: Lens, sighting: Sighting) -> tuple[TraceReading, ...]:
    if lens.laid is None:
        return tuple(TraceReading(t.id, None, False) for t in sighting.traces)
    misfits, disagrees = lens.misfits.tolist(), lens.disagrees.tolist()
    return tuple(
        TraceReading(t.id, misfits[i], disagrees[i]) for i, t in enumerate(sighting.traces)
    )


def _rectangles(lens: Lens, sighting: Sighting) -> list[RectangleReading]:
    out = []
    for i, shape in enumerate(sighting.rectangles):
        first = len(sighting.traces) + 4 * i
        sides = slice(first, first + 4)
        out.append(
            RectangleReading(
                id=shape.id,
                misfit_px=float(lens.misfits[sides].max(initial=0.0)),
                disagrees=bool(lens.disagrees[sides].any()),
                aspect=measured_aspect(lens, shape),
            )
        )
    return out


def _corners(sighting: Sighting) -> tuple[CornerReading, ...]:
    out = []
    for corner in sighting.corners:
        try:
            at: Point2 | None = meeting(sighting, corner.traces)
        except Refusal:
            at = None
        out.append(CornerReading(id=corner.id, at=at))
    return tuple(out)


def _counted(heading: Heading, sighting: Sighting) -> HeadingReading:
    """A heading while there is no camera."""
    count = sum(t.heading == heading for t in sighting.traces)
    count += sum(2 for r in sighting.rectangles if heading in r.headings)
    return HeadingReading(
        heading=heading, count=count, fit_px=None, strength=min(count / 6, 0.5), vanishing=None
    )


def headings_of(lens: Lens) -> tuple[HeadingReading, ...]:
    """Each heading's reading, Across, Up and Away."""
    return tuple(_heading(h, lens) for h in ORDER)


def _heading(heading: Heading, lens: Lens) -> HeadingReading:
    count, fit, strength, x, y, w = lens.headings[HEADING_INDEX[heading]]
    if not count:
        return HeadingReading(heading=heading, count=0, fit_px=None, strength=0, vanishing=None)
    return HeadingReading(
        heading=heading, count=int(count), fit_px=fit, strength=strength, vanishing=(x, y, w)
    )


def verdict_of(
    lens: Lens, sighting: Sighting, headings: tuple[HeadingReading, ...]
) -> tuple[Verdict, str]:
    """The verdict and its reason."""
    if sighting.by_eye is not None:
        return "Rough", "Set by eye: nothing in the picture holds it. Check with grid and figures."
    share = lens.focal_sigma / lens.focal_px
    scale = max(lens.width, lens.height) / 1920
    fit = lens.fit_px / max(scale, 0.25)
    weak, strength = weakest(headings)
    gross = int(lens.disagrees.sum())
    note = ""
    if gross:
        which = f"{gross} edges disagree" if gross > 1 else "One edge disagrees"
        left = "were" if gross > 1 else "was"
        note = f"{which} with the rest and {left} left out. "
    if share > 0.06:
        return "Rough", (
            f"{note}The focal length is not known well, ± {share:.0%}; {weak} is the weak one."
        )
    if fit > 4:
        return "Rough", (
            f"{note}The traces disagree by {lens.fit_px:.1f} px: see under Trust what each two "
            "headings say, and trust some less; or the picture is cropped or bent: see under Lens."
        )
    absent = [NAMES[h.heading] for h in headings if not h.count]
    if absent and share <= 0.02 and fit <= 1.6:
        return "Fair", f"{note}Nothing is traced along {absent[0]}, so nothing checks the rest."
    if share > 0.02 or fit > 1.6:
        return "Fair", f"{note}Good enough to block; {weak} is the weak one."
    if strength < FEW:
        return "True", f"{note}The numbers are well pinned down, but {weak} rests on little."
    return "True", f"{note}Every heading is well pinned down."


def weakest(headings: tuple[HeadingReading, ...]) -> tuple[str, float]:
    """The name and strength of the heading that is pinned down least."""
    least = min((h for h in headings if h.count), key=lambda h: h.strength, default=None)
    return (NAMES[least.heading], least.strength) if least else ("Across", 0.0)


def odd_numbers(lens: Lens, standing: Placement | None) -> list[str]:
    """Words for numbers that are out of the ordinary."""
    mm, out = lens.focal_35mm, []
    if lens.height > lens.width and WIDE_MM <= mm < WIDE_PORTRAIT_MM:
        out.append(f"A focal length of {mm:.0f} mm is very wide for an upright picture.")
    if mm < WIDE_MM:
        out.append(f"A focal length of {mm:.0f} mm is extremely wide: check the headings.")
    if mm > LONG_MM:
        out.append(f"A focal length of {mm:.0f} mm is very long: check the headings.")
    if standing and not LOW_EYE_M <= standing.eye_height_m <= HIGH_EYE_M:
        which = "low" if standing.eye_height_m < LOW_EYE_M else "high"
        out.append(
            f"An eye height of {standing.eye_height_m:.2f} m is {which}: check the known lengths."
        )
    if abs(lens.numbers[1]) > 12:
        out.append(f"A roll of {abs(lens.numbers[1]):.0f}° is large.")
    return out


def _next_step(
    lens: Lens,
    sighting: Sighting,
    verdict: Verdict,
    headings: tuple[HeadingReading, ...],
    standing: Placement | None,
) -> str:
    if lens.disagrees.any():
        return "Look at what is marked first in the list: it disagrees with all the others."
    if lens.bend != (0.0, 0.0):
        return "The lens bends the picture. Flatten the plate before going on."
    if sighting.datum is None:
        return "Pick the datum: a corner on the ground that becomes the world's zero."
    if not (sighting.eye_height_m or sighting.distance_m or sighting.tapes):
        return "Give the size: an eye height, a distance, or a tape along a length you know."
    if standing is not None and standing.lengths_disagree and not sighting.locked:
        return (
            "The known lengths do not agree with each other: see under Zero and size which is off."
        )
    if verdict == "Rough" and sighting.by_eye is None:
        return f"{weakest(headings)[0]} is the weak one. Add a long edge far from its others."
    if not sighting.locked:
        return "Check with the grid and the test box; then lock the sighting and go on to Block."
    return "Locked. On to Block."
