"""An upright sheet cut to an outline, with holes, as thin as paper or with a thickness."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from shapely.geometry import Polygon
from shapely.validation import explain_validity

from ..arrays import Floats
from ..cache import cached
from ..camera import Camera
from ..mesh import Mesh, filled
from ..value import NEW_ID, Point2
from .kind import LEAST_SIZE_M, Numbers, Similarity, Stood, sheet_between

Ring = Annotated[tuple[Point2, ...], Field(min_length=3, max_length=400)]

MOST_BYTES = 32 << 20  # of remembered results
LEAST_AREA = LEAST_SIZE_M**2


class Outline(Stood):
    """x, z is the middle of its foot. points: round it, metres along its foot and up from it.
    holes: the same, each inside. thickness_m: how far it is
    pushed along its normal, away from the lens; 0 for a sheet. margin_m: so much is to spare all
    round it, beyond what was traced."""

    kind: Literal["outline"] = "outline"
    points: Ring
    holes: Annotated[tuple[Ring, ...], Field(max_length=100)] = ()
    thickness_m: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    margin_m: Annotated[float, Field(ge=0, le=1e4)] = 0.0

    FEET: ClassVar[int] = 2

    @model_validator(mode="after")
    def _sound(self) -> Self:
        _check(self.points, self.holes)
        return self

    def own_mesh(self, camera: Camera) -> Mesh:
        points, holes = _spared(self.points, self.holes, self.margin_m)
        return _mesh(points, holes, self.thickness_m)

    def base(self) -> Floats:
        x = [p[0] for p in self.points]
        return np.array([[min(x), 0.0, 0.0], [max(x), 0.0, 0.0]])

    def half_width(self) -> float:
        return float(np.ptp(self.base()[:, 0])) / 2

    def carried(self, by: Similarity) -> Self:
        moved = super().carried(by)
        rings = [tuple((x * by.scale, y * by.scale) for x, y in r) for r in self._rings]
        return moved.model_copy(update={"points": rings[0], "holes": tuple(rings[1:])})

    @property
    def _rings(self) -> tuple[tuple[Point2, ...], ...]:
        return (self.points, *self.holes)

    def corner_taken(self, corner: int, to: Floats) -> Numbers:
        held, old = self.base_in_world()[[1 - corner % 2, corner % 2]]
        new = sheet_between(*((held, to) if corner % 2 else (to, held)))
        grow = new["width_m"] / max(float(np.linalg.norm(old - held)), LEAST_SIZE_M)
        low, high = self.base()[:, 0]
        middle = grow * (low + high) / 2
        rings = [tuple(((x * grow) - middle, y) for x, y in r) for r in self._rings]
        out: dict[str, object] = {n: new[n] for n in ("x", "z", "turn_deg")}
        return {**out, "points": rings[0], "holes": tuple(rings[1:])}  # type: ignore[dict-item]

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """feet: its two ends; a rectangle until it is cut."""
        foot = sheet_between(*feet)
        w = foot["width_m"] / 2
        box = ((-w, 0.0), (w, 0.0), (w, height_m), (-w, height_m))
        place = {n: foot[n] for n in ("x", "z", "turn_deg")}
        return cls(id=NEW_ID, name=name, points=box, **place)


def _check(points: tuple[Point2, ...], holes: tuple[tuple[Point2, ...], ...]) -> None:
    """Raises ValueError, in words, for an outline that cannot be filled."""
    whole = Polygon(points)
    if not whole.is_valid:
        raise ValueError("the outline crosses itself: " + _where(explain_validity(whole)))
    if whole.area < LEAST_AREA:
        raise ValueError("the outline has no area")
    cut: list[Polygon] = []
    for ring in holes:
        hole = Polygon(ring)
        if not hole.is_valid or hole.area < LEAST_AREA:
            raise ValueError("a hole crosses itself or has no area")
        if not whole.contains_properly(hole):
            raise ValueError("a hole reaches past the outline: draw it inside")
        if any(hole.intersects(other) for other in cut):
            raise ValueError("two holes touch each other: draw them as one")
        cut.append(hole)


def _where(reason: str) -> str:
    return reason.lower().replace("self-intersection", "near ").replace("[", "").replace("]", " m")


@cached(MOST_BYTES)
def _spared(
    points: tuple[Point2, ...], holes: tuple[tuple[Point2, ...], ...], margin: float
) -> tuple[tuple[Point2, ...], tuple[tuple[Point2, ...], ...]]:
    """The rings moved out by a margin; a hole that it fills is gone."""
    if not margin:
        return points, holes
    grown = Polygon(points, holes).buffer(margin, join_style="mitre", mitre_limit=2.0)
    rings = [tuple((float(x), float(y)) for x, y in r.coords[:-1]) for r in grown.interiors]
    outer = tuple((float(x), float(y)) for x, y in grown.exterior.coords[:-1])
    return outer, tuple(rings)


@cached(MOST_BYTES)
def _mesh(
    points: tuple[Point2, ...], holes: tuple[tuple[Point2, ...], ...], thickness: float
) -> Mesh:
    rings = [_wound(np.array(points), True), *(_wound(np.array(h), False) for h in holes)]
    flat = np.concatenate(rings)
    ends = np.cumsum([len(r) for r in rings]).astype(np.uint32)
    triangles = filled(flat, ends)
    front = np.concatenate([flat, np.zeros((len(flat), 1))], axis=1)
    faces = np.zeros(len(triangles), np.int32)
    if not thickness:
        return Mesh(front, triangles, faces)
    n = len(flat)
    back = front - [0, 0, thickness]
    sides, side_faces, start = [], [], 0
    for ring in rings:
        i = start + np.arange(len(ring))
        j = start + (np.arange(len(ring)) + 1) % len(ring)
        sides += [np.stack([i, i + n, j], axis=1), np.stack([j, i + n, j + n], axis=1)]
        side_faces += [2 + i, 2 + i]
        start += len(ring)
    return Mesh(
        np.concatenate([front, back]),
        np.concatenate([triangles, triangles[:, ::-1] + n, *sides]).astype(np.int32),
        np.concatenate([faces, faces + 1, *side_faces]).astype(np.int32),
    )


def _wound(ring: Floats, anticlockwise: bool) -> Floats:
    x, y = ring.T
    area = float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
    return ring if (area > 0) == anticlockwise else ring[::-1]
