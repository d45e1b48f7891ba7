"""Deliveries: asked for, watched, called off, fetched."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from django.http import FileResponse, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status
from pydantic import Field

from ...core.refusal import Refusal
from .. import deliveries, projects
from ..models import Delivery, Project
from .project import StepNumber, Trouble

router = Router(tags=["deliver"])


DeliveryKind = Literal["movie", "frames", "glb", "usd", "kit", "gathered", "drawings"]


class DeliveryIn(Schema):
    """first and last: frames, both included. height: of another shape than the plate, they show
    its middle. A GLB, a USDZ, a paint kit and what is gathered have no use for them, nor for a
    width."""

    kind: DeliveryKind
    width: Annotated[int, Field(ge=0, le=100_000)] | None = None
    height: Annotated[int, Field(ge=0, le=100_000)] | None = None
    first: Annotated[int, Field(ge=0, le=100_000)] | None = None
    last: Annotated[int, Field(ge=0, le=100_000)] | None = None


class DeliveryOut(Schema):
    id: int
    kind: DeliveryKind
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
def list_deliveries(request: HttpRequest, id: StepNumber) -> list[Delivery]:
    deliveries.mend()
    return list(get_object_or_404(Project, pk=id).deliveries.order_by("-pk"))


@router.post("/projects/{id}/deliveries", response={201: DeliveryOut, 404: Trouble, 422: Trouble})
def deliver(request: HttpRequest, id: StepNumber, body: DeliveryIn) -> Status[Delivery]:
    project = get_object_or_404(Project, pk=id)
    scene = projects.scene_at(project)
    row = deliveries.ask(project, scene, body.kind, body.width, body.first, body.last, body.height)
    return Status(201, row)


@router.post("/deliveries/{id}/cancel", response={200: DeliveryOut, 404: Trouble})
def cancel(request: HttpRequest, id: StepNumber) -> Delivery:
    row = get_object_or_404(Delivery, pk=id)
    deliveries.cancel(row)
    row.refresh_from_db()
    return row


@router.delete("/deliveries/{id}", response={204: None, 404: Trouble})
def remove(request: HttpRequest, id: StepNumber) -> Status[None]:
    deliveries.remove(get_object_or_404(Delivery, pk=id))
    return Status(204, None)


@router.get("/deliveries/{id}/file")
def fetch(request: HttpRequest, id: StepNumber) -> FileResponse:
    row = get_object_or_404(Delivery, pk=id, state=Delivery.State.DONE)
    path = deliveries.file_of(row)
    if not path.exists():
        raise Refusal("This delivery's file is not in the project's folder any more.")
    name = f"{file_name(row.project.name)}-{path.name}"
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)


def file_name(name: str) -> str:
    """A project's name as a file's: letters, digits and dashes."""
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower())
    return "-".join(filter(None, plain.split("-"))) or "project"
