"""Lengths, angles and areas read off the scene."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..pick import Pick
from ..scene.edits import Edit, PutLabel
from ..scene.gesture import Gesture
from ..scene.model import Label, Scene
from ..sight.measure import required_camera
from ..solid.shape import area_vector
from .spans import picked_place


class ReadOff(Gesture):
    """Read off a length between two or more picked places, the angle at the second of three, or
    the area inside them, and leave it in the picture."""

    verb: Literal["ReadOff"] = "ReadOff"
    what: Literal["length", "angle", "area"]
    at: Annotated[tuple[Pick, ...], Field(min_length=2, max_length=200)]

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        places = [picked_place(scene, camera, p) for p in self.at]
        points = tuple((float(x), float(y), float(z)) for x, y, z in places)
        return PutLabel(what=self.what, points=points)


def value_of(label: Label) -> float:
    """What a label reads: metres, degrees or square metres."""
    points = np.array(label.points)
    if label.what == "length":
        return float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
    if label.what == "area":
        return float(np.linalg.norm(area_vector(points)))
    a, b = points[0] - points[1], points[2] - points[1]
    return float(np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b)), a @ b)))
