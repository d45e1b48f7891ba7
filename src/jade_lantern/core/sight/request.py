"""One sighting asked for and answered as JSON, for pipelines."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..picture import read_still
from ..refusal import Refusal
from ..scene.document import plainly
from ..scene.model import FocalHint, Heading, Rectangle, Sighting, Tape, Trace, Way
from ..scene.plate import Bend
from ..value import Length, Number, Point2, Share
from .heading import headings_of
from .lens import NAMES, Lens, Unsettled
from .lines import HEADING_INDEX, HEADINGS, LETTERS
from .look import Look
from .measure import placement
from .rectangle import headings_of_rectangle, in_order
from .sighted import lens_of
from .spread import SPREAD, focal_gains, slopes_at, spread_of_edges
from .verdict import verdict_of, weakest


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class ImageSize(_Part):
    width: Annotated[int, Field(ge=2, le=1_000_000)]
    height: Annotated[int, Field(ge=2, le=1_000_000)]


class AskedTrace(_Part):
    heading: Way
    points: Annotated[list[tuple[Number, Number]], Field(min_length=2, max_length=64)]
    trust: Share = 1.0


class AskedRectangle(_Part):
    """Its headings are found where they are not given."""

    points: tuple[Point2, Point2, Point2, Point2]
    aspect: Annotated[float, Field(gt=0.001, lt=1000)] | None = None
    headings: tuple[Heading, Heading] | None = None


class AskedTape(_Part):
    points: tuple[Point2, Point2]
    length_m: Length
    on: Literal["ground", "up"] = "ground"


class Request(_Part):
    image: ImageSize
    traces: list[AskedTrace] = []
    rectangles: list[AskedRectangle] = []
    focal_px: FocalHint | None = None
    lens: Literal["solve"] | Bend | None = None
    principal_point: Literal["solve"] | Point2 | None = None
    made: Literal["photo", "render"] = "photo"
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


def answered_picture(data: bytes) -> dict[str, Any]:
    """The sighting of a picture from its own edges alone, with those as its traces; or
    {"error": why}."""
    try:
        still = read_still(data)
        look = Look(still.pixels, still.focal_35mm)
        found, sorting = look.found, look.sorting
        lens, which = sorting.lens, sorting.which
        if isinstance(lens, Unsettled):
            raise Refusal(lens.reason)
        chosen = spread_of_edges(
            found, which, lens.rotation, lens.focal_px, SPREAD, lens.centre, sorting.bearings
        )
        ways: tuple[Way, ...] = (*HEADINGS, *LETTERS)
        traces = [
            AskedTrace(heading=ways[which[i]], points=found.ends[i].reshape(2, 2).tolist())
            for i in chosen
        ]
        size = ImageSize(width=still.width, height=still.height)
        centre = "solve" if lens.freed else None
        out = _answer(Request(image=size, traces=traces, principal_point=centre))
    except Refusal as error:
        return {"error": str(error)}
    for trace, read in zip(traces, out["traces"], strict=True):
        read |= {"heading": trace.heading, "points": trace.points}
    return out


def _answer(asked: Request) -> dict[str, Any]:
    width, height = asked.image.width, asked.image.height
    sighting = Sighting.model_construct(
        traces=tuple(
            Trace.model_construct(
                id=f"trace-{i}", heading=t.heading, points=tuple(t.points), trust=t.trust
            )
            for i, t in enumerate(asked.traces, 1)
        ),
        rectangles=(), trust=(), by_eye=None, level=False, backward=False, made=asked.made,
        datum=asked.datum, datum_level_m=0.0, distance_m=None,
        eye_height_m=asked.eye_height_m,
        tapes=tuple(
            Tape(id=f"tape-{i}", points=t.points, length_m=t.length_m, on=t.on)
            for i, t in enumerate(asked.tapes, 1)
        ),
        focal=asked.focal_px,
        principal=asked.principal_point,
        bend=asked.lens,
        locked=False,
    )  # fmt: skip
    _check_apart(sighting)
    for i, r in enumerate(asked.rectangles, 1):
        points = r.points if r.headings else in_order(r.points)
        ways = r.headings or headings_of_rectangle(points, r.aspect, sighting, width, height)
        shape = Rectangle(id=f"rectangle-{i}", headings=ways, points=points, aspect=r.aspect)
        sighting = sighting.model_copy(update={"rectangles": (*sighting.rectangles, shape)})
    lens = lens_of(sighting, width, height)
    if isinstance(lens, Unsettled):
        raise Refusal(lens.reason)
    standing = placement(lens, sighting)
    (tilt, roll, _), (tilt_sigma, roll_sigma, _) = lens.angles()
    (k1, k2), (k1_sigma, k2_sigma) = lens.bend, lens.bend_sigma
    headings = headings_of(lens)
    return {
        "focal_px": lens.focal_px,
        "focal_px_sigma": lens.focal_sigma,
        "focal_35mm": lens.focal_35mm,
        "principal_point": list(lens.centre),
        "principal_point_sigma": list(lens.centre_sigma),
        "lens": {"k1": k1, "k2": k2, "k1_sigma": k1_sigma, "k2_sigma": k2_sigma},
        "rotation": lens.rotation.tolist(),
        "position": standing.position.tolist() if standing else None,
        "tilt_deg": tilt,
        "tilt_deg_sigma": tilt_sigma,
        "roll_deg": roll,
        "roll_deg_sigma": roll_sigma,
        "bearings": {
            letter: {"turn_deg": turn, "turn_deg_sigma": sigma}
            for letter, (turn, sigma) in lens.bearings.items()
        },
        "fit_px": lens.fit_px,
        "verdict": verdict_of(lens, sighting, headings)[0],
        "advice": _advice(lens, headings),
        "traces": [
            {"misfit_px": float(m), "disagrees": bool(d)}
            for m, d in zip(
                lens.misfits[: len(asked.traces)], lens.disagrees[: len(asked.traces)], strict=True
            )
        ],
        "rectangles": [
            {"misfit_px": float(lens.misfits[i : i + 4].max()), "headings": list(r.headings)}
            for i, r in zip(
                range(len(asked.traces), len(lens.misfits), 4), sighting.rectangles, strict=True
            )
        ],
    }


def _advice(lens: Lens, headings: Any) -> dict[str, Any]:
    """Which heading is weak, and the trace of it whose repetition elsewhere would help: the place
    in the picture where one more edge of that heading would shrink the focal length's uncertainty
    most, and what that would then be."""
    name, strength = weakest(headings)
    best, heading, place = _best_place(lens)
    then = float(lens.focal_px * np.sqrt(max(lens.covariance[0, 0] - best, 0.0)))
    words = f"{name} is the weak one. " if strength < 0.6 else ""
    if heading:
        words += (
            f"One more {NAMES[heading]} edge near {place[0]:.0f}, {place[1]:.0f} would bring the "
            f"focal length to ± {then:.0f} px."
        )
    return {
        "weak": name.lower() if strength < 0.6 else None,
        "heading": heading,
        "near": list(place),
        "focal_px_sigma_then": then,
        "words": words.strip(),
    }


def _best_place(lens: Lens) -> tuple[float, Heading | None, Point2]:
    """Where in the picture an edge a fifth of the picture long would tell most of the focal
    length: the gain in the variance of its log, the heading, and the place (px)."""
    best, heading, place = 0.0, None, (0.0, 0.0)
    size = max(lens.width, lens.height)
    grid = [
        (lens.width * (i + 0.5) / 6, lens.height * (j + 0.5) / 4)
        for i in range(6)
        for j in range(4)
    ]
    for name in HEADINGS:
        slopes = slopes_at(np.array(grid), HEADING_INDEX[name], size / 5, lens)
        gain, _ = focal_gains(slopes, lens)
        i = int(np.argmax(gain))
        if gain[i] > best:
            best, heading, place = float(gain[i]), name, grid[i]
    return best, heading, place


def _check_apart(sighting: Sighting) -> None:
    """Refuse traces of no length, and two that lie on top of each other."""
    ends = [np.array([t.points[0], t.points[-1]]) for t in sighting.traces]
    for i, a in enumerate(ends):
        if float(np.abs(a[1] - a[0]).max()) < 1e-6:
            raise Refusal(f"Trace {i + 1} has no length.")
        for j, b in enumerate(ends[:i]):
            if min(np.abs(a - b).max(), np.abs(a - b[::-1]).max()) < 1e-6:
                raise Refusal(f"Traces {j + 1} and {i + 1} lie on top of each other.")
