"""What parts a scene has, read off its own declaration: storing, differences, limits and the order
of parts follow from it. A new kind of part is its class and one line in `model.Scene`."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, get_args, get_origin

from .model import Most, Scene

NOT_PARTS = ("version", "name", "next_id")  # what a scene is called and counted by


@dataclass(frozen=True)
class PartKind:
    """A field of a scene. type: of the part, or of each where there are many. most: how many there
    can be, where that is limited."""

    name: str
    type: Any
    many: bool
    most: int | None


def _kind(name: str) -> PartKind:
    field = Scene.model_fields[name]
    annotation: Any = field.annotation
    most = next((m.count for m in field.metadata if isinstance(m, Most)), None)
    if get_origin(annotation) is tuple:
        return PartKind(name, get_args(annotation)[0], True, most)
    given = [one for one in get_args(annotation) if one is not type(None)]
    return PartKind(name, given[0] if given else annotation, False, most)


PART_KINDS = tuple(_kind(name) for name in Scene.model_fields if name not in NOT_PARTS)
SINGLE = tuple(kind for kind in PART_KINDS if not kind.many)
MANY = tuple(kind for kind in PART_KINDS if kind.many)
