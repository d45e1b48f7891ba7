"""A box, its base a rectangle on the floor."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal, Self

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh, mesh_of
from ..value import NEW_ID, Length
from .base import OnRectangle, rectangle
from .kind import sheet_between, size

SIDES = [(0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7), (4, 5, 6, 7), (3, 2, 1, 0)]


class Box(OnRectangle):
    FEET: ClassVar[int] = 3
    USUAL_HEIGHT_M: ClassVar[float | None] = 1.0

    kind: Literal["box"] = "box"
    height_m: Length

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.width_m, self.depth_m, self.height_m)

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """feet: the front edge's left and right end, and how deep it goes."""
        front = sheet_between(feet[0], feet[1])
        a = np.radians(front["turn_deg"])
        away = np.array([np.sin(a), 0.0, np.cos(a)])
        depth = float((feet[2] - feet[1]) @ away)
        middle = (feet[0] + feet[1]) / 2 + away * depth / 2
        return cls(
            id=NEW_ID, name=name, x=middle[0], z=middle[2], turn_deg=front["turn_deg"],
            width_m=front["width_m"], depth_m=size(abs(depth)), height_m=height_m,
        )  # fmt: skip


@lru_cache(maxsize=512)
def _mesh(width: float, depth: float, height: float) -> Mesh:
    foot = rectangle(width, depth)
    return mesh_of(np.concatenate([foot, foot + [0, height, 0]]), SIDES)
