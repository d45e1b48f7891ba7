"""Revisions in the database: a map from the names of a scene's parts to their digests.

A map of two hundred proxies is long, and an edit changes one entry of it. So a revision holds only
what its map has otherwise than that of an earlier one, its `whole`, which holds a map in full: any
map is read from two rows, and an edit costs what it changes.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from django.db import models

from ..core.cache import Cache
from ..core.refusal import Refusal
from ..core.scene.kinds import MANY
from ..core.scene.model import Scene
from ..core.scene.parts import known_value, parts_of, read_part, scene_of
from ..core.scene.plate import Plate
from ..core.value import Value
from .models import Project, Revision, ScenePart

MOST_DIFFERING = 24  # entries that a revision may have otherwise before it gets a map in full
MOST_MAP_BYTES = 16 << 20
AT_ONCE = 900  # digests asked for in one query


@dataclass(frozen=True)
class Parts:
    """A revision's map. whole: the number of the revision that it is kept as a difference from."""

    whole: int
    digests: Mapping[str, str]


_maps: Cache[tuple[int, int], Parts] = Cache(MOST_MAP_BYTES)


def parts_at(project: int, number: int) -> Parts:
    """A revision's map; it never changes. Raises Revision.DoesNotExist, and Refusal where the map
    is damaged."""
    return _maps.of((project, number), lambda: _read_map(project, number))


def _read_map(project: int, number: int) -> Parts:
    rows = Revision.objects.filter(project=project).only("whole", "parts")
    try:
        row = rows.get(number=number)
        full = row if row.whole == number else rows.filter(number=row.whole).first()
        if full is None:
            raise ValueError("the map that this one differs from is gone")
        return Parts(row.whole, _applied(full.parts, {} if full is row else row.parts))
    except (ValueError, TypeError, AttributeError) as error:  # it is not what was written
        raise Refusal("The list of this step's parts is damaged.") from error


def _applied(digests: Mapping[str, str], difference: Mapping[str, str | None]) -> dict[str, str]:
    out = {**digests, **difference}
    return {name: digest for name, digest in out.items() if digest is not None}


def _difference(digests: Mapping[str, str], other: Mapping[str, str]) -> dict[str, str | None]:
    """What has to be put over one map to get the other."""
    out: dict[str, str | None] = {n: d for n, d in other.items() if digests.get(n) != d}
    return {**out, **{n: None for n in digests if n not in other}}


def _in_order(digests: Iterable[str]) -> list[list[str]]:
    """The names of what there are many of: their order is the scene's."""
    names = list(digests)
    return [[n for n in names if n.startswith(f"{kind.name}/")] for kind in MANY]


def store(
    project: Project,
    number: int,
    parent: int | None,
    title: str,
    edit: dict[str, Any] | None,
    scene: Scene,
) -> None:
    """Store a scene as a revision: the parts that its parent does not have, and a map. To be
    called in a transaction."""
    parts = parts_of(scene)
    digests = {name: part.digest for name, part in parts.items()}
    whole, kept = number, dict[str, str | None](digests)
    there: set[str] = set()
    if parent is not None:
        before = parts_at(project.pk, parent)
        there = set(before.digests.values())
        full = parts_at(project.pk, before.whole).digests
        difference = _difference(full, digests)
        same_order = _in_order(_applied(full, difference)) == _in_order(digests)
        if len(difference) <= MOST_DIFFERING and same_order:
            whole, kept = before.whole, difference
    new = {p.digest: p.body for p in parts.values() if p.digest not in there}
    ScenePart.objects.bulk_create(
        (ScenePart(project=project, digest=d, body=b) for d, b in new.items()),
        ignore_conflicts=True,
    )
    Revision.objects.create(
        project=project, number=number, parent=parent, title=title[:120], edit=edit, whole=whole,
        parts=kept,
    )  # fmt: skip


def load(project: int, number: int) -> tuple[Scene, list[str]]:
    """A revision's scene, and the names of parts that could not be read and are left out.

    Raises Revision.DoesNotExist; and Refusal where a part is damaged without which there is no
    scene.
    """
    digests = parts_at(project, number).digests
    unread = [d for n, d in digests.items() if known_value(n, d) is None]
    bodies = _bodies(project, unread)
    values: dict[str, Value] = {}
    missing: list[str] = []
    for name, digest in digests.items():
        value = known_value(name, digest)
        if value is None and digest in bodies:
            try:
                value = read_part(name, digest, bodies[digest])
            except Refusal:
                value = None
        if value is None:
            missing.append(name)
        else:
            values[name] = value
    return scene_of(values), missing


def _bodies(project: int, digests: list[str]) -> dict[str, str]:
    out: dict[str, str] = {}
    rows: models.QuerySet[ScenePart] = ScenePart.objects.filter(project=project)
    for at in range(0, len(digests), AT_ONCE):
        some = rows.filter(digest__in=digests[at : at + AT_ONCE])
        out.update(some.values_list("digest", "body"))
    return out


def plate_at(project: int, number: int) -> Plate:
    """The plate of a revision, without reading the rest of its scene. Raises Refusal."""
    digests = parts_at(project, number).digests
    wanted = {name: digests[name] for name in ("label", "plate") if name in digests}
    bodies = _bodies(project, list(wanted.values()))
    if len(wanted) < 2 or any(d not in bodies for d in wanted.values()):
        raise Refusal("A part of this project is missing.")
    read_part("label", wanted["label"], bodies[wanted["label"]])
    plate = read_part("plate", wanted["plate"], bodies[wanted["plate"]])
    assert isinstance(plate, Plate)
    return plate


def with_a_plate(project: Project) -> Iterator[int]:
    """The revisions whose map, label and plate can be read, the newest first. Without those there
    is no scene. Parts are looked at many at once, for a damaged project may have thousands of
    steps that share what is damaged."""
    rows = Revision.objects.filter(project=project).order_by("-number")
    numbers = list(rows.values_list("number", flat=True))
    sound: dict[str, bool] = {}
    for at in range(0, len(numbers), AT_ONCE):
        wanted: list[tuple[int, str, str]] = []
        for number in numbers[at : at + AT_ONCE]:
            try:
                digests = parts_at(project.pk, number).digests
                wanted.append((number, digests["label"], digests["plate"]))
            except (Refusal, KeyError):
                continue
        for name, which in (("plate", 2), ("label", 1)):
            new = {str(row[which]) for row in wanted} - sound.keys()
            bodies = _bodies(project.pk, sorted(new))
            sound.update({d: _can_be_read(name, d, bodies.get(d)) for d in new})
            wanted = [row for row in wanted if sound[str(row[which])]]
        yield from (number for number, _, _ in wanted)


def _can_be_read(name: str, digest: str, body: str | None) -> bool:
    if body is None:
        return False
    try:
        read_part(name, digest, body)
    except Refusal:
        return False
    return True
