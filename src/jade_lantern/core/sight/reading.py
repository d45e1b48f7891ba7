"""The sighting as people read it: every number with its uncertainty, and what is said of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..camera import Camera
from ..refusal import Refusal
from ..scene.model import Scene, Sighting
from ..value import Point2, Value
from .corner import meeting
from .heading import HeadingReading, counted, headings_of, ways_in
from .lens import Lens, Unsettled
from .measure import Placement, TapeReading, placed, placement, unit_camera
from .partial import partly
from .rectangle import measured_aspect
from .sighted import lens_of
from .verdict import Verdict, next_step, odd_numbers, verdict_of


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


class CameraReading(Value):
    """A camera as it travels. position is in eye heights while zero or size is open."""

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
            **_in_part(sighting, plate.width, plate.height),
            traces=tuple(TraceReading(t.id, None, False) for t in sighting.traces),
            headings=tuple(counted(h, sighting) for h in ways_in(sighting)),
            corners=_corners(sighting),
        )
    if plate.awaited:  # it is what was chosen: there is no picture that it could be wrong for
        certain = np.zeros_like(lens.covariance)
        lens = replace(lens, covariance=certain, noise=certain)
    trouble: str | None = None
    where: Placement | None = None
    try:
        where = placement(lens, sighting)
    except Refusal as error:
        trouble = str(error)
    n = lens.numbers
    headings = headings_of(lens)
    verdict, reason = verdict_of(lens, sighting, headings)
    if plate.awaited and sighting.given is None:
        verdict, reason = "Fair", "Chosen, not found: there is no picture to find it in yet."
    odd = odd_numbers(lens, where)
    share = lens.focal_sigma / lens.focal_px
    mm, focal = lens.focal_35mm, lens.focal_px
    bent = lens.bend != (0.0, 0.0)
    settled = where is not None and not bent
    by = plate.flattened
    return Reading(
        verdict=verdict,
        reason=" ".join([reason, *odd, lens.held]).strip(),
        next_step=trouble or next_step(lens, sighting, verdict, headings, where),
        focal_px=Measured(value=focal, sigma=share * focal),
        focal_35mm=Measured(value=mm, sigma=share * mm),
        tilt_deg=Measured(value=n[0], sigma=n[3]),
        roll_deg=Measured(value=n[1], sigma=n[4]),
        yaw_deg=Measured(value=n[2], sigma=n[5]),
        eye_height_m=Measured(value=where.eye_height_m, sigma=where.eye_height_sigma_m)
        if where
        else None,
        fit_px=lens.fit_px if sighting.by_eye is None and sighting.given is None else None,
        horizon=(n[6], n[7], n[8]),
        horizon_sigma_px=n[9],
        principal=lens.centre,
        principal_sigma_px=lens.centre_sigma if lens.freed else None,
        bend=_bend(lens)
        if bent
        else None
        if by is None
        else BendReading(k1=by.bend.k1, k2=by.bend.k2, k1_sigma=0, k2_sigma=0, flat=True),
        camera=camera_reading(placed(lens, where) if where else unit_camera(lens)),
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
            for t, r in zip(sighting.tapes, where.tapes, strict=True)
        )
        if where
        else (),
        lengths_disagree=where is not None and where.lengths_disagree,
        eye_off_m=where.eye.off_m if where and where.eye else None,
        distance=_tape("distance", where.distance) if where else None,
    )


def _in_part(sighting: Sighting, width: int, height: int) -> dict[str, Any]:
    """What traces tell while there is no camera: tilt, roll, horizon, and a camera to draw a grid
    by, its focal length being only a usual one."""
    lens = partly(sighting, width, height) if sighting.traces else None
    if lens is None:
        return {}
    n = lens.numbers
    return {
        "tilt_deg": Measured(value=n[0], sigma=n[3]),
        "roll_deg": Measured(value=n[1], sigma=n[4]),
        "horizon": (n[6], n[7], n[8]),
        "horizon_sigma_px": n[9],
        "camera": camera_reading(unit_camera(lens)),
    }


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
