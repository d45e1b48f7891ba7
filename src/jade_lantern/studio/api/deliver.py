"""Deliveries: asked for, watched, called off, fetched; and the scene as a GLB."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status

from ...core.deliver.gltf import glb
from ...core.picture import png
from ...core.refusal import Refusal
from .. import deliveries, plates, projects
from ..models import Delivery, Project
from .project import Trouble

router = Router(tags=["deliver"])


class DeliveryIn(Schema):
    kind: Literal["movie", "frames"]
    width: int | None = None
    first: int | None = None
    last: int | None = None


class DeliveryOut(Schema):
    id: int
    kind: Literal["movie", "frames"]
    state: Literal["waiting", "rendering", "done", "cancelled", "failed"]
    width: int
    height: int
    first: int
    last: int
    done: int
    total: int
    bytes: int
    message: str
    made_at: datetime


@router.get("/projects/{id}/deliveries", response={200: list[DeliveryOut], 404: Trouble})
def list_deliveries(request: HttpRequest, id: int) -> list[Delivery]:
    deliveries.mend()
    return list(get_object_or_404(Project, pk=id).deliveries.order_by("-pk"))


@router.post("/projects/{id}/deliveries", response={201: DeliveryOut, 404: Trouble, 422: Trouble})
def deliver(request: HttpRequest, id: int, body: DeliveryIn) -> Status[Delivery]:
    project = get_object_or_404(Project, pk=id)
    scene = projects.scene_at(project)
    row = deliveries.ask(project, scene, body.kind, body.width, body.first, body.last)
    return Status(201, row)


@router.post("/deliveries/{id}/cancel", response={200: DeliveryOut, 404: Trouble})
def cancel(request: HttpRequest, id: int) -> Delivery:
    row = get_object_or_404(Delivery, pk=id)
    deliveries.cancel(row)
    row.refresh_from_db()
    return row


@router.delete("/deliveries/{id}", response={204: None, 404: Trouble})
def remove(request: HttpRequest, id: int) -> Status[None]:
    deliveries.remove(get_object_or_404(Delivery, pk=id))
    return Status(204, None)


@router.get("/deliveries/{id}/file")
def fetch(request: HttpRequest, id: int) -> FileResponse:
    row = get_object_or_404(Delivery, pk=id, state=Delivery.State.DONE)
    path = deliveries.file_of(row)
    if not path.exists():
        raise Refusal("This delivery's file is not in the project's folder any more.")
    name = f"{file_name(row.project.name)}-{path.name}"
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)


@router.get("/projects/{id}/scene.glb")
def scene_glb(request: HttpRequest, id: int) -> HttpResponse:
    project = get_object_or_404(Project, pk=id)
    scene = projects.scene_at(project)
    data = png(plates.pixels(scene.plate))  # upright and 8 bit, as it was cast
    name = f'attachment; filename="{file_name(project.name)}.glb"'
    return HttpResponse(
        glb(scene, data, "image/png"),
        content_type="model/gltf-binary",
        headers={"Content-Disposition": name},
    )


def file_name(name: str) -> str:
    """A project's name as a file's: letters, digits and dashes."""
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower())
    return "-".join(filter(None, plain.split("-"))) or "project"
