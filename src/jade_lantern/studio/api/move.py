"""Move: the time strip, travel limits, what would help, and frames as they will be."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema

from ...core.arrays import Floats
from ...core.deliver.preview import Only
from ...core.move.helps import Kind, helps
from ...core.move.limits import Breaks, Tolerance, Way, limits
from ...core.move.slide import sureness
from ...core.picture.encode import jpeg
from ...core.refusal import Refusal
from .. import plates, previews, strips
from . import project as project_api
from .project import StepNumber, Trouble
from .sight import Revision

router = Router(tags=["move"])

SLICE_S = 0.2  # of work on the strip that one request does


class WorstOf(Schema):
    """The share of a frame in which a proxy shows most of it, and that frame."""

    id: str
    share: float
    frame: int


class StripOut(Schema):
    """Shares of each frame, in order; null where it is not known yet. known: whether all are; ask
    again where not. worst is the frame where there is most of it. proxies: each one's own worst,
    the worst first."""

    leak: list[float | None]
    spill: list[float | None]
    stretch: list[float | None]
    reveal: list[float | None]
    known: bool
    worst: int
    proxies: list[WorstOf]


@router.get("/projects/{id}/strip", response={200: StripOut, 404: Trouble, 422: Trouble})
def strip(request: HttpRequest, id: StepNumber, revision: Revision) -> StripOut:
    """Where the trick would show over the whole move, frame by frame, as far as it is known after
    a moment's work: coarse first, and after a change only where that shows."""
    scene = project_api.scene_or_404(id, revision)
    found = strips.looked_at(id, scene, SLICE_S)
    shown = [p.id for p in scene.proxies if not p.hidden]
    each = [
        WorstOf(id=id, share=round(float(share), 5), frame=int(frame))
        for id, share, frame in zip(shown, found.proxy_most, found.proxy_frame, strict=True)
    ]
    each.sort(key=lambda one: -one.share)
    return StripOut(
        leak=_told(found.leak), spill=_told(found.spill), stretch=_told(found.stretch),
        reveal=_told(found.reveal), known=found.known, worst=found.worst, proxies=each,
    )  # fmt: skip


def _told(shares: Floats) -> list[float | None]:
    return [None if np.isnan(v) else round(float(v), 5) for v in shares]


class LimitOut(Schema):
    """How far the camera may go one way: metres, or the factor of the focal length, or how much of
    the move; breaks: what shows beyond that, null where nothing does as far as was looked. frame:
    of a move, in which frame it shows first."""

    way: Way
    most: float
    breaks: Breaks | None
    frame: int | None


@router.get("/projects/{id}/limits", response={200: LimitOut, 404: Trouble, 422: Trouble})
def travel_limits(
    request: HttpRequest, id: StepNumber, revision: Revision,
    frame: Annotated[int, Query(ge=0, lt=100_001)] = 0,
    way: Way = "amount",
    most: Annotated[float, Query(gt=0, le=1)] = 0.001,
    stretch: Annotated[float, Query(gt=1, le=100)] = 2.0,
) -> LimitOut:  # fmt: skip
    """How far the camera may go one way from where it is at a frame, or how much of the move stands
    up. One way a question, so that none takes long."""
    scene = project_api.scene_or_404(id, revision)
    (limit,) = limits(scene, frame, Tolerance(most=most, stretch=stretch), (way,), plates.deep)
    return LimitOut(**limit._asdict())


@router.get("/projects/{id}/frame.jpg", response={404: Trouble, 422: Trouble})
def one_frame(
    request: HttpRequest, id: StepNumber, revision: Revision,
    frame: Annotated[int, Query(ge=0, lt=100_001)],
    width: Annotated[int, Query(ge=16, le=1920)] = 640, only: Only | None = None,
) -> HttpResponse:  # fmt: skip
    """A frame of the shot as it is delivered, but of this width and over black. only: what is seen
    by itself, on white."""
    scene = project_api.scene_or_404(id, revision)
    data = jpeg(previews.frame_of(id, scene, frame, width, only))
    return HttpResponse(data, content_type="image/jpeg", headers={"Cache-Control": "no-store"})


class HelpOut(Schema):
    """See `core.move.helps.Help`: what would mend so much of the frame, or make a slide smaller."""

    kind: Kind
    share: float
    proxy: str | None
    lantern: str | None
    px: tuple[float, float] | None
    heading: str | None
    near: tuple[float, float] | None


class SlideOut(Schema):
    """By how many pixels of the plate's size a proxy may slide against another one, and where."""

    proxy: str
    against: str
    px: float
    at: tuple[float, float]


class SureOut(Schema):
    """How well the sighting is known, in pixels of a frame; why it is not known, where it is not.
    better_px: what one more edge along a heading would make of the worst slide."""

    slides: list[SlideOut]
    why: str | None
    better_px: float | None
    heading: str | None
    near: tuple[float, float] | None


class HelpsOut(Schema):
    helps: list[HelpOut]
    sure: SureOut


MOST_SLIDES = 12


@router.get("/projects/{id}/helps", response={200: HelpsOut, 404: Trouble, 422: Trouble})
def what_helps(
    request: HttpRequest, id: StepNumber, revision: Revision,
    frame: Annotated[int, Query(ge=0, lt=100_001)] = 0,
) -> HelpsOut:  # fmt: skip
    """What would help a frame, what brings most first; and how far things may slide in it."""
    scene = project_api.scene_or_404(id, revision)
    sure, why = None, ""
    try:
        sure = sureness(scene, frame)
    except Refusal as error:
        why = str(error)
    found = [HelpOut(**one._asdict()) for one in helps(scene, frame, sure, plates.deep)]
    if sure is None:
        unsure = SureOut(slides=[], why=why, better_px=None, heading=None, near=None)
        return HelpsOut(helps=found, sure=unsure)
    better = sure.better
    return HelpsOut(
        helps=found,
        sure=SureOut(
            slides=[SlideOut(**one._asdict()) for one in sure.slides[:MOST_SLIDES]], why=None,
            better_px=None if better is None else better.px,
            heading=None if better is None else better.heading,
            near=None if better is None else better.near,
        ),
    )  # fmt: skip
