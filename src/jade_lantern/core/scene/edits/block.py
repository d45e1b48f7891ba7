"""The verbs of Block."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import create_model

from ...proxy import KINDS, Proxy
from ...refusal import Refusal
from ...value import Id, Value
from ..model import Scene, Way, called
from .edit import Edit, Station, numbered, swapped, the_one, without
from .welded import held_together


class BlockEdit(Edit):
    station: ClassVar[Station] = "block"


class StandProxy(BlockEdit):
    """Add a proxy whose place in the world is known. Its id is given by the scene. along: what its
    front was found to run along, for the history."""

    verb: Literal["StandProxy"] = "StandProxy"
    proxy: Proxy
    along: Way | None = None

    def on(self, scene: Scene) -> Scene:
        kind = self.proxy.kind
        stood = self.proxy.model_copy(update={"id": f"{kind}-{scene.next_id}"})
        return numbered(scene.model_copy(update={"proxies": (*scene.proxies, stood)}))

    def title(self, scene: Scene) -> str:
        along = "" if self.along is None else f" along {called(self.along)}"
        return f"Stand {self.proxy.name}{along}"


def _all_numbers() -> dict[str, Any]:
    """What the kinds of proxy have that can be changed, by name, each optional."""
    return {
        name: (field.rebuild_annotation() | None, None)
        for kind in KINDS
        for name, field in kind.model_fields.items()
        if name not in ("id", "kind")
    }


# What can be changed on a proxy; only what is given changes.
ProxyNumbers: Any = create_model("ProxyNumbers", __base__=Value, **_all_numbers())


class AlterProxy(BlockEdit):
    verb: Literal["AlterProxy"] = "AlterProxy"
    proxy: Id
    to: ProxyNumbers

    def on(self, scene: Scene) -> Scene:
        new = with_numbers(scene, the_one(scene.proxies, self.proxy, "proxy"), given_in(self.to))
        after = scene.model_copy(update={"proxies": swapped(scene.proxies, new)})
        return held_together(scene, after)

    def title(self, scene: Scene) -> str:
        return title_of(given_in(self.to), name_of(scene, self.proxy))


def given_in(numbers: Any) -> dict[str, Any]:
    """What is given in a ProxyNumbers, as values."""
    return {name: getattr(numbers, name) for name in numbers.model_fields_set}


def with_numbers(scene: Scene, old: Proxy, given: dict[str, Any]) -> Proxy:
    """A proxy with some of its numbers changed. Raises Refusal where it has no such number, is
    locked, or would have the name of another one."""
    foreign = [k for k in given if k not in type(old).model_fields]
    if foreign:
        raise Refusal(f"A {old.kind} has no {foreign[0].split('_')[0]}.")
    if set(given) - LISTED:
        must_be_free(old)
    if any(p.name == given.get("name") and p.id != old.id for p in scene.proxies):
        raise Refusal(f"There is a {given['name']} already. Give it another name.")
    return old.model_copy(update=given)


# what a locked proxy can still have changed: how it stands in the list, and not in the world
LISTED = {"name", "hidden", "locked", "group", "tag"}


def must_be_free(proxy: Proxy) -> None:
    """Raises Refusal where a proxy is locked."""
    if proxy.locked:
        raise Refusal(f"{proxy.name} is locked, so it was left as it is. Unlock it first.")


def title_of(given: dict[str, Any], name: str) -> str:
    """What the history calls a change of a proxy's numbers."""
    if "name" in given:
        return f"Name {name} “{given['name']}”"
    for flag, (yes, no) in FLAGS.items():
        if flag in given:
            return f"{yes if given[flag] else no} {name}"
    if "group" in given:
        return f"Group {name}: {given['group']}" if given["group"] else f"Ungroup {name}"
    if set(given) <= {"x", "z"}:
        return f"Move {name}"
    if set(given) == {"turn_deg"}:
        return f"Turn {name}"
    what = " and ".join(n.split("_")[0] for n in given)
    return f"Change the {what} of {name}"


FLAGS = {"hidden": ("Hide", "Show"), "locked": ("Lock", "Unlock")}


def free_name(name: str, taken: set[str]) -> str:
    """A name, with a number behind it where it is taken."""
    names = (name[:72] + n for n in ("", *(f" {i}" for i in range(2, 10_000))))
    return next(n for n in names if n not in taken)


def name_of(scene: Scene, id: str) -> str:
    """What a proxy is called."""
    return next((p.name for p in scene.proxies if p.id == id), "a proxy")


def altered(proxy: str, **numbers: Any) -> AlterProxy:
    """A change of some of a proxy's numbers."""
    return AlterProxy(proxy=proxy, to=ProxyNumbers(**numbers))


class DeleteProxy(BlockEdit):
    verb: Literal["DeleteProxy"] = "DeleteProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        must_be_free(the_one(scene.proxies, self.proxy, "proxy"))
        after = scene.model_copy(update={"proxies": without(scene.proxies, self.proxy)})
        return held_together(scene, after)

    def title(self, scene: Scene) -> str:
        return f"Delete {name_of(scene, self.proxy)}"


class DuplicateProxy(BlockEdit):
    """A copy a little aside, so that it is seen to be there."""

    verb: Literal["DuplicateProxy"] = "DuplicateProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        old = the_one(scene.proxies, self.proxy, "proxy")
        name = free_name(f"{old.name[:70]} copy", {p.name for p in scene.proxies})
        named = {"id": f"{old.kind}-{scene.next_id}", "name": name, "locked": False}
        copy = old.model_copy(update={**old.copied(), **named})
        # a copy of what is glazed has the same picture
        also = [one for one in scene.glazed if one.id == old.id]
        glazed = (*scene.glazed, *(one.model_copy(update={"id": copy.id}) for one in also))
        return numbered(
            scene.model_copy(update={"proxies": (*scene.proxies, copy), "glazed": glazed})
        )

    def title(self, scene: Scene) -> str:
        return f"Duplicate {name_of(scene, self.proxy)}"
