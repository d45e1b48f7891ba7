"""What parts a scene has, read off its own declaration: storing, differences, limits and the order
of parts follow from it. A new kind of part is its class and one line in `model.Scene`."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, get_args, get_origin

from .model import Most, Scene

NOT_PARTS = ("version", "name", "next_id")  # what a scene is called and counted by


@dataclass(frozen=True)
class PartKind:
    """A field of a scene. type: of the part, or of each where there are many. most: how many there
    can be, where that is limited. carried: whether it goes along with a change of the world's zero
    and size, by its own `carried`. pictures: whether it needs any, which its own `pictures`
    names."""

    name: str
    type: Any
    many: bool
    most: int | None

    @property
    def carried(self) -> bool:
        return _has(self.type, "carried")

    @property
    def pictures(self) -> bool:
        return _has(self.type, "pictures")

    def of(self, scene: Scene) -> tuple[Any, ...]:
        """A scene's parts of this kind."""
        value = getattr(scene, self.name)
        if self.many:
            return tuple(value)
        return () if value is None else (value,)


@cache
def _has(type_: Any, method: str) -> bool:
    """Whether a type, or each one that it may be, has a method."""
    kinds = [one for one in get_args(type_) if isinstance(one, type) or get_args(one)]
    return all(_has(one, method) for one in kinds) if kinds else hasattr(type_, method)


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
