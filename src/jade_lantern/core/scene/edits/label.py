"""The verbs of what is read off and left in the picture."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ...value import Id, Point3
from ..model import Label, Scene
from .block import BlockEdit
from .edit import numbered, without


class PutLabel(BlockEdit):
    """Leave a length, an angle or an area in the picture, between places in the world."""

    verb: Literal["PutLabel"] = "PutLabel"
    what: Literal["length", "angle", "area"]
    points: Annotated[tuple[Point3, ...], Field(min_length=2, max_length=200)]

    def on(self, scene: Scene) -> Scene:
        label = Label(id=f"label-{scene.next_id}", what=self.what, points=self.points)
        return numbered(scene.model_copy(update={"labels": (*scene.labels, label)}))

    def title(self, scene: Scene) -> str:
        return f"Read off {'an' if self.what != 'length' else 'a'} {self.what}"


class DeleteLabel(BlockEdit):
    verb: Literal["DeleteLabel"] = "DeleteLabel"
    label: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"labels": without(scene.labels, self.label)})

    def title(self, scene: Scene) -> str:
        return "Delete a label"
