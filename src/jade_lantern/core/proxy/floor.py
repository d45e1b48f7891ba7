"""A flat piece of floor."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal, Self

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh, mesh_of
from ..value import NEW_ID
from .base import OnRectangle, rectangle
from .kind import size


class Floor(OnRectangle):
    kind: Literal["floor"] = "floor"

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.width_m, self.depth_m)

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """feet: two corners across from each other."""
        span, middle = np.abs(feet[1] - feet[0]), feet.mean(axis=0)
        return cls(
            id=NEW_ID, name=name, x=middle[0], z=middle[2],
            width_m=size(span[0]), depth_m=size(span[2]),
        )  # fmt: skip


@lru_cache(maxsize=512)
def _mesh(width: float, depth: float) -> Mesh:
    return mesh_of(rectangle(width, depth), [(0, 1, 2, 3)])
