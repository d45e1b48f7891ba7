"""The verbs of Cast."""

from __future__ import annotations

from typing import Literal

from ..model import Edge, Scene
from .edit import Edit


class SetEdge(Edit):
    verb: Literal["SetEdge"] = "SetEdge"
    edge: Edge

    def on(self, scene: Scene) -> Scene:
        lantern = scene.lantern.model_copy(update={"edge": self.edge})
        return scene.model_copy(update={"lantern": lantern})

    @property
    def title(self) -> str:
        return f"Lantern: {self.edge} at the edge"
