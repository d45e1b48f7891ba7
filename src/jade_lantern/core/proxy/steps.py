"""Steps that rise away from their front edge, as one solid."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..cache import cached
from ..camera import Camera
from ..mesh import Mesh, filled
from ..value import NEW_ID, Length
from .base import OnRectangle
from .box import Box

MOST_BYTES = 16 << 20  # of remembered results
RISE_M = 0.17  # how high one step usually is


class Steps(OnRectangle):
    FEET: ClassVar[int] = 3
    USUAL_HEIGHT_M: ClassVar[float | None] = 1.0

    kind: Literal["steps"] = "steps"
    height_m: Length
    count: Annotated[int, Field(ge=1, le=200)] = 6

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.width_m, self.depth_m, self.height_m, self.count)

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """feet: the front edge's left and right end, and how deep they go."""
        box = Box.stood(name, feet, height_m, eye)
        count = min(max(round(height_m / RISE_M), 1), 200)
        return cls(
            id=NEW_ID, name=name, x=box.x, z=box.z, turn_deg=box.turn_deg, width_m=box.width_m,
            depth_m=box.depth_m, height_m=height_m, count=count,
        )  # fmt: skip


@cached(MOST_BYTES)
def _mesh(width: float, depth: float, height: float, count: int) -> Mesh:
    run, rise = depth / count, height / count
    side = [(depth / 2, 0.0)]
    for k in range(count):
        side += [(depth / 2 - k * run, (k + 1) * rise), (depth / 2 - (k + 1) * run, (k + 1) * rise)]
    side.append((-depth / 2, 0.0))
    z, y = np.array(side).T
    n = len(side)
    flat = np.ascontiguousarray(np.stack([z, y], axis=1))
    end = filled(flat, np.array([n], np.uint32))
    w = width / 2
    points = np.concatenate([np.stack([np.full(n, x), y, z], axis=1) for x in (-w, w)])
    i = np.arange(n)
    j = (i + 1) % n
    # seen from the left, z runs to the right, so that the left end looks out as it is wound
    left, right = end, end[:, ::-1] + n
    around = [np.stack([i, j + n, j], axis=1), np.stack([i, i + n, j + n], axis=1)]
    triangles = np.concatenate([left, right, *around]).astype(np.int32)
    faces = np.concatenate([0 * end[:, 0], 0 * end[:, 0] + 1, 2 + i, 2 + i])
    return Mesh(points, triangles, faces.astype(np.int32))
