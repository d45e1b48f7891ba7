"""The demo projects, loaded once."""

from __future__ import annotations

from django.conf import settings

from ..core.picture import png, read_still
from ..demo.companions import bay, bridge_drawing
from ..demo.project import carried, demo_still, untouched
from . import plates, projects
from .models import Project


def load_demo() -> None:
    """One project carried through to a move, one untouched, and two stills that are hard to sight,
    unless there are projects."""
    if Project.objects.exists():
        return
    projects.project_from_still(png(bay()), "round-bay.png", "The round bay")
    projects.project_from_still(png(bridge_drawing()), "footbridge.png", "Footbridge, drawn")
    still = demo_still(settings.DATA / "demo").read_bytes()
    plates.keep(still, read_still(still))
    projects.start(untouched(still))
    projects.start(untouched(still, "Lantern Quay"), carried(still))
