"""The verbs of Block for several proxies at once."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ...proxy import Proxy
from ...refusal import Refusal
from ...value import Id, Name
from ..model import Scene
from .block import (
    LISTED,
    BlockEdit,
    ProxyNumbers,
    free_name,
    given_in,
    must_be_free,
    name_of,
    title_of,
    with_numbers,
)
from .edit import the_one
from .welded import held_together

Ids = Annotated[tuple[Id, ...], Field(min_length=1, max_length=2000)]


class OfMany(BlockEdit):
    proxies: Ids

    def named(self, scene: Scene) -> str:
        """What they are called together."""
        if len(self.proxies) == 1:
            return name_of(scene, self.proxies[0])
        return f"{len(self.proxies)} proxies"

    def chosen(self, scene: Scene) -> dict[str, Proxy]:
        """The proxies by id. Raises Refusal where one is not there."""
        return {id: the_one(scene.proxies, id, "proxy") for id in self.proxies}


class AlterProxies(OfMany):
    """Change the same numbers on several proxies: hide, lock, group, tag, and what else all of
    them have."""

    verb: Literal["AlterProxies"] = "AlterProxies"
    to: ProxyNumbers

    def on(self, scene: Scene) -> Scene:
        given = given_in(self.to)
        if "name" in given:
            raise Refusal("Names are given one by one: no two proxies have the same.")
        new = {id: with_numbers(scene, p, given) for id, p in self.chosen(scene).items()}
        after = scene.model_copy(update={"proxies": tuple(new.get(p.id, p) for p in scene.proxies)})
        return after if set(given) <= LISTED else held_together(scene, after)

    def title(self, scene: Scene) -> str:
        return title_of(given_in(self.to), self.named(scene))


class DeleteProxies(OfMany):
    verb: Literal["DeleteProxies"] = "DeleteProxies"

    def on(self, scene: Scene) -> Scene:
        gone = self.chosen(scene)
        for proxy in gone.values():
            must_be_free(proxy)
        left = tuple(p for p in scene.proxies if p.id not in gone)
        return held_together(scene, scene.model_copy(update={"proxies": left}))

    def title(self, scene: Scene) -> str:
        return f"Delete {self.named(scene)}"


class Reorder(OfMany):
    """Put proxies, in their order, before another one in the list; at its end without one."""

    verb: Literal["Reorder"] = "Reorder"
    before: Id | None = None

    def on(self, scene: Scene) -> Scene:
        moved = self.chosen(scene)
        rest = [p for p in scene.proxies if p.id not in moved]
        at = len(rest)
        if self.before is not None:
            if self.before in moved:
                raise Refusal("A proxy cannot be put before itself.")
            at = rest.index(the_one(rest, self.before, "proxy"))
        own = [p for p in scene.proxies if p.id in moved]
        return scene.model_copy(update={"proxies": (*rest[:at], *own, *rest[at:])})

    def title(self, scene: Scene) -> str:
        return f"Move {self.named(scene)} in the list"


class AddProxies(BlockEdit):
    """Add proxies from elsewhere, where they are: pasted from another project, or brought in from
    a file. They get ids of their own, and names that are free. said: where they came from."""

    verb: Literal["AddProxies"] = "AddProxies"
    proxies: Annotated[tuple[Proxy, ...], Field(min_length=1, max_length=2000)]
    said: Name = "Paste"

    def on(self, scene: Scene) -> Scene:
        return with_added(scene, self.proxies)

    def title(self, scene: Scene) -> str:
        count = len(self.proxies)
        what = self.proxies[0].name if count == 1 else f"{count} proxies"
        return f"{self.said}: {what}"


def with_added(scene: Scene, proxies: tuple[Proxy, ...]) -> Scene:
    """A scene with more proxies, under ids of their own and names that are free."""
    taken = {p.name for p in scene.proxies}
    number, added = scene.next_id, []
    for proxy in proxies:
        name = free_name(proxy.name, taken)
        taken.add(name)
        named = {"id": f"{proxy.kind}-{number}", "name": name, "locked": False}
        added.append(proxy.model_copy(update=named))
        number += 1
    return scene.model_copy(update={"proxies": (*scene.proxies, *added), "next_id": number})
