"""Beginnings: on nothing, on a file's camera; a picture in the still's place; and what goes out to
be painted over, or for another program's camera."""

from __future__ import annotations

from tempfile import TemporaryFile
from typing import Annotated, Any

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Query, Router, Schema, Status
from ninja.files import UploadedFile
from pydantic import ValidationError

from ...core.begin.camera import CameraAsked, camera_come, camera_paths_in, meshes_come, said_inside
from ...core.begin.drawing import drawing_bytes, drawings_zip
from ...core.begin.nothing import Nothing
from ...core.begin.picture import Shows
from ...core.deliver.camera_file import Up, camera_json, camera_zip
from ...core.refusal import Refusal
from ...core.scene.document import plainly
from .. import plates, projects
from ..machine import require_memory
from ..models import Project
from . import project as project_api
from .deliver import file_name
from .project import Answer, BroughtOut, StepNumber, Trouble, answer

router = Router(tags=["still"])

Asked = Annotated[str, Form(max_length=8000)]
OUT: Any = {200: Answer, 404: Trouble, 409: Trouble, 413: Trouble, 422: Trouble}


class Begun(Schema):
    """A project that was begun, and what is odd about what it began with."""

    id: int
    said: list[str] = []


@router.post("/begin", response={201: Begun, 422: Trouble})
def on_nothing(request: HttpRequest, body: Nothing) -> Status[Begun]:
    """A new project that has no picture yet: a frame, and a camera set by eye."""
    return Status(201, Begun(id=projects.project_on_nothing(body).pk))


@router.post("/begin/camera", response={201: Begun, 413: Trouble, 422: Trouble})
def on_camera(
    request: HttpRequest, file: File[UploadedFile], asked: Asked = "{}",
    width: Annotated[int, Form(ge=16, le=16_384)] = 1920,
    meshes: Annotated[bool, Form()] = True,
    name: Annotated[str, Form(max_length=400)] = "",
) -> Status[Begun]:  # fmt: skip
    """A new project on the camera of a file (GLB, USD or JSON), that has no picture yet. asked: how
    it is taken, as JSON. width: of its frame, px. meshes: the file's become proxies."""
    how = _asked(asked)
    project, said = projects.project_from_camera(
        file.read(), file.name or "camera", how, width, meshes, name
    )
    return Status(201, Begun(id=project.pk, said=said))


@router.post("/projects/{id}/camera", response=OUT)
def bring_camera(
    request: HttpRequest, id: StepNumber, file: File[UploadedFile],
    base: Annotated[int, Form(ge=0, lt=2**31)], asked: Asked = "{}",
    meshes: Annotated[bool, Form()] = False,
) -> HttpResponse:  # fmt: skip
    """Take the camera of a file as the sighted one, or as the shot's beside what is sighted."""
    get_object_or_404(Project, pk=id)
    scene = project_api.scene_or_404(id, base)
    data, name = file.read(), file.name or "camera"
    paths = camera_paths_in(data, name)
    come = camera_come(paths, _asked(asked), scene)
    now = projects.keep(id, base, come.edit).now
    said = list(come.said)
    if meshes:
        try:
            stood = meshes_come(data, name, now.scene, come)
            now = projects.at_head(projects.keep(id, now.project.head, stood).now.project, base)
        except Refusal as error:  # a camera is worth having without them
            said.append(f"Only its camera came. {error}")
    said += said_inside(now.scene)
    if len(paths) > 1:
        said.append(f"There are {len(paths)} cameras in it: {_few([p.name for p in paths])}.")
    return answer(now, [BroughtOut(file=name, lantern=None, said=said, done=[])])


@router.post("/projects/{id}/still", response=OUT)
def replace(
    request: HttpRequest, id: StepNumber, file: File[UploadedFile],
    base: Annotated[int, Form(ge=0, lt=2**31)],
    shows: Annotated[Shows | None, Form()] = None,
) -> HttpResponse:  # fmt: skip
    """Put another picture in the place of the still, which is kept. shows: what one of another
    shape does: more than the still, a part of it, or the same, pulled."""
    get_object_or_404(Project, pk=id)
    kept = projects.replace_still(id, base, file.read(), file.name or "still", shows)
    return answer(kept.now)


@router.get("/projects/{id}/drawings", response={404: Trouble, 422: Trouble})
def drawn(request: HttpRequest, id: StepNumber) -> HttpResponse:
    """The blocking as the lens sees it, in a ZIP: grey, wire, grid, depth, and proxies by colour,
    as PNGs and as layers of an OpenRaster file."""
    project = get_object_or_404(Project, pk=id)
    scene = projects.scene_at(project)
    require_memory(drawing_bytes(scene), "Drawing the blocking")
    return _file(drawings_zip(scene), "application/zip", f"{file_name(project.name)}-blocking.zip")


@router.get("/projects/{id}/camera.json", response={404: Trouble, 422: Trouble})
def camera_out(
    request: HttpRequest, id: StepNumber, up: Annotated[Up, Query()] = "y",
    unit_m: Annotated[float, Query(gt=1e-6, lt=1e6)] = 1.0,
) -> HttpResponse:  # fmt: skip
    """The shot camera as numbers, frame by frame."""
    project = get_object_or_404(Project, pk=id)
    told = camera_json(projects.scene_at(project), up, unit_m)
    return _file(told.encode(), "application/json", f"{file_name(project.name)}-camera.json")


@router.get("/projects/{id}/camera.zip", response={404: Trouble, 422: Trouble})
def camera_and_plate_out(
    request: HttpRequest, id: StepNumber, up: Annotated[Up, Query()] = "y",
    unit_m: Annotated[float, Query(gt=1e-6, lt=1e6)] = 1.0,
) -> FileResponse:  # fmt: skip
    """The shot camera as numbers, and the plate's file beside it."""
    project = get_object_or_404(Project, pk=id)
    whole = TemporaryFile(dir=settings.DATA)  # noqa: SIM115 -- the answer closes it
    try:
        camera_zip(projects.scene_at(project), plates.store().open, whole, up, unit_m)
    except BaseException:
        whole.close()
        raise
    whole.seek(0)
    name = f"{file_name(project.name)}-camera.zip"
    return FileResponse(whole, as_attachment=True, filename=name, content_type="application/zip")


def _file(data: bytes, kind: str, name: str) -> HttpResponse:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return HttpResponse(data, content_type=kind, headers=headers)


def _asked(text: str) -> CameraAsked:
    try:
        return CameraAsked.model_validate_json(text)
    except ValidationError as error:
        raise Refusal(f"How the camera is to be taken cannot be read: {plainly(error)}") from error


def _few(names: list[str]) -> str:
    return ", ".join(names[:6]) + (" and others" if len(names) > 6 else "")
