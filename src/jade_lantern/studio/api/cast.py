"""Where the trick would show."""

from __future__ import annotations

from typing import Annotated

from django.http import HttpRequest
from ninja import Query, Router, Schema

from ...core.deliver.diagnosis import diagnosed
from ...core.deliver.frames import delivery
from . import project as project_api
from .project import Number, Trouble
from .sight import Revision

router = Router(tags=["cast"])

WIDTH = 320  # of the frame that is looked at: enough for shares, and at once


class OfProxy(Schema):
    """What one proxy shows of it, as shares of the frame."""

    id: str
    name: str
    spill: float
    stretch: float
    reveal: float


class FrameDiagnosis(Schema):
    """Shares of a frame: where nothing is to land on, where a nearer thing's picture lands, where
    plate pixels are pulled too large, and what the lantern does not see; and by proxy, the worst
    first."""

    frame: int
    leak: float
    spill: float
    stretch: float
    reveal: float
    proxies: list[OfProxy]


@router.get("/projects/{id}/diagnosis", response={200: FrameDiagnosis, 404: Trouble, 422: Trouble})
def diagnosis(
    request: HttpRequest,
    id: Number,
    revision: Revision,
    frame: Annotated[int, Query(ge=0, lt=100_001)],
) -> FrameDiagnosis:
    """Where the trick would show at one frame of the shot, as a revision has it."""
    scene = project_api.scene_or_404(id, revision)
    width = min(WIDTH, scene.plate.width)
    ((_, told),) = diagnosed(scene, delivery(scene, width, frame, frame))
    shown = [p for p in scene.proxies if not p.hidden]
    every = [(p, told.shares_of(i)) for i, p in enumerate(shown)]
    of = [OfProxy(id=p.id, name=p.name, **s) for p, s in every if any(s.values())]
    of.sort(key=lambda p: -max(p.spill, p.stretch, p.reveal))
    return FrameDiagnosis(frame=frame, **told.shares(), proxies=of[:8])
