"""Stills in, and the plate's pixels out."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, Schema, Status
from ninja.files import UploadedFile

from .. import plates, projects
from ..models import Project
from .project import Trouble

router = Router(tags=["still"])

FOR_EVER = "private, max-age=31536000, immutable"
LONGEST = 8192


class Made(Schema):
    id: int


@router.post("/stills", response={201: Made, 422: Trouble})
def bring_in(request: HttpRequest, still: File[UploadedFile], name: Form[str] = "") -> Status[Made]:
    """A new project on a still: PNG, JPEG, TIFF or WebP."""
    project = projects.project_from_still(still.read(), still.name or "still", name)
    return Status(201, Made(id=project.pk))


@router.get("/projects/{id}/plate/{digest}")
def plate(request: HttpRequest, id: int, digest: str, longest: int = 4096) -> HttpResponse:
    """The plate as a PNG, its longer side at most so long. The digest makes it cacheable."""
    scene = projects.scene_at(get_object_or_404(Project, pk=id))
    data = plates.copy(scene.plate, min(max(longest, 16), LONGEST))
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": FOR_EVER})
