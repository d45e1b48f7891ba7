"""Stills in, and the plate's pixels out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Path, Router, Schema, Status
from ninja.files import UploadedFile
from numpy.typing import NDArray

from ...core.picture import APRON, TILE, level_sizes
from ...core.scene.document import as_text
from ...core.value import Digest
from .. import guests, plates, projects
from ..models import PlateNeeded, Project
from .project import FOR_EVER, StepNumber, Trouble

router = Router(tags=["still"])


class Made(Schema):
    id: int


@router.post(
    "/stills", response={201: Made, 422: Trouble, 413: Trouble, 503: Trouble, 507: Trouble}
)
def bring_in(
    request: HttpRequest, still: File[UploadedFile], name: Annotated[str, Form(max_length=400)] = ""
) -> Status[Made]:
    """A new project on a still: PNG, JPEG, TIFF, WebP or OpenEXR."""
    project = projects.project_from_still(still.read(), still.name or "still", name)
    return Status(201, Made(id=project.pk))


class LevelsOut(Schema):
    """How a plate is cut up: the width and height of each level, the plate's own first; the side
    of a tile; and how many pixels of its neighbours a tile has round it."""

    sizes: list[tuple[int, int]]
    tile: int
    apron: int


Level = Annotated[int, Path(ge=0, lt=32)]
TileIndex = Annotated[int, Path(ge=0, lt=10_000)]
Named = Annotated[Digest, Path()]
# of a plate that plays, one of its pictures by its number (see `plates.thrown_number`)
OneNamed = Annotated[str, Path(pattern=r"^[0-9a-f]{64}(@[0-9]{1,12})?$")]


@router.get("/projects/{id}/plate/{digest}", response={404: Trouble})
def plate(request: HttpRequest, id: StepNumber, digest: Named) -> HttpResponse:
    """One of a project's plates, small, as lists show it."""
    if not _needed(id, digest):
        raise Http404
    return _picture(plates.small(digest))


@router.get("/projects/{id}/plate/{digest}/levels", response={200: LevelsOut, 404: Trouble})
def plate_levels(request: HttpRequest, id: StepNumber, digest: OneNamed) -> LevelsOut:
    """How one of a project's plates is cut up."""
    found = _levels(id, digest)
    height, width = found[0].shape[:2]
    sizes = level_sizes(width, height)
    return LevelsOut(sizes=sizes, tile=TILE, apron=APRON)


@router.get("/projects/{id}/plate/{digest}/quick", response={404: Trouble})
def plate_quick(request: HttpRequest, id: StepNumber, digest: OneNamed) -> HttpResponse:
    """A picture of one of a project's plates as views show it first while it plays: small, a JPEG,
    or a WebP where it has an alpha."""
    own, _, number = digest.partition("@")
    if _needed(id, own) and plates.playing(own):
        data = plates.quick(own, int(number or 0))
    else:
        data = plates.quick_of(_levels(id, digest))
    kind = "image/jpeg" if data[:2] == b"\xff\xd8" else "image/webp"
    return HttpResponse(data, content_type=kind, headers=FOR_EVER)


@router.get("/projects/{id}/plate/{digest}/{level}/{x}/{y}", response={404: Trouble})
def plate_tile(
    request: HttpRequest, id: StepNumber, digest: OneNamed, level: Level, x: TileIndex, y: TileIndex
) -> HttpResponse:
    """A tile of one of a project's plates, in column x and row y of a level."""
    data = plates.tile(_levels(id, digest), level, x, y)
    if data is None:
        raise Http404
    return _picture(data)


@router.get("/projects/{id}/pictures/{digest}", response={404: Trouble})
def picture_file(request: HttpRequest, id: StepNumber, digest: Named) -> FileResponse:
    """One of a project's pictures, its file as it came: for work on another machine."""
    if not _needed(id, digest) or not plates.there(digest):
        raise Http404
    return FileResponse(plates.store().open(digest), content_type="application/octet-stream")


@router.get("/projects/{id}/scene", response={404: Trouble})
def whole_scene(request: HttpRequest, id: StepNumber) -> HttpResponse:
    """A project's scene as it stands, whole, as an archive keeps it."""
    scene = projects.scene_at(get_object_or_404(Project, pk=id))
    return HttpResponse(as_text(scene), content_type="application/json")


def _needed(project: int, digest: str) -> bool:
    """Whether a digest names one of a project's plates."""
    return PlateNeeded.objects.filter(project=project, digest=digest).exists()


def _levels(project: int, named: str) -> Sequence[NDArray[np.uint8]]:
    """The levels of one of a project's plates, or of what one of its lanterns throws through a
    mask, as the project stands; behind an @ the number of the picture of one that plays."""
    digest, _, number = named.partition("@")
    if _needed(project, digest):
        return plates.picture_levels(digest, int(number or 0))
    scene = projects.scene_at(get_object_or_404(Project, pk=project))
    for lantern in scene.lanterns:
        if lantern.mask is not None and plates.thrown_digest(scene, lantern) == digest:
            return plates.masked_levels(scene, lantern, int(number or 0))
    on_guest = guests.picture_of(scene, digest, int(number or 0))
    if on_guest is None:
        raise Http404
    return on_guest


def _picture(data: bytes) -> HttpResponse:
    """A PNG that may be kept for ever: what a digest names never changes."""
    return HttpResponse(data, content_type="image/png", headers=FOR_EVER)
