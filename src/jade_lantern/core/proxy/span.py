"""A span: the surface between two lines or rings of points."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from ..arrays import Floats, Indices
from ..cache import cached
from ..camera import Camera
from ..mesh import Mesh, filled
from ..solid.shape import area_vector, axes_of
from ..value import Point3
from .kind import LEAST_SIZE_M, Numbers, Similarity, Stood

Line = Annotated[tuple[Point3, ...], Field(min_length=2, max_length=400)]

MOST_BYTES = 32 << 20  # of remembered results


class Span(Stood):
    """first, second: the two lines in its own frame, from the same end to the same end. round:
    they are rings, each point after the last the first one again. capped: the rings are filled,
    so that it is closed."""

    FEET: ClassVar[int] = 0

    kind: Literal["span"] = "span"
    first: Line
    second: Line
    round: bool = False
    capped: bool = False

    @model_validator(mode="after")
    def _sound(self) -> Self:
        for line in (self.first, self.second):
            if self.round and len(line) < 3:
                raise ValueError("a ring has at least three points")
        if self.capped and not self.round:
            raise ValueError("only rings can be capped")
        reach = np.array(self.first), np.array(self.second)
        if np.ptp(np.concatenate(reach), axis=0).max() < LEAST_SIZE_M:
            raise ValueError("the span would have no size")
        return self

    def own_mesh(self, camera: Camera) -> Mesh:
        return _mesh(self.first, self.second, self.round, self.capped)

    def base(self) -> Floats:
        return np.zeros((0, 3))

    def half_width(self) -> float:
        return float(np.abs([p[0] for p in (*self.first, *self.second)]).max())

    def carried(self, by: Similarity) -> Self:
        lines = {
            n: tuple((x * by.scale, y * by.scale, z * by.scale) for x, y, z in getattr(self, n))
            for n in ("first", "second")
        }
        return super().carried(by).model_copy(update=lines)

    def copied(self) -> Numbers:
        return {"x": self.x + 2.2 * self.half_width()}


@cached(MOST_BYTES)
def _mesh(first: tuple[Point3, ...], second: tuple[Point3, ...], ring: bool, capped: bool) -> Mesh:
    a, b = np.array(first), np.array(second)
    triangles, faces = _strip(a, b, ring)
    parts, owners = [triangles], [faces]
    points = np.concatenate([a, b])
    if capped:
        start = int(faces.max()) + 1
        parts += [_cap(a, False), _cap(b, True) + len(a)]
        owners += [np.full(len(parts[1]), start), np.full(len(parts[2]), start + 1)]
    every = np.concatenate(parts).astype(np.int32)
    if capped:
        p, q, r = (points[every[:, i]] - points.mean(axis=0) for i in range(3))
        if (p * np.cross(q, r)).sum() < 0:
            every = every[:, ::-1]
    return Mesh(points, every, np.concatenate(owners).astype(np.int32))


def _strip(a: Floats, b: Floats, ring: bool) -> tuple[Indices, Indices]:
    """Triangles between lines a (N, 3) and b (M, 3), and the face each belongs to. Both lines are
    walked at once, each as far along itself as the other, so that they may have different
    numbers of points."""
    n, m = len(a), len(b)
    along_a, along_b = _along(a, ring), _along(b, ring)
    i = j = face = 0
    last_a, last_b = (n, m) if ring else (n - 1, m - 1)
    triangles, faces = [], []
    while i < last_a or j < last_b:
        step_a = i < last_a and (j >= last_b or along_a[i + 1] <= along_b[j + 1] + 1e-12)
        step_b = j < last_b and (i >= last_a or along_b[j + 1] <= along_a[i + 1] + 1e-12)
        if step_a:
            triangles.append((i % n, n + j % m, (i + 1) % n))
            faces.append(face)
            i += 1
        if step_b:
            triangles.append((i % n, n + j % m, n + (j + 1) % m))
            faces.append(face)
            j += 1
        face += 1
    return np.array(triangles, np.int64), np.array(faces, np.int64)


def _along(line: Floats, ring: bool) -> Floats:
    """How far along a line each of its points is, from 0 to 1; for a ring its first point comes
    once more at the end."""
    closed = np.concatenate([line, line[:1]]) if ring else line
    far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1))])
    if len(line) > 1 and far[-1] <= 0:
        return np.linspace(0.0, 1.0, len(closed))
    out: Floats = far / far[-1]
    return out


def _cap(ring: Floats, turned: bool) -> Indices:
    n = area_vector(ring)
    flat = ring @ axes_of(n / max(float(np.linalg.norm(n)), 1e-300))[:2].T
    out = filled(flat, np.array([len(ring)], np.uint32)).astype(np.int64)
    return out[:, ::-1] if turned else out
