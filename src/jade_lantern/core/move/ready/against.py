"""The lens against the travel."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from ...arrays import Floats
from ...camera import NEAREST, Camera, world_size
from ...pick import Pick
from ...refusal import Refusal
from ...scene.model import Scene
from ...value import Number
from . import base


class Against(base.ReadyMove):
    """Straight ahead along the lens, out where the distance is negative, while the focal length
    changes against it so that what is picked keeps its size and its place in the picture."""

    verb: Literal["Against"] = "Against"
    called: ClassVar[str] = "move against the lens"
    tolerance_px: ClassVar[float] = 0.04
    distance_m: Number
    subject: Pick | None = None

    def depth(self, scene: Scene, sighted: Camera) -> float:
        return base.subject_depth(scene, sighted, self.subject)

    def cameras(self, scene: Scene, sighted: Camera, done: Floats) -> list[Camera]:
        depth = self.depth(scene, sighted)
        if depth - self.distance_m < NEAREST * world_size(sighted):
            raise Refusal(
                f"What is held is {depth:.2f} m ahead, so the camera cannot go "
                f"{self.distance_m:.2f} m towards it."
            )
        return [
            replace(
                sighted, position=sighted.position + self.distance_m * s * sighted.forward,
                focal_px=sighted.focal_px * (depth - self.distance_m * s) / depth,
            )
            for s in done
        ]  # fmt: skip

    def said(self) -> str:
        way = "out" if self.distance_m < 0 else "in"
        return f"Lens against {abs(self.distance_m):.2f} m {way}"
