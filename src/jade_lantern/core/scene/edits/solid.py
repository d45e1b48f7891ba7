"""Proxies put in the place of others as a whole, as works on solids do, and welded corners."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ...proxy import Proxy
from ...value import Id, Name
from ..model import Scene, SolidCorner, Weld
from .block import BlockEdit, must_be_free
from .edit import numbered, swapped, the_one, without
from .many import with_added
from .welded import held_together


class PutProxies(BlockEdit):
    """Put proxies in the place of those with their ids; what was worked out of a gesture. added:
    new ones, which get ids and free names. gone: those that go. said: what the history calls
    it."""

    verb: Literal["PutProxies"] = "PutProxies"
    proxies: tuple[Proxy, ...] = ()
    added: tuple[Proxy, ...] = ()
    gone: tuple[Id, ...] = ()
    said: Name

    def on(self, scene: Scene) -> Scene:
        proxies = scene.proxies
        for new in self.proxies:
            must_be_free(the_one(proxies, new.id, "proxy"))
            proxies = swapped(proxies, new)
        for id in self.gone:
            must_be_free(the_one(proxies, id, "proxy"))
            proxies = without(proxies, id)
        after = held_together(scene, scene.model_copy(update={"proxies": proxies}))
        return with_added(after, self.added) if self.added else after

    def title(self, scene: Scene) -> str:
        return self.said


class PutWeld(BlockEdit):
    """Hold corners together from now on. proxies: solids that have them, where they were none
    yet or were moved for it."""

    verb: Literal["PutWeld"] = "PutWeld"
    corners: Annotated[tuple[SolidCorner, ...], Field(min_length=2, max_length=64)]
    proxies: tuple[Proxy, ...] = ()

    def on(self, scene: Scene) -> Scene:
        proxies = scene.proxies
        for new in self.proxies:
            must_be_free(the_one(proxies, new.id, "proxy"))
            proxies = swapped(proxies, new)
        moved = held_together(scene, scene.model_copy(update={"proxies": proxies}))
        # a corner is in one weld at the most: welds that share one become one
        mine, others = set(self.corners), []
        for weld in moved.welds:
            if mine.intersection(weld.corners):
                mine |= set(weld.corners)
            else:
                others.append(weld)
        corners = tuple(sorted(mine, key=lambda c: (c.proxy, c.corner)))
        weld = Weld(id=f"weld-{scene.next_id}", corners=corners)
        return numbered(moved.model_copy(update={"welds": (*others, weld)}))

    def title(self, scene: Scene) -> str:
        return "Weld corners"


class Unweld(BlockEdit):
    verb: Literal["Unweld"] = "Unweld"
    weld: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"welds": without(scene.welds, self.weld)})

    def title(self, scene: Scene) -> str:
        return "Let welded corners go"
