"""The verbs of the still itself: another takes its place, or an earlier one comes back."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ...refusal import Refusal
from ...value import Length, Number
from ..model import Scene
from ..plate import Plate
from ..restill import Fit, on_another_still
from .edit import Edit


class ReplaceStill(Edit):
    """Put another picture in the place of the still, which is kept. A pixel p of the still as it is
    is (p - (left, top)) * scale of the new one: all that is drawn stays where it is in the
    picture."""

    verb: Literal["ReplaceStill"] = "ReplaceStill"
    plate: Plate
    scale: Length
    left: Number = 0.0
    top: Number = 0.0

    def on(self, scene: Scene) -> Scene:
        return on_another_still(scene, self.plate, Fit(self.scale, self.left, self.top))

    def title(self, scene: Scene) -> str:
        if scene.plate.awaited:
            return f"Bring in the picture {self.plate.name}"
        return f"Put {self.plate.name} in the still's place"


class BringStillBack(Edit):
    """Bring an earlier still back, by its number, the last one first."""

    verb: Literal["BringStillBack"] = "BringStillBack"
    number: Annotated[int, Field(ge=0, lt=40)] = 0

    def on(self, scene: Scene) -> Scene:
        earlier = scene.stills.earlier
        if self.number >= len(earlier):
            raise Refusal("This earlier still is not there any more.")
        one = earlier[self.number]
        return on_another_still(scene, one.plate, Fit(one.scale, one.left, one.top))

    def title(self, scene: Scene) -> str:
        return "Bring the earlier still back"
