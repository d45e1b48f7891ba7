"""The verbs of glaze: pictures fixed to their proxies."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ...proxy import Proxy
from ...refusal import Refusal
from ...value import Name
from ..model import Glazed, Scene
from .block import must_be_free
from .cast import CastEdit
from .edit import swapped, the_one
from .many import OfMany
from .welded import held_together


class Glaze(CastEdit, OfMany):
    """Fix the picture that is cast on proxies to them, so that it goes along with whatever is done
    to them. One that is glazed already takes what is cast on it where it stands now."""

    verb: Literal["Glaze"] = "Glaze"

    def on(self, scene: Scene) -> Scene:
        new = tuple(Glazed(id=id, rest=p) for id, p in self.chosen(scene).items())
        kept = tuple(one for one in scene.glazed if one.id not in self.proxies)
        return scene.model_copy(update={"glazed": (*kept, *new)})

    def title(self, scene: Scene) -> str:
        return f"Glaze {self.named(scene)}"


class Unglaze(CastEdit, OfMany):
    """Let the pictures of glazed proxies go, so that what is cast lands where they stand now."""

    verb: Literal["Unglaze"] = "Unglaze"

    def on(self, scene: Scene) -> Scene:
        self.chosen(scene)
        kept = tuple(one for one in scene.glazed if one.id not in self.proxies)
        if len(kept) == len(scene.glazed):
            raise Refusal("None of these is glazed.")
        return scene.model_copy(update={"glazed": kept})

    def title(self, scene: Scene) -> str:
        return f"Take the glaze off {self.named(scene)}"


class PutGlazed(CastEdit):
    """Put glazed proxies and what they are fixed to in the place of those with their ids; what was
    worked out of a gesture. said: what the history calls it."""

    verb: Literal["PutGlazed"] = "PutGlazed"
    proxies: Annotated[tuple[Proxy, ...], Field(min_length=1, max_length=2000)]
    glazed: Annotated[tuple[Glazed, ...], Field(max_length=2000)]
    said: Name

    def on(self, scene: Scene) -> Scene:
        proxies, glazed = scene.proxies, scene.glazed
        for new in self.proxies:
            must_be_free(the_one(proxies, new.id, "proxy"))
            proxies = swapped(proxies, new)
        for one in self.glazed:
            the_one(glazed, one.id, "glazed proxy")
            glazed = swapped(glazed, one)
        after = scene.model_copy(update={"proxies": proxies, "glazed": glazed})
        return held_together(scene, after)

    def title(self, scene: Scene) -> str:
        return self.said
