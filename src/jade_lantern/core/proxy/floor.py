"""A flat piece of floor."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal, Self

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh, mesh_of
from ..value import Length
from .kind import Numbers, Stood, size


class Floor(Stood):
    kind: Literal["floor"] = "floor"
    width_m: Length
    depth_m: Length

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.width_m, self.depth_m)

    def base(self) -> Floats:
        return base(self.width_m, self.depth_m)

    def half_width(self) -> float:
        return self.width_m / 2

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float) -> Self:
        """feet: two corners across from each other."""
        span, middle = np.abs(feet[1] - feet[0]), feet.mean(axis=0)
        return cls(
            id="floor-0", name=name, x=middle[0], z=middle[2],
            width_m=size(span[0]), depth_m=size(span[2]),
        )  # fmt: skip

    def corner_taken(self, corner: int, to: Floats) -> Numbers:
        return base_taken(self, corner, to)


@lru_cache(maxsize=512)
def _mesh(width: float, depth: float) -> Mesh:
    return mesh_of(base(width, depth), [(0, 1, 2, 3)])


def base(width: float, depth: float) -> Floats:
    """(4, 3) the corners of a rectangle on the floor, its near side first."""
    w, d = width / 2, depth / 2
    return np.array([[-w, 0, d], [w, 0, d], [w, 0, -d], [-w, 0, -d]])


def base_taken(proxy: Stood, corner: int, to: Floats) -> Numbers:
    """What a rectangular base becomes when one corner is taken to a place (3,)."""
    held = proxy.base_in_world()[(corner + 2) % 4]
    own = (to - held) @ proxy.frame()[0]
    middle = (to + held) / 2
    return {
        "width_m": size(abs(float(own[0]))),
        "depth_m": size(abs(float(own[2]))),
        "x": float(middle[0]),
        "z": float(middle[2]),
    }
