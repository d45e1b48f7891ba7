"""A sheet far away that faces the lens and fills its frame, with a margin round it."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh, mesh_of
from ..value import Length
from .kind import Kind, Numbers


class Backdrop(Kind):
    """Its own frame is the world's, for it hangs where the sighted camera looks."""

    stands: ClassVar[bool] = False

    kind: Literal["backdrop"] = "backdrop"
    distance_m: Length
    margin: Annotated[float, Field(ge=0, le=4)] = 0.25

    def own_mesh(self, camera: Camera) -> Mesh:
        m, w, h = self.margin, float(camera.width), float(camera.height)
        left, right, top, bottom = -m * w, w + m * w, -m * h, h + m * h
        frame = np.array([[left, bottom], [right, bottom], [right, top], [left, top]])
        return mesh_of(camera.position + camera.rays(frame) * self.distance_m, [(0, 1, 2, 3)])

    def frame(self) -> tuple[Floats, Floats]:
        return np.eye(3), np.zeros(3)

    def copied(self) -> Numbers:
        return {"distance_m": self.distance_m * 1.1}
