"""The verbs of Block."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import create_model

from ...proxy import KINDS, Proxy
from ...refusal import Refusal
from ...value import Id, Value
from ..model import Scene, Way, called
from .edit import Edit, Station, numbered, swapped, the_one, without


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
        old = the_one(scene.proxies, self.proxy, "proxy")
        given = self.to.model_dump(exclude_none=True)
        foreign = [k for k in given if k not in type(old).model_fields]
        if foreign:
            raise Refusal(f"A {old.kind} has no {foreign[0].split('_')[0]}.")
        if any(p.name == given.get("name") and p.id != old.id for p in scene.proxies):
            raise Refusal(f"There is a {given['name']} already. Give it another name.")
        new = old.model_copy(update=given)
        return scene.model_copy(update={"proxies": swapped(scene.proxies, new)})

    def title(self, scene: Scene) -> str:
        given = self.to.model_dump(exclude_none=True)
        name = name_of(scene, self.proxy)
        if "name" in given:
            return f"Name {name} “{given['name']}”"
        if "hidden" in given:
            return f"{'Hide' if given['hidden'] else 'Show'} {name}"
        if set(given) <= {"x", "z"}:
            return f"Move {name}"
        if set(given) == {"turn_deg"}:
            return f"Turn {name}"
        what = " and ".join(n.split("_")[0] for n in given)
        return f"Change the {what} of {name}"


def name_of(scene: Scene, id: str) -> str:
    """What a proxy is called."""
    return next((p.name for p in scene.proxies if p.id == id), "a proxy")


def altered(proxy: str, **numbers: float) -> AlterProxy:
    """A change of some of a proxy's numbers."""
    return AlterProxy(proxy=proxy, to=ProxyNumbers(**numbers))


class DeleteProxy(BlockEdit):
    verb: Literal["DeleteProxy"] = "DeleteProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"proxies": without(scene.proxies, self.proxy)})

    def title(self, scene: Scene) -> str:
        return f"Delete {name_of(scene, self.proxy)}"


class DuplicateProxy(BlockEdit):
    """A copy a little aside, so that it is seen to be there."""

    verb: Literal["DuplicateProxy"] = "DuplicateProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        old = the_one(scene.proxies, self.proxy, "proxy")
        taken = {p.name for p in scene.proxies}
        names = (f"{old.name[:70]} copy{n}" for n in ("", *(f" {i}" for i in range(2, 10_000))))
        name = next(n for n in names if n not in taken)
        named = {"id": f"{old.kind}-{scene.next_id}", "name": name}
        copy = old.model_copy(update={**old.copied(), **named})
        return numbered(scene.model_copy(update={"proxies": (*scene.proxies, copy)}))

    def title(self, scene: Scene) -> str:
        return f"Duplicate {name_of(scene, self.proxy)}"
