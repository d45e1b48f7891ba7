"""Straight in, or out."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from ...arrays import Floats
from ...camera import Camera
from ...pick import Pick
from ...scene.model import Scene
from ...value import Number
from .base import ReadyMove, level, nearest_depth, picked_place


class Push(ReadyMove):
    """Straight in, level with the ground, or straight at a place that is picked, which then stays
    where it is in the picture; out where the distance is negative."""

    verb: Literal["Push"] = "Push"
    called: ClassVar[str] = "push"
    distance_m: Number | None = None
    toward: Pick | None = None

    def cameras(self, scene: Scene, sighted: Camera, done: Floats) -> list[Camera]:
        place = picked_place(scene, sighted, self.toward)
        if place is None:
            way = level(sighted.forward)
        else:
            way = (place - sighted.position) / np.linalg.norm(place - sighted.position)
        far = self.distance_m or 0.35 * nearest_depth(scene, sighted)
        return [replace(sighted, position=sighted.position + far * s * way) for s in done]

    def said(self) -> str:
        return f"Push {self.distance_m:.2f} m" if self.distance_m else "Push"
