"""Projects, and the changes that are kept, tried, undone and redone."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from django.db.models import F
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Path, Query, Router, Schema, Status
from pydantic import BaseModel, Field, TypeAdapter

from ...core.cache import Cache
from ...core.change import Change, changed
from ...core.deadline import check_time, within
from ...core.refusal import Refusal
from ...core.scene.difference import Changed, Order, difference
from ...core.scene.edits import Station, station_of
from ...core.scene.model import Scene
from ...core.value import Digest
from .. import arrays, plates, projects, revisions
from ..demo import coming
from ..follows import Following, Follows, worked_out
from ..models import Project, Revision

router = Router(tags=["project"])

LONGEST_TRY_S = 6.0
FOR_EVER = {"Cache-Control": "private, max-age=31536000, immutable"}

StepNumber = Annotated[int, Path(ge=0, lt=2**63)]
Base = Annotated[int, Field(ge=0, lt=2**31)]
Since = Annotated[int | None, Query(ge=0, lt=2**31)]


class ProjectOut(Schema):
    """A project in the list. plate is the digest of its plate; width and height, in pixels, are
    its size. trouble: why the project cannot be opened where it stands. head: the step that it
    stands at."""

    id: int
    name: str
    kept_at: datetime
    plate: str | None = None
    width: int = 0
    height: int = 0
    trouble: str | None = None
    head: int


class Projects(Schema):
    """All projects, the last kept first; and what is still on its way, in words."""

    projects: list[ProjectOut]
    coming: str | None


class Damaged(Exception):
    """A project stands at a step that cannot be read; readable is the last one that can be."""

    def __init__(self, project: Project, why: str) -> None:
        super().__init__(
            f"This project cannot be read where it stands. {why} Its history is kept: go back to "
            "the last step that can be read."
        )
        self.head, self.readable = project.head, projects.last_readable(project)


class BroughtOut(Schema):
    """What became of a file that was brought in. lantern: the one it is for, or that it made; None
    where nothing was taken. said: what is odd about it. done: how it was taken."""

    file: str
    lantern: str | None
    said: list[str]
    done: list[str]


class Answer(Schema):
    """What a project is, told as what differs from a step that the asker knows.

    base: that step; None where all is told. revision: the step that it stands at now; None for a
    try, of which nothing is kept. changed, gone, order: the scene's parts; gone also names what
    does not follow any more. undo, redo: titles of the steps back and forth. missing: names of
    parts that could not be read and are left out. arrays: small arrays by digest, in base64.
    brought: what became of files, where some were brought in.
    """

    id: int
    base: int | None
    revision: int | None
    kept_at: datetime | None = None
    undo: str | None = None
    redo: str | None = None
    missing: list[str] = []
    changed: Changed
    gone: list[str]
    order: Order
    follows: Follows
    arrays: dict[str, str]
    brought: list[BroughtOut] = []


class ChangeIn(BaseModel):
    base: Base
    change: Change


class TryIn(ChangeIn):
    """frame: which one is looked at. Of a long shot no more is told than is seen of it."""

    frame: Annotated[int, Field(ge=0, lt=100_001)] = 0


class BaseIn(BaseModel):
    base: Base


class Head(Schema):
    revision: int


class HistoryStep(Schema):
    number: int
    title: str
    station: Station
    made_at: datetime
    on_the_way: bool


STEPS = TypeAdapter(list[HistoryStep])


class Trouble(Schema):
    message: str
    since: list[str] = []
    count: int = 0
    head: int | None = None
    readable: int | None = None


def as_json(value: BaseModel) -> HttpResponse:
    """A value that is sound already, as JSON; the schema is in the route's own declaration."""
    return HttpResponse(value.model_dump_json(), content_type="application/json")


def answer(at: projects.AtHead, brought: list[BroughtOut] | None = None) -> HttpResponse:
    """Where a project stands."""
    out = answer_between(at.project.pk, at.base, at.before, at.scene, at.follow)
    out.revision, out.kept_at = at.project.head, at.project.kept_at
    out.undo, out.redo, out.missing = at.undo, at.redo, at.missing
    out.brought = brought or []
    return as_json(out)


def answer_between(
    project: int, base: int | None, before: Scene | None, after: Scene, follow: Following
) -> Answer:
    """What differs between two scenes of a project, and what follows from that."""
    differs = difference(before, after)
    return Answer.model_construct(
        id=project, base=base, revision=None, changed=differs.changed,
        gone=[*differs.gone, *follow.gone], order=differs.order, follows=follow.differs,
        arrays=arrays.carried(follow.differs.digests()),
    )  # fmt: skip


@router.api_operation(["GET", "POST"], "/ping", response=dict[str, str])
def ping(request: HttpRequest) -> dict[str, str]:
    """Does nothing: what a try is measured against."""
    return {}


@router.get("/projects", response=Projects)
def list_projects(request: HttpRequest) -> Projects:
    on_its_way = coming()  # asked first: what has come since is in the list then
    rows = [_listed(p) for p in Project.objects.order_by("-kept_at")]
    return Projects(projects=rows, coming=on_its_way)


