"""A solid: a proxy whose faces, edges and corners have been worked on one by one."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from ..arrays import Floats
from ..cache import cached
from ..camera import Camera
from ..mesh import Mesh
from ..solid.shape import Shape, mesh_of_rows
from ..value import Number
from .kind import Numbers, Similarity, Stood

Ordinal = Annotated[int, Field(ge=1, le=10**9)]
SolidPoint = tuple[Ordinal, Number, Number, Number]
Ring = Annotated[tuple[Ordinal, ...], Field(min_length=3, max_length=4000)]
SolidFace = tuple[Ordinal, Annotated[tuple[Ring, ...], Field(min_length=1, max_length=400)]]

MOST_BYTES = 64 << 20  # of remembered results


class Solid(Stood):
    """corners: number, x, y, z in its own frame, whose zero is its foot. faces: number, and loops
    of corner numbers: round it anticlockwise from outside, then round each hole clockwise. Numbers
    stay with their corner and face through every work."""

    FEET: ClassVar[int] = 0  # it is worked, or spanned, or brought in; never stood by its feet

    kind: Literal["solid"] = "solid"
    corners: Annotated[tuple[SolidPoint, ...], Field(min_length=3, max_length=60_000)]
    faces: Annotated[tuple[SolidFace, ...], Field(min_length=1, max_length=60_000)]

    @model_validator(mode="after")
    def _sound(self) -> Self:
        there = {p[0] for p in self.corners}
        if len(there) < len(self.corners) or len({f[0] for f in self.faces}) < len(self.faces):
            raise ValueError("two corners or two faces have the same number")
        for number, loops in self.faces:
            for loop in loops:
                if not there.issuperset(loop):
                    raise ValueError(f"face {number} goes round a corner that is not there")
                if len(set(loop)) < len(loop):
                    raise ValueError(f"face {number} passes one corner twice")
        return self

    @property
    def shape(self) -> Shape:
        return _shape(self.corners, self.faces)

    def with_shape(self, shape: Shape) -> Self:
        """The same solid with another shape."""
        points, faces = shape.rows()
        return self.model_copy(update={"corners": points, "faces": faces})

    def own_mesh(self, camera: Camera) -> Mesh:
        return mesh_of_rows(self.corners, self.faces)

    def base(self) -> Floats:
        return np.zeros((0, 3))

    def half_width(self) -> float:
        x = [p[1] for p in self.corners]
        return max(abs(min(x)), abs(max(x)))

    def carried(self, by: Similarity) -> Self:
        moved = super().carried(by)
        s = by.scale
        points = tuple((i, x * s, y * s, z * s) for i, x, y, z in self.corners)
        return moved.model_copy(update={"corners": points})

    def copied(self) -> Numbers:
        return {"x": self.x + (float(np.ptp([p[1] for p in self.corners])) or 1.0) * 1.1}


@cached(MOST_BYTES)
def _shape(points: tuple[SolidPoint, ...], faces: tuple[SolidFace, ...]) -> Shape:
    return Shape.of_rows(points, faces)
