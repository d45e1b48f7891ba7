"""Sideways and upwards."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ...arrays import Floats
from ...camera import Camera
from ...pick import Pick
from ...scene.aim import looking
from ...scene.model import Scene
from ...value import Number
from .base import ReadyMove, level, subject_depth


class Aside(ReadyMove):
    """Along one of the world's ways, looking on as the lens does, or with what lies ahead at the
    depth of a picked place held in the middle."""

    distance_m: Number
    hold: Pick | None = None

    def way(self, sighted: Camera) -> Floats:
        raise NotImplementedError

    def cameras(self, scene: Scene, sighted: Camera, done: Floats) -> list[Camera]:
        places = sighted.position + self.distance_m * done[:, None] * self.way(sighted)
        turns = np.repeat(sighted.rotation[None], len(done), axis=0)
        if self.hold is not None:
            depth = subject_depth(scene, sighted, self.hold)
            aim = sighted.position + depth * sighted.forward
            # what turns is the way ahead; the horizon stays as the lens has it
            before = looking(sighted.forward[None], np.zeros(1))[0]
            turns = sighted.rotation @ before.T @ looking(aim - places, np.zeros(len(done)))
        return [
            Camera(sighted.width, sighted.height, sighted.focal_px, r, p, sighted.cx, sighted.cy)
            for r, p in zip(turns, places, strict=True)
        ]


class Truck(Aside):
    """Sideways, to the right; to the left where the distance is negative."""

    verb: Literal["Truck"] = "Truck"
    called: ClassVar[str] = "truck"

    def way(self, sighted: Camera) -> Floats:
        return level(sighted.rotation[0])

    def said(self) -> str:
        return f"Truck {abs(self.distance_m):.2f} m {'left' if self.distance_m < 0 else 'right'}"


class Rise(Aside):
    """Upwards; down where the distance is negative."""

    verb: Literal["Rise"] = "Rise"
    called: ClassVar[str] = "rise"

    def way(self, sighted: Camera) -> Floats:
        return np.array([0.0, 1.0, 0.0])

    def said(self) -> str:
        return f"{'Sink' if self.distance_m < 0 else 'Rise'} {abs(self.distance_m):.2f} m"
