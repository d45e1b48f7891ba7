"""Proxies whose base on the floor is a rectangle."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats
from ..value import Length
from .kind import Numbers, Stood, size


class OnRectangle(Stood):
    """Corners of the base go round from the near left one; each is the second one on from the
    one across from it."""

    width_m: Length
    depth_m: Length

    def base(self) -> Floats:
        return rectangle(self.width_m, self.depth_m)

    def half_width(self) -> float:
        return self.width_m / 2

    def corner_taken(self, corner: int, to: Floats) -> Numbers:
        held = self.base_in_world()[(corner + 2) % 4]
        own = (to - held) @ self.frame()[0]
        middle = (to + held) / 2
        return {
            "width_m": size(abs(float(own[0]))),
            "depth_m": size(abs(float(own[2]))),
            "x": float(middle[0]),
            "z": float(middle[2]),
        }


def rectangle(width: float, depth: float) -> Floats:
    """(4, 3) corners, metres, in a proxy's own frame."""
    w, d = width / 2, depth / 2
    return np.array([[-w, 0, d], [w, 0, d], [w, 0, -d], [-w, 0, -d]])
