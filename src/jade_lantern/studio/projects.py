"""Load, apply, store: the only place where a project's head moves."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.db import transaction

from ..core.begin.camera import (
    CameraAsked,
    camera_come,
    camera_paths_in,
    chosen,
    meshes_come,
    said_inside,
)
from ..core.begin.nothing import LEAST_SIDE, Nothing, grey_picture, scene_on_nothing
from ..core.begin.picture import Shows, replacing
from ..core.block.blocking import READ
from ..core.budget import Budget
from ..core.cache import Cache
from ..core.change import changed
from ..core.deliver.archive import unpacked
from ..core.dress.facts import require_true
from ..core.picture import png
from ..core.refusal import Refusal
from ..core.scene.check import checked
from ..core.scene.edits import Edit, apply
from ..core.scene.gesture import Gesture, PictureGesture
from ..core.scene.model import Scene
from ..core.scene.pictures import pictures_in
from ..core.scene.timed import Move
from ..core.store import read
from . import deliveries, plates, revisions
from .follows import Following, follows, worked_out
from .machine import require_memory
from .models import PlateNeeded, Project, Revision
from .trouble import Busy


class Moved(Exception):
    """The project is no longer where the asker thought: the titles of the last few things that
    happened since, and how many there were."""

    def __init__(self, since: list[str], count: int) -> None:
        super().__init__(since, count)
        self.since, self.count = since, count


@dataclass(frozen=True)
class AtHead:
    """A project where it stands, and what follows from that.

    missing: names of parts that could not be read and are left out. undo, redo: titles of the steps
    back and forth. base, before: a step that what follows is told against, and its scene; None
    where all is told.
    """

    project: Project
    scene: Scene
    missing: list[str]
    undo: str | None
    redo: str | None
    base: int | None
    before: Scene | None
    follow: Following


@dataclass(frozen=True)
class KeptChange:
    """A change that was kept: the scene before it, the edit that it came to, and where the project
    stands now."""

    before: Scene
    edit: Edit
    now: AtHead


MOST_FRAMES, MOST_FIRST = 10_000, 10**7  # of a shot, and of its first number


def project_from_still(data: bytes, file_name: str, name: str = "") -> Project:
    """A new project on a still, or on a movie or a numbered sequence, which plays. Raises Refusal,
    and then nothing is kept."""
    plain = _line(file_name.replace("\\", "/").rsplit("/", 1)[-1]) or "still"
    called = _line(name) or _line(plain.rsplit(".", 1)[0]) or "New project"
    plate, facts = plates.plate_of_file(data, plain)
    if facts is None:
        return start(Scene(name=called, plate=plate))
    fps = min(max(facts.rate or Move().fps, 1.0), 240.0)
    move = Move(fps=fps, frames=min(facts.count, MOST_FRAMES), first=min(facts.first, MOST_FIRST))
    return start(Scene(name=called, plate=plate, move=move))


def project_on_nothing(asked: Nothing) -> Project:
    """A new project that has no picture yet. Raises Refusal, and then nothing is kept."""
    return start(_on_nothing(asked))


def _on_nothing(asked: Nothing) -> Scene:
    grey = plates.take_in(png(grey_picture(asked.width, asked.height)))
    return scene_on_nothing(asked, grey.digest)


def project_from_camera(
    data: bytes, file_name: str, asked: CameraAsked, width: int, with_meshes: bool, name: str = ""
) -> tuple[Project, list[str]]:
    """A new project on a file's camera, that has no picture yet, and what is odd about it. width:
    px of its frame, whose shape is the camera's. Meshes that cannot be taken are left out. Raises
    Refusal, and then nothing is kept."""
    paths = camera_paths_in(data, file_name)
    one = chosen(paths, asked.camera)
    height = max(round(width / (one.aspect or 16 / 9)), LEAST_SIDE)
    plain = _line(file_name.replace("\\", "/").rsplit("/", 1)[-1])
    called = _line(name) or _line(plain.rsplit(".", 1)[0]) or "New project"
    begun = _on_nothing(Nothing(name=called, width=width, height=height))
    come = camera_come(paths, asked, begun)
    edits: list[tuple[Edit, Scene]] = []
    scene = apply(begun, come.edit)
    edits.append((come.edit, scene))
    said = list(come.said)
    if with_meshes and file_name.lower().endswith(tuple(READ)):
        try:
            stood = meshes_come(data, file_name, scene, come)
        except Refusal as error:  # a camera is worth having without them
            said.append(f"Only its camera came. {error}")
        else:
            edits.append((stood, apply(scene, stood)))
    return start(begun, edits), said + said_inside(edits[-1][1])


def replace_still(
    project_id: int, base: int, data: bytes, file_name: str, shows: Shows | None
) -> KeptChange:
    """Put a file's picture in the place of a project's still. Raises Refusal and Moved, and then
    nothing has changed."""
    scene = scene_based_on(project_id, base)
    kept = plates.KeepingPictures()
    plain = _line(file_name.replace("\\", "/").rsplit("/", 1)[-1]) or "still"
    plate, _ = plates.plate_of_file(data, plain, scene.move.fps)
    kept.brought.add(plate.digest)
    return keep(project_id, base, replacing(scene, plate, shows, kept), kept)


def project_from_archive(data: bytes, name: str = "") -> Project:
    """A project from an exported archive. Raises Refusal, and then nothing is kept."""
    found = unpacked(data, settings.MOST_PIXELS, Budget(5 * settings.MOST_DECODED_BYTES))
    look = found.scene.look
    files = {d for one in (*found.scene.guests, *found.scene.lights) for d in one.pictures()}
    files |= set() if look is None else look.pictures()
    reliefs = (one.relief.picture for one in found.scene.lanterns if one.relief is not None)
    files |= {digest for digest in reliefs if digest is not None}
    files -= {d for one in found.scene.guests if one.kind == "picture" for d in one.pictures()}
    for digest in found.pictures.names:
        data = read(found.pictures, digest)
        if digest in files:
            plates.store().keep(data)  # a model, a font and the like, which is no plate
        else:
            plates.take_in(data)
    called = _line(name) or found.scene.name
    return start(checked(found.scene.model_copy(update={"name": called})))


def _line(text: str) -> str:
    """Text as a name: one line of what can be shown."""
    return "".join(c for c in text if c.isprintable()).strip()[:80].strip()


def start(scene: Scene, steps: list[tuple[Edit, Scene]] | None = None) -> Project:
    """Store a project at its first scene, and what followed."""
    worked_out(None, steps[-1][1] if steps else scene)
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
    _at_hand.drop_if(lambda key: key[0] == number)


# A scene at hand holds on to its parts, which consecutive scenes share; so few are enough.
MOST_AT_HAND_BYTES = 48 << 20
_at_hand: Cache[tuple[int, int], tuple[Scene, list[str]]] = Cache(MOST_AT_HAND_BYTES)
_deleted: set[int] = set()  # numbers are never given again, so these stay gone


def scene_at_hand(project: int, number: int) -> Scene | None:
    """A revision's scene if it has been read already."""
    found = None if project in _deleted else _at_hand.get((project, number))
    return None if found is None else found[0]