def _listed(project: Project) -> ProjectOut:
    row = ProjectOut(
        id=project.pk, name=project.name, kept_at=project.kept_at, head=project.head
    )  # fmt: skip
    try:
        plate = revisions.plate_at(project.pk, project.head)
    except (Refusal, Revision.DoesNotExist) as error:
        row.trouble = str(error)
        return row
    row.trouble = projects.trouble_of(project)
    if row.trouble is None:
        row.plate, row.width, row.height = plate.digest, plate.width, plate.height
    return row


@router.get("/projects/{id}", response={200: Answer, 404: Trouble})
def open_project(request: HttpRequest, id: StepNumber, since: Since = None) -> HttpResponse:
    """A project as it stands; since: a step that is known, so that only the rest is told."""
    project = get_object_or_404(Project, pk=id)
    try:
        return answer(projects.at_head(project, since))
    except Refusal as error:
        raise Damaged(project, str(error)) from error


@router.delete("/projects/{id}", response={204: None, 404: Trouble})
def delete_project(request: HttpRequest, id: StepNumber) -> Status[None]:
    projects.delete(get_object_or_404(Project, pk=id))
    return Status(204, None)


@router.get("/projects/{id}/head", response={200: Head, 404: Trouble})
def head(request: HttpRequest, id: StepNumber) -> Head:
    return Head(revision=get_object_or_404(Project, pk=id).head)


# Histories as they are answered, by project, its newest step and where it stands.
_histories: Cache[tuple[int, int, int], bytes] = Cache(16 << 20, len)


@router.get("/projects/{id}/history", response={200: list[HistoryStep], 404: Trouble})
def history(request: HttpRequest, id: StepNumber) -> HttpResponse:
    project = get_object_or_404(Project, pk=id)
    newest = project.revisions.order_by("-number").values_list("number", flat=True)[0]
    body = _histories.of((id, newest, project.head), lambda: _history(project))
    return HttpResponse(body, content_type="application/json")


def _history(project: Project) -> bytes:
    fields = ("number", "parent", "title", "made_at")
    rows = list(project.revisions.order_by("number").values(*fields, verb=F("edit__verb")))
    parents = {r["number"]: r["parent"] for r in rows}
    way: set[int] = set()
    at: int | None = project.head
    while at is not None:
        way.add(at)
        at = parents[at]
    return STEPS.dump_json(
        [
            HistoryStep.model_construct(
                number=r["number"], title=r["title"], station=station_of(r["verb"] or ""),
                made_at=r["made_at"], on_the_way=r["number"] in way,
            )
            for r in rows
        ]
    )  # fmt: skip


@router.post(
    "/projects/{id}/edits", response={200: Answer, 404: Trouble, 409: Trouble, 422: Trouble}
)
def edit(request: HttpRequest, id: StepNumber, body: ChangeIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return answer(projects.keep(id, body.base, body.change).now)


@router.post(
    "/projects/{id}/tries", response={200: Answer, 404: Trouble, 409: Trouble, 422: Trouble}
)
def try_out(request: HttpRequest, id: StepNumber, body: TryIn) -> HttpResponse:
    """What would follow from a change. Nothing is stored."""
    scene = scene_or_404(id, body.base)
    with within(LONGEST_TRY_S):
        return as_json(tried(id, scene, body))


def scene_or_404(id: int, revision: int) -> Scene:
    """The scene of a project at one of its revisions."""
    try:
        return projects.scene_based_on(id, revision)
    except Revision.DoesNotExist as error:
        raise Http404 from error


def tried(project: int, before: Scene, asked: TryIn) -> Answer:
    """What a change would make differ."""
    _, after = changed(before, asked.change, plates.ToLookAt())
    check_time()
    projects.require_own(project, before, after, set())
    return answer_between(
        project, asked.base, before, after, worked_out(before, after, asked.frame)
    )


@router.post(
    "/projects/{id}/undo", response={200: Answer, 404: Trouble, 409: Trouble, 422: Trouble}
)
def undo(request: HttpRequest, id: StepNumber, body: BaseIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return answer(projects.step(id, body.base, back=True))


@router.post(
    "/projects/{id}/redo", response={200: Answer, 404: Trouble, 409: Trouble, 422: Trouble}
)
def redo(request: HttpRequest, id: StepNumber, body: BaseIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return answer(projects.step(id, body.base, back=False))


@router.post(
    "/projects/{id}/history/{number}",
    response={200: Answer, 404: Trouble, 409: Trouble, 422: Trouble},
)
def go_to(request: HttpRequest, id: StepNumber, number: StepNumber, body: BaseIn) -> HttpResponse:
    get_object_or_404(Project, pk=id)
    return answer(projects.jump(id, body.base, number))


@router.get("/arrays/{digest}", response={404: Trouble})
def array(request: HttpRequest, digest: Annotated[Digest, Path()]) -> HttpResponse:
    """The bytes of an array that an answer named. What a digest names never changes."""
    data = arrays.kept(digest)
    if data is None:
        raise Http404
    return HttpResponse(data, content_type="application/octet-stream", headers=FOR_EVER)
