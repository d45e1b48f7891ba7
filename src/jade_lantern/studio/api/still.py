"""Stills in, and the plate's pixels out."""

from __future__ import annotations

from typing import Annotated

from django.http import Http404, HttpRequest, HttpResponse
from ninja import File, Form, Path, Router, Schema, Status
from ninja.files import UploadedFile

from ...core.picture import APRON, TILE, level_sizes
from ...core.value import Digest
from .. import plates, projects
from ..models import PlateNeeded
from .project import FOR_EVER, Number, Trouble

router = Router(tags=["still"])


class Made(Schema):
    id: int


@router.post(
    "/stills", response={201: Made, 422: Trouble, 413: Trouble, 503: Trouble, 507: Trouble}
)
def bring_in(
    request: HttpRequest, still: File[UploadedFile], name: Annotated[str, Form(max_length=400)] = ""
) -> Status[Made]:
    """A new project on a still: PNG, JPEG, TIFF or WebP."""
    project = projects.project_from_still(still.read(), still.name or "still", name)
    return Status(201, Made(id=project.pk))


class LevelsOut(Schema):
    """How a plate is cut up: the width and height of each level, the plate's own first; the side
    of a tile; and how many pixels of its neighbours a tile has round it."""

    sizes: list[tuple[int, int]]
    tile: int
    apron: int


Level = Annotated[int, Path(ge=0, lt=32)]
Place = Annotated[int, Path(ge=0, lt=10_000)]
Named = Annotated[Digest, Path()]


@router.get("/projects/{id}/plate/{digest}", response={404: Trouble})
def plate(request: HttpRequest, id: Number, digest: Named) -> HttpResponse:
    """One of a project's plates, small, as lists show it."""
    return _picture(plates.small(_needed(id, digest)))


@router.get("/projects/{id}/plate/{digest}/levels", response={200: LevelsOut, 404: Trouble})
def plate_levels(request: HttpRequest, id: Number, digest: Named) -> LevelsOut:
    """How one of a project's plates is cut up."""
    found = plates.levels_of(_needed(id, digest))
    height, width = found[0].shape[:2]
    sizes = level_sizes(width, height)
    return LevelsOut(sizes=sizes, tile=TILE, apron=APRON)


@router.get("/projects/{id}/plate/{digest}/{level}/{x}/{y}", response={404: Trouble})
def plate_tile(
    request: HttpRequest, id: Number, digest: Named, level: Level, x: Place, y: Place
) -> HttpResponse:
    """A tile of one of a project's plates, in column x and row y of a level."""
    data = plates.tile(_needed(id, digest), level, x, y)
    if data is None:
        raise Http404
    return _picture(data)


def _needed(project: int, digest: str) -> str:
    """The digest, if it names one of a project's plates."""
    if not PlateNeeded.objects.filter(project=project, digest=digest).exists():
        raise Http404
    return digest


def _picture(data: bytes) -> HttpResponse:
    """A PNG that may be kept for ever: what a digest names never changes."""
    return HttpResponse(data, content_type="image/png", headers=FOR_EVER)
