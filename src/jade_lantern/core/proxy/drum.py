"""An upright drum."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal, Self

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh
from ..value import Length
from .kind import Numbers, Stood, size

FACETS = 48


class Drum(Stood):
    """lip_m: the radius of its top, where that is not the foot's."""

    USUAL_HEIGHT_M: ClassVar[float | None] = 1.0

    kind: Literal["drum"] = "drum"
    radius_m: Length
    height_m: Length
    lip_m: Length | None = None

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.radius_m, self.height_m, self.lip_m or self.radius_m)

    def lengths(self) -> Numbers:
        return {n: m for n, m in super().lengths().items() if m is not None}

    def base(self) -> Floats:
        """(1, 3) one point of its rim: by it the drum is made wider."""
        return np.array([[self.radius_m, 0.0, 0.0]])

    def copied(self) -> Numbers:
        return {"x": self.x + self.radius_m * 2.2}

    @classmethod
    def uprights(cls, feet: Floats) -> Floats:
        return np.concatenate([feet, feet.mean(axis=0, keepdims=True)])

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """feet: the left and the right of its foot."""
        middle = feet.mean(axis=0)
        radius = size(float(np.linalg.norm(feet[1] - feet[0]) / 2))
        return cls(
            id="drum-0", name=name, x=middle[0], z=middle[2], radius_m=radius, height_m=height_m
        )

    def corner_taken(self, corner: int, to: Floats) -> Numbers:
        return {"radius_m": size(float(np.linalg.norm(to - self.foot)))}


@lru_cache(maxsize=512)
def _mesh(radius: float, height: float, lip: float) -> Mesh:
    n = FACETS
    angle = np.arange(n) * 2 * np.pi / n
    ring = np.stack([np.cos(angle), 0 * angle, -np.sin(angle)], axis=1)
    lift = np.array([0, height, 0])
    points = np.concatenate([radius * ring, lip * ring + lift, [lift * 0, lift]])
    i = np.arange(n)
    j = (i + 1) % n
    middle, top = np.full(n, 2 * n), np.full(n, 2 * n + 1)
    around = [(i, j, n + j), (i, n + j, n + i), (top, n + i, n + j), (middle, j, i)]
    triangles = np.stack([np.stack(t, axis=1) for t in around], axis=1).reshape(-1, 3)
    faces = np.tile([0, 0, 1, 2], n)
    return Mesh(points, triangles.astype(np.int32), faces.astype(np.int32))
