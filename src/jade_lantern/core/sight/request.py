"""One sighting asked for and answered as JSON, for pipelines."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..refusal import Refusal
from ..scene.document import plainly
from ..scene.model import FocalHint, Heading, Length, Number, Point2, Sighting, Tape, Trace
from .measure import stand
from .reading import headings_of, verdict_of, weakest
from .solve import Unsettled, lens_of


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class ImageSize(_Part):
    width: Annotated[int, Field(ge=2, le=1_000_000)]
    height: Annotated[int, Field(ge=2, le=1_000_000)]


class AskedTrace(_Part):
    heading: Heading
    points: Annotated[list[tuple[Number, Number]], Field(min_length=2)]


class AskedTape(_Part):
    points: tuple[Point2, Point2]
    length_m: Length
    on: Literal["ground"] = "ground"


class Request(_Part):
    image: ImageSize
    traces: list[AskedTrace]
    focal_px: FocalHint | None = None
    datum: Point2 | None = None
    eye_height_m: Length | None = None
    tapes: list[AskedTape] = []


def answered(request: Any) -> dict[str, Any]:
    """The answer to one request, or {"error": why} in words; never an exception."""
    try:
        return _answer(Request.model_validate(request))
    except ValidationError as error:
        return {"error": plainly(error)}
    except Refusal as error:
        return {"error": str(error)}


def _answer(asked: Request) -> dict[str, Any]:
    width, height = asked.image.width, asked.image.height
    sighting = Sighting.model_construct(
        traces=tuple(
            Trace.model_construct(id=f"trace-{i}", heading=t.heading, points=tuple(t.points))
            for i, t in enumerate(asked.traces, 1)
        ),
        datum=asked.datum,
        eye_height_m=asked.eye_height_m,
        tapes=tuple(
            Tape(id=f"tape-{i}", points=t.points, length_m=t.length_m)
            for i, t in enumerate(asked.tapes, 1)
        ),
        focal=asked.focal_px,
        locked=False,
    )
    _check_apart(sighting)
    lens = lens_of(sighting, width, height)
    if isinstance(lens, Unsettled):
        raise Refusal(lens.reason)
    standing = stand(lens, sighting)
    (tilt, roll, _), _ = lens.angles()
    return {
        "focal_px": lens.focal_px,
        "focal_px_sigma": lens.focal_sigma,
        "focal_35mm": lens.focal_35mm,
        "principal_point": [width / 2, height / 2],
        "rotation": lens.rotation.tolist(),
        "position": standing.position.tolist() if standing else None,
        "tilt_deg": tilt,
        "roll_deg": roll,
        "fit_px": lens.fit_px,
        "verdict": verdict_of(lens, sighting, *weakest(headings_of(sighting, lens)))[0],
        "traces": [
            {"misfit_px": float(m), "disagrees": bool(d)}
            for m, d in zip(lens.misfits, lens.disagrees, strict=True)
        ],
    }


def _check_apart(sighting: Sighting) -> None:
    """Refuse traces of no length, and two that lie on top of each other."""
    ends = [np.array([t.points[0], t.points[-1]]) for t in sighting.traces]
    for i, a in enumerate(ends):
        if float(np.abs(a[1] - a[0]).max()) < 1e-6:
            raise Refusal(f"Trace {i + 1} has no length.")
        for j, b in enumerate(ends[:i]):
            if min(np.abs(a - b).max(), np.abs(a - b[::-1]).max()) < 1e-6:
                raise Refusal(f"Traces {j + 1} and {i + 1} lie on top of each other.")
