"""Load, apply, store: the only place where a project's head moves."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from ..core.change import changed
from ..core.deliver.archive import unpacked
from ..core.refusal import Refusal
from ..core.scene.check import checked
from ..core.scene.edits import Edit
from ..core.scene.gesture import Gesture, PictureGesture
from ..core.scene.model import LensFacts, Plate, Scene
from ..core.scene.pictures import pictures_in
from . import deliveries, plates, revisions
from .models import PlateNeeded, Project, Revision


@dataclass(frozen=True)
class Moved(Exception):
    """The project is no longer where the asker thought: the titles of the last few things that
    happened since, and how many there were."""

    since: list[str]
    count: int


@dataclass(frozen=True)
class AtHead:
    """A project where it is now."""

    project: Project
    scene: Scene
    missing: list[str]  # names of parts that could not be read and are left out
    undo: str | None
    redo: str | None


def project_from_still(data: bytes, file_name: str, name: str = "") -> Project:
    """A new project on a still. Raises Refusal, and then nothing is kept."""
    still = plates.take_in(data)
    plain = _line(file_name.replace("\\", "/").rsplit("/", 1)[-1]) or "still"
    plate = Plate(
        name=plain, width=still.width, height=still.height, digest=still.digest,
        format=still.format, bits=still.bits, alpha=still.alpha, profile=still.profile,
        lens=LensFacts(
            focal_mm=still.focal_mm, focal_35mm=still.focal_35mm, taken_with=still.taken_with
        ),
    )  # fmt: skip
    called = _line(name) or _line(plain.rsplit(".", 1)[0]) or "New project"
    return start(Scene(name=called, plate=plate))


def project_from_archive(data: bytes, name: str = "") -> Project:
    """A project from an exported archive. Raises Refusal, and then nothing is kept."""
    found = unpacked(data, settings.MOST_PIXELS)
    for file in found.files.values():
        plates.take_in(file)
    called = _line(name) or found.scene.name
    return start(checked(found.scene.model_copy(update={"name": called})))


def _line(text: str) -> str:
    """Text as a name: one line of what can be shown."""
    return "".join(c for c in text if c.isprintable()).strip()[:80].strip()


def start(scene: Scene, steps: list[tuple[Edit, Scene]] | None = None) -> Project:
    """Store a project at its first scene, and what followed."""
    with transaction.atomic():
        project = Project.objects.create(name=scene.name)
        rows: list[tuple[str, dict[str, Any] | None, Scene]] = [("Bring in the still", None, scene)]
        before = scene
        for edit, after in steps or []:
            rows.append((edit.title(before), edit.model_dump(mode="json"), after))
            before = after
        for i, (title, dumped, then) in enumerate(rows):
            revisions.store(project, i, i - 1 if i else None, title, dumped, then)
        for _, _, then in rows:
            _need(project, then)
        project.head = len(rows) - 1
        project.save()
    return project


def _need(project: Project, scene: Scene) -> None:
    """Note the plates that a scene needs, so that they are not swept."""
    PlateNeeded.objects.bulk_create(
        (PlateNeeded(project=project, digest=d) for d in pictures_in(scene)), ignore_conflicts=True
    )


def delete(project: Project) -> None:
    """Delete a project with its history and deliveries. Plates that nobody else needs are swept
    in the caretaker's next round."""
    number = project.pk
    for row in project.deliveries.all():
        deliveries.remove(row)
    project.delete()
    _deleted.add(number)
    for key in [k for k in list(_at_hand) if k[0] == number]:
        _at_hand.pop(key, None)


MOST_AT_HAND = 256
_at_hand: OrderedDict[tuple[int, int], tuple[Scene, list[str]]] = OrderedDict()
_deleted: set[int] = set()  # numbers are never given again, so these stay gone


def scene_at_hand(project: int, number: int) -> Scene | None:
    """A revision's scene if it has been read already."""
    found = None if project in _deleted else _at_hand.get((project, number))
    return None if found is None else found[0]


def _read(project: int, number: int) -> tuple[Scene, list[str]]:
    """A revision's scene and what is missing of it. It never changes, so it is read once."""
    if project in _deleted:
        raise Revision.DoesNotExist
    found = _at_hand.get((project, number))
    if found is None:
        found = _at_hand[project, number] = revisions.load(project, number)
        while len(_at_hand) > MOST_AT_HAND:
            _at_hand.popitem(last=False)
    return found


