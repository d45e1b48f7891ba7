"""Round something."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ...arrays import Floats
from ...camera import Camera
from ...pick import Pick
from ...scene.model import Scene
from ..steer import SteerStep
from .base import ReadyMove, picked_place, subject_depth


class Arc(ReadyMove):
    """Round the upright through a picked place, or through what is nearest in the middle; to the
    right, anticlockwise from above, or to the left where the angle is negative."""

    verb: Literal["Arc"] = "Arc"
    called: ClassVar[str] = "arc"
    tolerance_px: ClassVar[float] = 3.0  # a path that is not quite round is not seen
    angle_deg: Annotated[float, Field(ge=-180, le=180)]
    about: Pick | None = None

    def cameras(self, scene: Scene, sighted: Camera, done: Floats) -> list[Camera]:
        place = picked_place(scene, sighted, self.about)
        if place is None:
            place = sighted.position + subject_depth(scene, sighted, None) * sighted.forward
        x, y, z = place.tolist()
        turns = (SteerStep(about=(x, y, z), arc_deg=self.angle_deg * s) for s in done)
        return [one.moved(sighted) for one in turns]

    def said(self) -> str:
        return f"Arc {abs(self.angle_deg):.1f}° {'left' if self.angle_deg < 0 else 'right'}"
