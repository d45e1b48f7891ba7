"""What differs between two scenes, part by part."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..proxy import Proxy
from ..value import Id, Name, Value
from .model import (
    CastSheet,
    Glazed,
    KeptSighting,
    Label,
    Lantern,
    Move,
    Plate,
    Scene,
    Sighting,
    Weld,
)

SINGLE = ("name", "next_id", "plate", "sighting", "built_on", "sheet", "move")
MANY = ("kept_sightings", "proxies", "welds", "labels", "lanterns", "glazed")


class Changed(Value):
    """Parts that are new or other than they were; of what there are many, only those. None where
    nothing is."""

    name: Name | None = None
    next_id: int | None = None
    plate: Plate | None = None
    sighting: Sighting | None = None
    built_on: Sighting | None = None
    sheet: CastSheet | None = None
    move: Move | None = None
    kept_sightings: tuple[KeptSighting, ...] | None = None
    proxies: tuple[Proxy, ...] | None = None
    welds: tuple[Weld, ...] | None = None
    labels: tuple[Label, ...] | None = None
    lanterns: tuple[Lantern, ...] | None = None
    glazed: tuple[Glazed, ...] | None = None


class Order(Value):
    """The ids of what there are many of, in the scene's order; None where it is as it was."""

    kept_sightings: tuple[Id, ...] | None = None
    proxies: tuple[Id, ...] | None = None
    welds: tuple[Id, ...] | None = None
    labels: tuple[Id, ...] | None = None
    lanterns: tuple[Id, ...] | None = None
    glazed: tuple[Id, ...] | None = None


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
    for name in SINGLE:
        new, old = getattr(after, name), getattr(before, name, None)
        if same(new, old):
            continue
        if new is None:
            gone.append(name)
        else:
            changed[name] = new
    for name in MANY:
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
    return Difference.model_construct(
        changed=Changed.model_construct(**changed),
        gone=tuple(gone),
        order=Order.model_construct(**order),
    )


def same(new: Any, old: Any) -> bool:
    """Whether two parts are equal. Scenes share what has not changed, so that this is quick."""
    return new is old or bool(new == old)
