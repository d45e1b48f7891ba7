"""Stills in, and the plate's pixels out."""

from __future__ import annotations

from typing import Annotated, Literal

from django.http import FileResponse, Http404, HttpRequest
from ninja import File, Form, Path, Query, Router, Schema, Status
from ninja.files import UploadedFile
from pydantic import BeforeValidator

from ...core.scene.model import Digest
from .. import plates, projects
from ..models import PlateNeeded
from .project import Number, Trouble

router = Router(tags=["still"])

FOR_EVER = "private, max-age=31536000, immutable"


# The few lengths that copies are made in. In an address they are text.
Copy = Annotated[Literal[640, 2048, 4096, 8192], BeforeValidator(int)]


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


@router.get("/projects/{id}/plate/{digest}")
def plate(
    request: HttpRequest,
    id: Number,
    digest: Annotated[Digest, Path()],
    longest: Annotated[Copy, Query()] = 4096,
) -> FileResponse:
    """One of a project's plates as a PNG, its longer side at most so long. What a digest names
    never changes, so it may be kept for ever."""
    if not PlateNeeded.objects.filter(project=id, digest=digest).exists():
        raise Http404
    file = plates.copy(digest, longest).open("rb")
    return FileResponse(file, content_type="image/png", headers={"Cache-Control": FOR_EVER})
