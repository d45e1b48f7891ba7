"""A room seen from inside: a back wall, and the sides that come from it towards the lens."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh, mesh_of
from ..value import NEW_ID, Length
from .base import OnRectangle, rectangle
from .kind import sheet_between, size

Side = Literal["back", "left", "right", "floor", "ceiling", "front"]
# corners of the foot are 0 to 3, of the ceiling 4 to 7; all faces look inward
QUADS: dict[Side, tuple[int, int, int, int]] = {
    "back": (3, 2, 6, 7),
    "left": (0, 3, 7, 4),
    "right": (2, 1, 5, 6),
    "floor": (0, 1, 2, 3),
    "ceiling": (7, 6, 5, 4),
    "front": (1, 0, 4, 5),
}
USUAL: tuple[Side, ...] = ("back", "left", "right", "floor", "ceiling")
BEHIND = 1.1  # so far past the lens the sides go, of its distance from the back wall


class Room(OnRectangle):
    """x, z is the middle of its floor. sides: those that are there."""

    USUAL_HEIGHT_M: ClassVar[float | None] = 2.6

    kind: Literal["room"] = "room"
    height_m: Length
    sides: Annotated[tuple[Side, ...], Field(min_length=1, max_length=6)] = USUAL

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.width_m, self.depth_m, self.height_m, self.sides)

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """feet: the left and the right foot of its back wall. It goes past the lens."""
        back = sheet_between(feet[0], feet[1])
        a = np.radians(back["turn_deg"])
        towards = np.array([np.sin(a), 0.0, np.cos(a)])
        depth = float((eye - feet[0]) @ towards)
        if depth < 0:  # picked from right to left
            back = sheet_between(feet[1], feet[0])
            towards, depth = -towards, -depth
        depth = size(depth * BEHIND)
        middle = (feet[0] + feet[1]) / 2 + towards * depth / 2
        return cls(
            id=NEW_ID, name=name, x=middle[0], z=middle[2], turn_deg=back["turn_deg"],
            width_m=back["width_m"], depth_m=depth, height_m=height_m,
        )  # fmt: skip


@lru_cache(maxsize=256)
def _mesh(width: float, depth: float, height: float, sides: tuple[Side, ...]) -> Mesh:
    foot = rectangle(width, depth)
    return mesh_of(np.concatenate([foot, foot + [0, height, 0]]), [QUADS[s] for s in sides])