def _read(project: int, number: int) -> tuple[Scene, list[str]]:
    """A revision's scene and what is missing of it. It never changes, so it is read once."""
    if project in _deleted:
        raise Revision.DoesNotExist
    return _at_hand.of((project, number), lambda: revisions.load(project, number))


def scene_at(project: Project) -> Scene:
    return _read(project.pk, project.head)[0]


def scene_based_on(project: int, base: int) -> Scene:
    """The scene of a revision; of one that has been read before, without asking the database.

    Raises Revision.DoesNotExist.
    """
    return _read(project, base)[0]


def at_head(project: Project, base: int | None = None) -> AtHead:
    """Where a project stands, told against one of its steps where that can still be read.

    Raises Refusal where its scene cannot be read, or nothing can be drawn of it.
    """
    rows = Revision.objects.filter(project=project)
    now = rows.only("parent", "title").get(number=project.head)
    newest = rows.filter(parent=project.head).order_by("-number")
    redo = newest.values_list("title", flat=True).first()
    undo = None if now.parent is None else now.title
    try:
        scene, missing = _read(project.pk, project.head)
        base, before, follow = _told_against(project, base, scene)
    except Refusal as error:
        _troubles[project.pk, project.head] = str(error)
        raise
    _troubles.pop((project.pk, project.head), None)
    return AtHead(project, scene, missing, undo, redo, base, before, follow)


def _told_against(
    project: Project, base: int | None, scene: Scene
) -> tuple[int | None, Scene | None, Following]:
    """What follows from a scene, told against a step; in full where that step is no help."""
    if base is not None and (project.pk, base) not in _troubles:
        try:
            before = scene_based_on(project.pk, base)
            return base, before, worked_out(before, scene)
        except (Refusal, Revision.DoesNotExist):
            pass
    return None, None, worked_out(None, scene)


# Why projects cannot be opened where they stand, by project and step: found when one was opened.
_troubles: dict[tuple[int, int], str] = {}
LONGEST_SEARCH_S = 20.0