def scene_at(project: Project) -> Scene:
    return _read(project.pk, project.head)[0]


def scene_based_on(project: int, base: int) -> Scene:
    """The scene of a revision; of one that has been read before, without asking the database.

    Raises Revision.DoesNotExist.
    """
    return _read(project, base)[0]


def at_head(project: Project) -> AtHead:
    rows = Revision.objects.filter(project=project)
    now = rows.only("parent", "title").get(number=project.head)
    newest = rows.filter(parent=project.head).order_by("-number")
    redo = newest.values_list("title", flat=True).first()
    scene, missing = _read(project.pk, project.head)
    return AtHead(project, scene, missing, None if now.parent is None else now.title, redo)


def keep(project_id: int, base: int, change: Edit | Gesture | PictureGesture) -> Project:
    """Make a change that was based on a revision, and keep it.

    Raises Moved where the project has moved on, Refusal where the change cannot be; nothing is
    stored then. The change is worked out, and the pictures that it brings are made, before the
    database is held: a large plate takes seconds.
    """
    return _keep(project_id, base, change)[0]


def keep_at_head(
    project_id: int, change: Edit | Gesture | PictureGesture
) -> tuple[Scene, Edit | Gesture | PictureGesture, Edit, Scene]:
    """Keep a change on whatever is the newest. Returns the scene before, the change, the edit that
    it came to, and the scene after."""
    base = Project.objects.get(pk=project_id).head
    _, before, edit, scene = _keep(project_id, base, change)
    return before, change, edit, scene


def _keep(
    project_id: int, base: int, change: Edit | Gesture | PictureGesture
) -> tuple[Project, Scene, Edit, Scene]:
    _require_head(Project.objects.get(pk=project_id), base)
    before = scene_based_on(project_id, base)
    edit, scene = changed(before, change, plates.Kept())
    for digest in pictures_in(scene) - pictures_in(before):
        if not plates.there(digest):
            raise Refusal("A plate that this change names was never brought in.")
    with transaction.atomic():
        project = Project.objects.select_for_update().get(pk=project_id)
        _require_head(project, base)
        last = (
            Revision.objects.filter(project=project)
            .order_by("-number")
            .values_list("number", flat=True)[0]
        )
        revisions.store(
            project, last + 1, base, edit.title(before), edit.model_dump(mode="json"), scene
        )  # fmt: skip
        if pictures_in(scene) != pictures_in(before):
            _need(project, scene)
        project.head, project.name = last + 1, scene.name
        project.save()
    return project, before, edit, scene


def step(project_id: int, base: int, back: bool) -> Project:
    """Undo or redo by moving the head."""
    with transaction.atomic():
        project = Project.objects.select_for_update().get(pk=project_id)
        _require_head(project, base)
        rows = Revision.objects.filter(project=project)
        if back:
            to = rows.get(number=base).parent
        else:
            to = (
                rows.filter(parent=base)
                .order_by("-number")
                .values_list("number", flat=True)
                .first()
            )
        if to is None:
            raise Refusal("There is nothing to undo." if back else "There is nothing to redo.")
        project.head = to
        project.name = scene_at(project).name
        project.save()
    return project


def jump(project_id: int, base: int, number: int) -> Project:
    """Go to any revision in the history."""
    with transaction.atomic():
        project = Project.objects.select_for_update().get(pk=project_id)
        _require_head(project, base)
        if not Revision.objects.filter(project=project, number=number).exists():
            raise Refusal("This step is not in the project's history.")
        project.head, project.kept_at = number, timezone.now()
        project.name = scene_at(project).name
        project.save()
    return project


def _require_head(project: Project, base: int) -> None:
    if project.head != base:
        raise _since(project, base)


LAST_FEW = 5


def _since(project: Project, base: int) -> Moved:
    """What happened after a revision: the last few titles, newest last, and how many steps in all;
    a step back is said as one."""
    rows = Revision.objects.filter(project=project)
    parents = dict(rows.values_list("number", "parent"))
    if base not in parents:
        raise Refusal("This change was based on a step that this project never had.")
    steps: list[int] = []
    number: int | None = project.head
    while number is not None and number != base:
        steps.append(number)
        number = parents[number]
    undone = number is None
    shown = [base] if undone else steps[:LAST_FEW][::-1]
    titles = dict(rows.filter(number__in=shown).values_list("number", "title"))
    said = [f"Undo: {titles[n]}" if undone else titles[n] for n in shown]
    return Moved(said, 1 if undone else len(steps))
