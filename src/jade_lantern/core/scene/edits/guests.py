"""The verbs of guests."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import create_model

from ...refusal import Refusal
from ...value import Id, Value
from ..guests import GUEST_KINDS, Guest, PictureGuest
from ..model import Scene
from .block import free_name, given_in
from .dress import DressEdit
from .edit import Station, numbered, swapped, the_one, without
from .play import PlayEdit

FIXED = ("id", "kind", "file", "plate", "letters")  # what a guest is, and what follows from tracks
CAN_BE_NOTHING = ("row", "scatter", "font")


class AddGuest(DressEdit):
    """Add a model, a picture on a card, or words. Its id is given by the scene, and a number is put
    behind a name that is taken."""

    verb: Literal["AddGuest"] = "AddGuest"
    guest: Guest

    def on(self, scene: Scene) -> Scene:
        name = free_name(self.guest.name, {one.name for one in scene.guests})
        new = self.guest.model_copy(update={"id": f"guest-{scene.next_id}", "name": name})
        return numbered(scene.model_copy(update={"guests": (*scene.guests, new)}))

    def title(self, scene: Scene) -> str:
        return f"Stand {self.guest.name}"


def _all_facts() -> dict[str, Any]:
    """What guests have that can be changed, by name, each optional."""
    return {
        name: (field.rebuild_annotation() | None, None)
        for kind in GUEST_KINDS
        for name, field in kind.model_fields.items()
        if name not in FIXED
    }


# What can be changed on a guest; only what is given changes.
GuestFacts: Any = create_model("GuestFacts", __base__=Value, **_all_facts())


def facts_of(facts: dict[str, Any]) -> Any:
    """Some facts as what can be changed on a guest."""
    return GuestFacts(**facts)


class AlterGuest(DressEdit):
    """Change what is given of a guest. Given as null, it is not repeated any more, or its letters
    are those that are shipped."""

    verb: Literal["AlterGuest"] = "AlterGuest"
    guest: Id
    to: GuestFacts

    def on(self, scene: Scene) -> Scene:
        old, given = the_one(scene.guests, self.guest, "guest"), given_in(self.to)
        foreign = [name for name in given if name not in type(old).model_fields]
        if foreign:
            raise Refusal(f"A {old.kind} guest has no {foreign[0].split('_')[0]}.")
        empty = [k for k, value in given.items() if value is None and k not in CAN_BE_NOTHING]
        if empty:
            raise Refusal(f"A guest's {empty[0].split('_')[0]} cannot be nothing.")
        if any(one.name == given.get("name") and one.id != old.id for one in scene.guests):
            raise Refusal(f"There is a {given['name']} already. Give it another name.")
        new = type(old).model_validate({**dict(old.__dict__), **given})
        return scene.model_copy(update={"guests": swapped(scene.guests, new)})

    def title(self, scene: Scene) -> str:
        name, given = the_one(scene.guests, self.guest, "guest").name, given_in(self.to)
        if set(given) == {"hidden"}:
            return f"{'Hide' if given['hidden'] else 'Show'} {name}"
        if "name" in given:
            return f"Name {name} “{given['name']}”"
        if set(given) <= {"x", "z", "level_m"}:
            return f"Move {name}"
        what = " and ".join(dict.fromkeys(n.split("_")[0] for n in given))
        return f"Change the {what} of {name}"


class DeleteGuest(DressEdit):
    verb: Literal["DeleteGuest"] = "DeleteGuest"
    guest: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"guests": without(scene.guests, self.guest)})

    def title(self, scene: Scene) -> str:
        return f"Take {the_one(scene.guests, self.guest, 'guest').name} away"


class DuplicateGuest(DressEdit):
    """The same guest again, a little beside it."""

    verb: Literal["DuplicateGuest"] = "DuplicateGuest"
    guest: Id

    def on(self, scene: Scene) -> Scene:
        old = the_one(scene.guests, self.guest, "guest")
        name = free_name(old.name, {one.name for one in scene.guests})
        aside = old.frame()[0][:, 0] * old.height_m * 0.8
        new = {"id": f"guest-{scene.next_id}", "name": name, "x": old.x + float(aside[0])}
        copy = old.model_copy(update={**new, "z": old.z + float(aside[2])})
        return numbered(scene.model_copy(update={"guests": (*scene.guests, copy)}))

    def title(self, scene: Scene) -> str:
        return f"Duplicate {the_one(scene.guests, self.guest, 'guest').name}"


class PlayGuest(PlayEdit):
    """When a clip on a card plays."""

    station: ClassVar[Station] = "dress"
    verb: Literal["PlayGuest"] = "PlayGuest"
    guest: Id

    def on(self, scene: Scene) -> Scene:
        old = the_one(scene.guests, self.guest, "guest")
        if not isinstance(old, PictureGuest) or old.plate.playing is None:
            raise Refusal(f"{old.name} is no clip, so there is nothing to play.")
        guest = old.model_copy(update={"plate": self.played(old.plate)})
        return scene.model_copy(update={"guests": swapped(scene.guests, guest)})

    def title(self, scene: Scene) -> str:
        name = the_one(scene.guests, self.guest, "guest").name
        return f"Play {name} from frame {self.offset:g}"
