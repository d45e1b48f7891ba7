"""What an edit is, and how one is applied."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from typing import Any, ClassVar, Literal, Protocol, TypeVar

from pydantic import ValidationError

from ...refusal import Refusal
from ...value import Name, Value
from ..aim import aims_in_step
from ..check import checked
from ..document import plainly
from ..dressing import dressing_in_step
from ..model import Scene
from ..moment import tracks_in_step
from ..sheet import in_step as cast_in_step

Station = Literal["still", "sight", "block", "cast", "move", "dress", "deliver"]


class Edit(Value):
    """A change that can be kept."""

    station: ClassVar[Station] = "still"

    def on(self, scene: Scene) -> Scene:
        raise NotImplementedError

    def title(self, scene: Scene) -> str:
        """What the history calls it. scene: as it is before, by which things are named."""
        raise NotImplementedError


class RenameProject(Edit):
    verb: Literal["RenameProject"] = "RenameProject"
    name: Name

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"name": self.name})

    def title(self, scene: Scene) -> str:
        return f"Rename to {self.name}"


def apply(scene: Scene, edit: Edit) -> Scene:
    """The next scene, checked as a whole. Raises Refusal, and then nothing has changed."""
    try:
        after = edit.on(scene)
    except ValidationError as error:
        raise Refusal(plainly(error)) from error
    for in_step in (cast_in_step, dressing_in_step, tracks_in_step, aims_in_step):
        after = in_step(scene, after)
    return checked(after, scene)


class HasId(Protocol):
    @property
    def id(self) -> str: ...


_T = TypeVar("_T", bound=HasId)


def the_one(things: Sequence[_T], id: str, what: str) -> _T:
    for thing in things:
        if thing.id == id:
            return thing
    raise Refusal(f"This {what} is not there any more.")


def swapped(things: Sequence[Any], new: HasId) -> tuple[Any, ...]:
    return tuple(new if t.id == new.id else t for t in things)


def without(things: Sequence[Any], id: str) -> tuple[Any, ...]:
    the_one(things, id, "thing")
    return tuple(t for t in things if t.id != id)


def station_of(verb: str) -> Station:
    """The station that a verb belongs to; the first one for a verb that is not known any more."""
    return _stations(Edit).get(verb, "still")


@cache
def _stations(of: type[Edit]) -> dict[str, Station]:
    out = {}
    for kind in of.__subclasses__():
        verb = kind.model_fields.get("verb")
        if verb is not None:
            out[str(verb.default)] = kind.station
        out.update(_stations(kind))
    return out


def numbered(scene: Scene) -> Scene:
    return scene.model_copy(update={"next_id": scene.next_id + 1})
