"""The verbs of Block."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import create_model

from ...proxy import KINDS, Proxy
from ...refusal import Refusal
from ...value import Id, Value
from ..model import Scene
from .edit import Edit, numbered, swapped, the_one, without


class StandProxy(Edit):
    """Add a proxy whose place in the world is known. Its id is given by the scene."""

    verb: Literal["StandProxy"] = "StandProxy"
    proxy: Proxy

    def on(self, scene: Scene) -> Scene:
        kind = self.proxy.kind
        stood = self.proxy.model_copy(update={"id": f"{kind}-{scene.next_id}"})
        return numbered(scene.model_copy(update={"proxies": (*scene.proxies, stood)}))

    @property
    def title(self) -> str:
        return f"Stand a {self.proxy.kind}"


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


class AlterProxy(Edit):
    verb: Literal["AlterProxy"] = "AlterProxy"
    proxy: Id
    to: ProxyNumbers

    def on(self, scene: Scene) -> Scene:
        old = the_one(scene.proxies, self.proxy, "proxy")
        given = self.to.model_dump(exclude_none=True)
        foreign = [k for k in given if k not in type(old).model_fields]
        if foreign:
            raise Refusal(f"A {old.kind} has no {foreign[0].split('_')[0]}.")
        new = old.model_copy(update=given)
        return scene.model_copy(update={"proxies": swapped(scene.proxies, new)})

    @property
    def title(self) -> str:
        given = list(self.to.model_dump(exclude_none=True))
        if set(given) <= {"x", "z"}:
            return "Move a proxy"
        return f"Change a proxy's {given[0].split('_')[0]}"


def altered(proxy: str, **numbers: float) -> AlterProxy:
    """A change of some of a proxy's numbers."""
    return AlterProxy(proxy=proxy, to=ProxyNumbers(**numbers))


class DeleteProxy(Edit):
    verb: Literal["DeleteProxy"] = "DeleteProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"proxies": without(scene.proxies, self.proxy)})

    @property
    def title(self) -> str:
        return "Delete a proxy"


class DuplicateProxy(Edit):
    """A copy a little aside, so that it is seen to be there."""

    verb: Literal["DuplicateProxy"] = "DuplicateProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        old = the_one(scene.proxies, self.proxy, "proxy")
        named = {"id": f"{old.kind}-{scene.next_id}", "name": f"{old.name} copy"[:80]}
        copy = old.model_copy(update={**old.copied(), **named})
        return numbered(scene.model_copy(update={"proxies": (*scene.proxies, copy)}))

    @property
    def title(self) -> str:
        return "Duplicate a proxy"
