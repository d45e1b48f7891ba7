"""An upright sheet."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal, Self

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh, mesh_of
from ..value import NEW_ID, Length
from .kind import Numbers, Stood, sheet_between


class Card(Stood):
    """x, z is the middle of its foot, and at no turn it runs Across."""

    USUAL_HEIGHT_M: ClassVar[float | None] = 2.4

    kind: Literal["card"] = "card"
    width_m: Length
    height_m: Length

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.width_m, self.height_m)

    def base(self) -> Floats:
        w = self.width_m / 2
        return np.array([[-w, 0, 0], [w, 0, 0]])

    def half_width(self) -> float:
        return self.width_m / 2

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """feet: its two ends."""
        return cls(id=NEW_ID, name=name, height_m=height_m, **sheet_between(*feet))

    def corner_taken(self, corner: int, to: Floats) -> Numbers:
        held = self.base_in_world()[1 - corner % 2]
        ends = (held, to) if corner % 2 else (to, held)
        return dict(sheet_between(*ends))


@lru_cache(maxsize=512)
def _mesh(width: float, height: float) -> Mesh:
    w, h = width / 2, height
    return mesh_of([[-w, 0, 0], [w, 0, 0], [w, h, 0], [-w, h, 0]], [(0, 1, 2, 3)])
