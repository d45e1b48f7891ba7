"""What is under the pointer, leaks, marbles, and blockings in and out."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Path, Query, Router, Schema
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from ...core.block.blocking import BlockingFormat, blocking, brought
from ...core.block.leaks import Leaks, leak_picture, leaks
from ...core.block.marbles import let_fall
from ...core.block.parts import Part
from ...core.block.pointed import lines_of, pointed
from ...core.block.surfaces import meshes
from ...core.pick import Pick
from ...core.picture import png
from ...core.scene.model import Scene
from ...core.sight.measure import required_camera
from ...core.value import Id, Point3
from .. import arrays, projects
from ..models import Project
from ..worked_out import WorkedOut
from . import project as project_api
from .deliver import file_name
from .project import Answer, Base, StepNumber, Trouble, answer
from .sight import Revision

router = Router(tags=["block"])

LOOKED_AT = 640  # px: the width at which leaks are looked for while blocking


class PointedIn(BaseModel):
    """within: px of the plate. held: a proxy whose edges are meant though something is before
    them."""

    base: Base
    at: Pick
    within: Annotated[float, Field(ge=0, le=500)] = 8.0
    held: Id | None = None


class PointedOut(Schema):
    """proxy and name: None for the ground. face: the one that is seen there. part: which face,
    edge or corner is meant, and lines: where it is. point, normal: in the world; distance: from
    the lens, metres."""

    proxy: str | None
    name: str | None
    face: int | None
    part: Part | None
    lines: list[list[Point3]]
    point: Point3
    normal: Point3
    distance: float


@router.post("/projects/{id}/under", response={200: PointedOut | None, 404: Trouble, 422: Trouble})
def under_pointer(request: HttpRequest, id: StepNumber, body: PointedIn) -> PointedOut | None:
    """What is under the pointer, or nothing."""
    scene = project_api.scene_or_404(id, body.base)
    camera = required_camera(scene)
    found = pointed(scene, camera, body.at, body.within, body.held)
    if found is None:
        return None
    proxy = next((p for p in scene.proxies if p.id == found.on.proxy), None)
    return PointedOut(
        proxy=found.on.proxy, name=None if proxy is None else proxy.name, face=found.on.face,
        part=found.part,
        lines=[line.tolist() for line in found.lines], point=tuple(found.on.point.tolist()),
        normal=tuple(found.on.normal.tolist()),
        distance=float(np.linalg.norm(found.on.point - camera.position)),
    )  # fmt: skip


class PartIn(BaseModel):
    base: Base
    proxy: Id
    part: Part


@router.post("/projects/{id}/part", response={200: list[list[Point3]], 404: Trouble, 422: Trouble})
def part_lines(request: HttpRequest, id: StepNumber, body: PartIn) -> list[list[Point3]]:
    """Where a face, an edge or a corner is now."""
    scene = project_api.scene_or_404(id, body.base)
    lines = lines_of(scene, required_camera(scene), body.proxy, body.part)
    return [line.tolist() for line in lines]


class CrackOut(Schema):
    """between: the two proxies' ids, and names. at: where, px of the plate. px: how many pixels of
    the looked-at picture show it."""

    between: tuple[str, str]
    names: tuple[str, str]
    at: tuple[float, float]
    px: int


class LeaksOut(Schema):
    """share: how much of the plate lands on nothing."""

    share: float
    cracks: list[CrackOut]


@router.get("/projects/{id}/leaks", response={200: LeaksOut, 404: Trouble, 422: Trouble})
def leaks_of(request: HttpRequest, id: StepNumber, revision: Revision) -> LeaksOut:
    """What of the plate lands on nothing, and cracks seen from beside the lens."""
    scene = project_api.scene_or_404(id, revision)
    found = found_leaks.of(scene)
    shown = [p for p in scene.proxies if not p.hidden]
    cracks = []
    for crack in found.cracks:
        a, b = (shown[i] for i in crack.between)
        cracks.append(
            CrackOut(between=(a.id, b.id), names=(a.name, b.name), at=crack.at, px=crack.px)
        )
    return LeaksOut(share=found.share, cracks=cracks)


@router.get("/projects/{id}/leaks.png", response={404: Trouble, 422: Trouble})
def leaks_map(request: HttpRequest, id: StepNumber, revision: Revision) -> HttpResponse:
    """The same as a picture to lay over the plate."""
    found = found_leaks.of(project_api.scene_or_404(id, revision))
    return HttpResponse(
        png(leak_picture(found)), content_type="image/png", headers={"Cache-Control": "no-store"}
    )


def _look_for_leaks(scene: Scene) -> Leaks:
    camera = required_camera(scene)
    return leaks(meshes(scene, camera), camera, min(LOOKED_AT, camera.width))


found_leaks = WorkedOut(_look_for_leaks, ("plate", "sighting", "proxies"), 32 << 20)


class MarblesOut(Schema):
    """digest: 32 bit floats, little-endian, x y z of each marble, frame by frame, 30 a second.
    escaped: how many fell out of the scene; resting: how many lie still."""

    digest: str
    frames: int
    count: int
    radius_m: float
    escaped: int
    resting: int


@router.get("/projects/{id}/marbles", response={200: MarblesOut, 404: Trouble, 422: Trouble})
def marbles(
    request: HttpRequest, id: StepNumber, revision: Revision,
    count: Annotated[int, Query(ge=1, le=1000)] = 240,
) -> MarblesOut:  # fmt: skip
    """Let marbles fall in the scene."""
    scene = project_api.scene_or_404(id, revision)
    fall = let_fall(scene, required_camera(scene), count)
    return MarblesOut(
        digest=arrays.keep(fall.places.astype("<f4").tobytes()), frames=len(fall.places),
        count=fall.places.shape[1], radius_m=fall.radius_m, escaped=int(fall.escaped.sum()),
        resting=int(fall.resting.sum()),
    )  # fmt: skip


@router.post(
    "/projects/{id}/blocking",
    response={200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble},
)
def bring_in(
    request: HttpRequest, id: StepNumber, file: File[UploadedFile],
    base: Annotated[int, Form(ge=0, lt=2**31)],
    unit_m: Annotated[float | None, Form(gt=0, le=10_000)] = None,
) -> HttpResponse:  # fmt: skip
    """Bring a GLB, OBJ or USD in as solids, and keep it."""
    get_object_or_404(Project, pk=id)
    scene = project_api.scene_or_404(id, base)
    edit = brought(file.read(), file.name or "file", scene, unit_m)
    return answer(projects.keep(id, base, edit).now)


@router.get("/projects/{id}/blocking.{kind}", response={404: Trouble, 422: Trouble})
def take_out(
    request: HttpRequest, id: StepNumber, kind: Annotated[BlockingFormat, Path()]
) -> HttpResponse:
    """All proxies that are shown, as a file of a kind, as the project stands."""
    project = get_object_or_404(Project, pk=id)
    data = blocking(projects.scene_at(project), kind)
    name = f"{file_name(project.name)}-blocking.{kind}"
    disposition = {"Content-Disposition": f'attachment; filename="{name}"'}
    return HttpResponse(data, content_type="application/octet-stream", headers=disposition)
