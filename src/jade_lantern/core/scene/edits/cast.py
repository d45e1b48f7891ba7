"""The verbs of Cast."""

from __future__ import annotations

from typing import ClassVar, Literal

from ..model import Edge, Scene
from .edit import Edit, Station


class CastEdit(Edit):
    station: ClassVar[Station] = "cast"


class SetEdge(CastEdit):
    verb: Literal["SetEdge"] = "SetEdge"
    edge: Edge

    def on(self, scene: Scene) -> Scene:
        lantern = scene.lantern.model_copy(update={"edge": self.edge})
        return scene.model_copy(update={"lantern": lantern})

    def title(self, scene: Scene) -> str:
        return f"Lantern: {self.edge} at the edge"
