"""The two demo projects, loaded once."""

from __future__ import annotations

from django.conf import settings

from ..core.picture import read_still
from ..demo.project import carried, demo_still, untouched
from . import plates, projects
from .models import Project


def load_demo() -> None:
    """One project carried through to a move, and one untouched, unless there are projects."""
    if Project.objects.exists():
        return
    still = demo_still(settings.DATA / "demo").read_bytes()
    plates.keep(still, read_still(still))
    projects.start(untouched(still))
    projects.start(untouched(still, "Lantern Quay"), carried(still))
