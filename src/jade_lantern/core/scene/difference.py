"""What differs between two scenes, part by part."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import create_model

from ..value import Id, Name, Value
from .kinds import MANY, SINGLE
from .model import Scene

_NAMED: dict[str, Any] = {"name": (Name | None, None), "next_id": (int | None, None)}
_ONE: dict[str, Any] = {kind.name: (kind.type | None, None) for kind in SINGLE}
_SOME: dict[str, Any] = {
    kind.name: (tuple[kind.type, ...] | None, None)  # type: ignore[name-defined]
    for kind in MANY
}
_IDS: dict[str, Any] = {kind.name: (tuple[Id, ...] | None, None) for kind in MANY}

Changed: Any = create_model("Changed", __base__=Value, **_NAMED, **_ONE, **_SOME)
Changed.__doc__ = """Parts that are new or other than they were; of what there are many, only those.
None where nothing is."""

Order: Any = create_model("Order", __base__=Value, **_IDS)
Order.__doc__ = """The ids of what there are many of, in the scene's order; None where it is as it
was."""


class Difference(Value):
    """gone: names of parts that were removed, such as built_on or proxies/box-3. order: of things
    whose order changed, all ids in their new order."""

    changed: Changed = Changed()
    gone: tuple[str, ...] = ()
    order: Order = Order()


def difference(before: Scene | None, after: Scene) -> Difference:
    """The parts of a scene that differ from those of the one before it; all of them where there is
    none before. Parts are compared by identity first, since scenes share what did not change."""
    changed: dict[str, Any] = {}
    order: dict[str, Any] = {}
    gone: list[str] = []
    for name in (*_NAMED, *_ONE):
        new, old = getattr(after, name), getattr(before, name, None)
        if same(new, old):
            continue
        if new is None:
            gone.append(name)
        else:
            changed[name] = new
    for name in _SOME:
        things: Sequence[Any] = getattr(after, name)
        was = {thing.id: thing for thing in getattr(before, name, ())}
        other = tuple(t for t in things if not same(t, was.get(t.id)))
        if other:
            changed[name] = other
        ids = tuple(thing.id for thing in things)
        if ids != tuple(was):
            order[name] = ids
            gone += [f"{name}/{id}" for id in set(was).difference(ids)]
    # its parts have been validated where they were made
    made: dict[str, Any] = {
        "changed": Changed.model_construct(**changed), "gone": tuple(gone),
        "order": Order.model_construct(**order),
    }  # fmt: skip
    return Difference.model_construct(**made)


def same(new: Any, old: Any) -> bool:
    """Whether two parts are equal. Scenes share what has not changed, so that this is quick."""
    return new is old or bool(new == old)
