"""The verbs of Block."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ...refusal import Refusal
from ..model import (
    Backdrop,
    Id,
    Length,
    Name,
    Number,
    Proxy,
    Scene,
    Value,
)
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


class ProxyNumbers(Value):
    """What can be changed on a proxy; only what is given changes."""

    name: Name | None = None
    hidden: bool | None = None
    x: Number | None = None
    z: Number | None = None
    level_m: Number | None = None
    turn_deg: Number | None = None
    width_m: Length | None = None
    depth_m: Length | None = None
    height_m: Length | None = None
    radius_m: Length | None = None
    distance_m: Length | None = None
    margin: Annotated[float, Field(ge=0, le=4)] | None = None


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


class DeleteProxy(Edit):
    verb: Literal["DeleteProxy"] = "DeleteProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"proxies": without(scene.proxies, self.proxy)})

    @property
    def title(self) -> str:
        return "Delete a proxy"


class DuplicateProxy(Edit):
    """A copy one step along Across, so that it is seen to be there."""

    verb: Literal["DuplicateProxy"] = "DuplicateProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        old = the_one(scene.proxies, self.proxy, "proxy")
        if isinstance(old, Backdrop):
            change = {"distance_m": old.distance_m * 1.1}
        else:
            step = getattr(old, "width_m", None) or 2 * getattr(old, "radius_m", 0.5)
            change = {"x": old.x + step * 1.1}
        named = {"id": f"{old.kind}-{scene.next_id}", "name": f"{old.name} copy"[:80]}
        copy = old.model_copy(update={**change, **named})
        return numbered(scene.model_copy(update={"proxies": (*scene.proxies, copy)}))

    @property
    def title(self) -> str:
        return "Duplicate a proxy"
