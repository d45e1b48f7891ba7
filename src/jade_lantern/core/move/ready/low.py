"""Low over the floor, where near things go by fast."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from ...arrays import Floats
from ...camera import Camera
from ...pick import Pick
from ...refusal import Refusal
from ...scene.model import Scene
from ...value import Length, Number
from .base import ReadyMove, level, picked_place

SUNK_AT = 0.45  # of the way at which it is down


class LowPass(ReadyMove):
    """From the lens down to a height over the ground while it goes ahead, or towards a picked
    place, level with the ground."""

    verb: Literal["LowPass"] = "LowPass"
    called: ClassVar[str] = "low pass"
    distance_m: Number
    height_m: Length
    toward: Pick | None = None

    def cameras(self, scene: Scene, sighted: Camera, done: Floats) -> list[Camera]:
        drop = float(sighted.position[1]) - self.height_m
        if drop <= 0:
            raise Refusal(
                f"The lens is {sighted.position[1]:.2f} m over the ground already. Give a lower "
                "height."
            )
        place = picked_place(scene, sighted, self.toward)
        way = level(sighted.forward if place is None else place - sighted.position)
        t = np.clip(done / SUNK_AT, 0.0, 1.0)
        sunk = t * t * (3.0 - 2.0 * t) * drop
        places = sighted.position + self.distance_m * done[:, None] * way
        places[:, 1] -= sunk
        return [replace(sighted, position=p) for p in places]

    def said(self) -> str:
        return f"Low pass {self.distance_m:.2f} m at {self.height_m:.2f} m"
