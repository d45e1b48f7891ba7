"""Projects, and the changes that are kept, tried, undone and redone."""

from __future__ import annotations

from datetime import datetime

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status
from pydantic import BaseModel

from ...core.change import Change, changed
from ...core.scene.model import Scene
from .. import plates, projects
from ..models import Project, Revision
from ..shown import Shown, shown

router = Router(tags=["project"])


class ProjectOut(Schema):
    id: int
    name: str
    kept_at: datetime
    width: int
    height: int


class State(Schema):
    """A project where it stands: its scene, all that follows from it, and what undo would do."""

    id: int
    revision: int
    kept_at: datetime
    undo: str | None
    redo: str | None
    scene: Scene
    shown: Shown


class ChangeIn(BaseModel):
    base: int
    change: Change


class BaseIn(BaseModel):
    base: int


class Head(Schema):
    revision: int


class Step(Schema):
    number: int
    title: str
    made_at: datetime
    on_the_way: bool


class Trouble(Schema):
    message: str
    since: list[str] = []


def written(answer: BaseModel) -> HttpResponse:
    """A value that is sound already, as JSON; the schema is in the route's own declaration."""
    return HttpResponse(answer.model_dump_json(), content_type="application/json")


def state(project: Project) -> HttpResponse:
    at = projects.standing(project)
    now = State(
        id=project.pk, revision=project.head, kept_at=project.kept_at, undo=at.undo, redo=at.redo,
        scene=at.scene, shown=shown(at.scene),
    )  # fmt: skip
    return written(now)


@router.api_operation(["GET", "POST"], "/ping", response=dict[str, str])
def ping(request: HttpRequest) -> dict[str, str]:
    """Does nothing: what a try is measured against."""
    return {}


@router.get("/projects", response=list[ProjectOut])
def list_projects(request: HttpRequest) -> list[ProjectOut]:
    out = []
    for p in Project.objects.order_by("-kept_at"):
        plate = projects.scene_at(p).plate
        out.append(
            ProjectOut(
                id=p.pk, name=p.name, kept_at=p.kept_at, width=plate.width, height=plate.height
            )
        )
    return out


@router.get("/projects/{id}", response={200: State, 404: Trouble})
def open_project(request: HttpRequest, id: int) -> HttpResponse:
    return state(get_object_or_404(Project, pk=id))


@router.delete("/projects/{id}", response={204: None, 404: Trouble})
def delete_project(request: HttpRequest, id: int) -> Status[None]:
    get_object_or_404(Project, pk=id).delete()
    return Status(204, None)


@router.get("/projects/{id}/head", response={200: Head, 404: Trouble})
def head(request: HttpRequest, id: int) -> Head:
    return Head(revision=get_object_or_404(Project, pk=id).head)


@router.get("/projects/{id}/history", response={200: list[Step], 404: Trouble})
def history(request: HttpRequest, id: int) -> list[Step]:
    project = get_object_or_404(Project, pk=id)
    rows = list(project.revisions.order_by("number").values("number", "parent", "title", "made_at"))
    parents = {r["number"]: r["parent"] for r in rows}
    way: set[int] = set()
    at: int | None = project.head
    while at is not None:
        way.add(at)
        at = parents[at]
    return [
        Step(
            number=r["number"],
            title=r["title"],
            made_at=r["made_at"],
            on_the_way=r["number"] in way,
        )
        for r in rows
    ]


@router.post(
    "/projects/{id}/edits", response={200: State, 404: Trouble, 409: Trouble, 422: Trouble}
)
def edit(request: HttpRequest, id: int, body: ChangeIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return state(projects.keep(id, body.base, body.change))


@router.post(
    "/projects/{id}/tries", response={200: Shown, 404: Trouble, 409: Trouble, 422: Trouble}
)
def try_out(request: HttpRequest, id: int, body: ChangeIn) -> HttpResponse:
    """What would follow from a change. Nothing is stored."""
    return written(what_follows(scene_or_404(id, body.base), body.change))


def scene_or_404(id: int, revision: int) -> Scene:
    """The scene of a project at one of its revisions."""
    try:
        return projects.scene_based_on(id, revision)
    except Revision.DoesNotExist as error:
        raise Http404 from error


def what_follows(before: Scene, change: Change) -> Shown:
    """What a change would make differ."""
    _, after = changed(before, change, lambda: plates.look(before.plate))
    return shown(after, before)


@router.post("/projects/{id}/undo", response={200: State, 404: Trouble, 409: Trouble, 422: Trouble})
def undo(request: HttpRequest, id: int, body: BaseIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return state(projects.step(id, body.base, back=True))


@router.post("/projects/{id}/redo", response={200: State, 404: Trouble, 409: Trouble, 422: Trouble})
def redo(request: HttpRequest, id: int, body: BaseIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return state(projects.step(id, body.base, back=False))


@router.post(
    "/projects/{id}/history/{number}",
    response={200: State, 404: Trouble, 409: Trouble, 422: Trouble},
)
def go_to(request: HttpRequest, id: int, number: int, body: BaseIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return state(projects.jump(id, body.base, number))