def trouble_of(project: Project) -> str | None:
    """Why a project cannot be opened where it stands, if that has been found out."""
    return _troubles.get((project.pk, project.head))


def last_readable(project: Project) -> int | None:
    """The newest revision that can be opened, where the one that the project stands at cannot;
    None where there is none, or none is found in time."""
    until = time.monotonic() + LONGEST_SEARCH_S
    for number in revisions.with_a_plate(project):
        if time.monotonic() > until:
            return None
        try:
            follows(None, revisions.load(project.pk, number)[0])
        except Exception:
            continue
        return number
    return None


def keep(
    project_id: int,
    base: int,
    change: Edit | Gesture | PictureGesture,
    pictures: plates.KeepingPictures | None = None,
) -> KeptChange:
    """Make a change that was based on a revision, and keep it. pictures: those that were brought
    in for it.

    Raises Moved where the project has moved on, Refusal where the change cannot be, or nothing
    can be drawn of what it comes to; nothing is stored then. All that is answered is worked out,
    and the pictures that it brings are made, before the database is held: a large plate takes
    seconds, and what has been stored can no longer fail.
    """
    pictures = pictures or plates.KeepingPictures()
    _require_head(Project.objects.get(pk=project_id), base)
    before = scene_based_on(project_id, base)
    if isinstance(change, PictureGesture):
        require_memory(change.memory_bytes(before), "Making this picture")
    edit, scene = changed(before, change, pictures)
    require_own(project_id, before, scene, pictures.brought)
    require_true(before, scene, pictures.brought, plates.store().open)
    follow = worked_out(before, scene)
    title = edit.title(before)
    with transaction.atomic():
        project = Project.objects.select_for_update().get(pk=project_id)
        _require_head(project, base)
        last = (
            Revision.objects.filter(project=project)
            .order_by("-number")
            .values_list("number", flat=True)[0]
        )
        revisions.store(project, last + 1, base, title, edit.model_dump(mode="json"), scene)
        if pictures_in(scene) != pictures_in(before):
            _need(project, scene)
        project.head, project.name = last + 1, scene.name
        project.save()
    _at_hand.put((project_id, project.head), (scene, []))
    return KeptChange(before, edit, AtHead(project, scene, [], title, None, base, before, follow))


def keep_at_head(
    project_id: int,
    change: Edit | Gesture | PictureGesture,
    pictures: plates.KeepingPictures | None = None,
) -> KeptChange:
    """Keep a change on whatever is the newest; tried again where somebody else was quicker.

    Raises Busy where that happens again and again.
    """
    for turn in range(MOST_TURNS):
        base = Project.objects.get(pk=project_id).head
        try:
            return keep(project_id, base, change, pictures)
        except Moved as error:
            if turn == MOST_TURNS - 1:
                raise Busy from error
    raise AssertionError


MOST_TURNS = 20


def require_own(project_id: int, before: Scene, after: Scene, brought: set[str]) -> None:
    """Raises Refusal where a change names a plate that is none of the project's own, nor brought
    in for it."""
    naming = ("lanterns", "plate", "guests", "look")
    if all(getattr(after, n) is getattr(before, n) for n in naming):
        return
    digests = pictures_in(after) - pictures_in(before) - brought
    rows = PlateNeeded.objects.filter(project=project_id, digest__in=digests)
    own = set(rows.values_list("digest", flat=True)) if digests else set()
    if any(d not in own or not plates.there(d) for d in digests):
        raise Refusal("A plate that this change names was never brought into this project.")


def step(project_id: int, base: int, back: bool) -> AtHead:
    """Undo or redo by moving the head. Raises Moved and Refusal, and then it stays."""
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
        return _go(project, base, to)


def jump(project_id: int, base: int, number: int) -> AtHead:
    """Go to any revision in the history. Raises Moved and Refusal, and then it stays."""
    with transaction.atomic():
        project = Project.objects.select_for_update().get(pk=project_id)
        _require_head(project, base)
        if not Revision.objects.filter(project=project, number=number).exists():
            raise Refusal("This step is not in the project's history.")
        return _go(project, base, number)


def _go(project: Project, base: int, number: int) -> AtHead:
    """Move the head, in a transaction, to a step that can be opened."""
    stood = project.head
    project.head = number
    try:
        now = at_head(project, base)
    except Refusal as error:
        raise Refusal(
            f"That step cannot be opened, so the project stays at step {stood}. {error}"
        ) from error
    project.name = now.scene.name
    project.save()
    return now


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
