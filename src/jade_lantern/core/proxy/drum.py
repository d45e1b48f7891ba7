"""An upright drum."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from ..arrays import Floats
from ..cache import cached
from ..camera import Camera
from ..mesh import Mesh
from ..value import NEW_ID, Length, Share
from .kind import Numbers, Similarity, Stood, size

MOST_BYTES = 16 << 20  # of remembered results
FACETS = 48


class Drum(Stood):
    """lip_m: the radius of its top, where that is not the foot's. rings: between foot and top, how
    high each is as a share of the height, from low to high, and its radius."""

    USUAL_HEIGHT_M: ClassVar[float | None] = 1.0

    kind: Literal["drum"] = "drum"
    radius_m: Length
    height_m: Length
    lip_m: Length | None = None
    rings: Annotated[tuple[tuple[Share, Length], ...], Field(max_length=60)] = ()

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        shares = [0.0, *(s for s, _ in self.rings), 1.0]
        if any(b - a < 1e-4 for a, b in pairwise(shares)):
            raise ValueError("a drum's rings go from low to high, each above the one before")
        return self

    def own_mesh(self, camera: Camera) -> Mesh:
        top = self.lip_m or self.radius_m
        return _mesh(self.height_m, ((0.0, self.radius_m), *self.rings, (1.0, top)))

    def carried(self, by: Similarity) -> Self:
        rings = tuple((share, radius * by.scale) for share, radius in self.rings)
        return super().carried(by).model_copy(update={"rings": rings})

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
            id=NEW_ID, name=name, x=middle[0], z=middle[2], radius_m=radius, height_m=height_m
        )

    def corner_taken(self, corner: int, to: Floats) -> Numbers:
        return {"radius_m": size(float(np.linalg.norm(to - self.foot)))}


@cached(MOST_BYTES)
def _mesh(height: float, rings: tuple[tuple[float, float], ...]) -> Mesh:
    n, count = FACETS, len(rings)
    angle = np.arange(n) * 2 * np.pi / n
    circle = np.stack([np.cos(angle), 0 * angle, -np.sin(angle)], axis=1)
    up = np.array([0, height, 0])
    points = np.concatenate([*(r * circle + s * up for s, r in rings), [up * 0, up]])
    i = np.arange(n)
    j = (i + 1) % n
    triangles, faces = [], []
    for k in range(count - 1):
        low, high = k * n, (k + 1) * n
        triangles += [
            np.stack([low + i, low + j, high + j], axis=1),
            np.stack([low + i, high + j, high + i], axis=1),
        ]
        faces += [k, k]
    last = (count - 1) * n
    top, middle = np.full(n, count * n + 1), np.full(n, count * n)
    triangles += [np.stack([top, last + i, last + j], axis=1), np.stack([middle, j, i], axis=1)]
    faces += [count - 1, count]
    return Mesh(
        points, np.concatenate(triangles).astype(np.int32), np.repeat(faces, n).astype(np.int32)
    )
