"""What every kind of proxy can do. A kind is one file beside this one: its numbers, its surface,
where it can be taken hold of, and how it is stood from picked places."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh
from ..refusal import Refusal
from ..value import Id, Name, Number, Point3, Value
from .repeat import Mirror, Row, repeated, turned

Numbers = dict[str, float]
Tag = Literal["copper", "moss", "slate", "plum", "straw"]  # colours a proxy is marked with in lists

LEAST_SIZE_M = 0.005


@dataclass(frozen=True)
class Handle:
    """A place on a proxy that can be taken hold of, in its own frame. role: foot, corner-0..,
    top or turn."""

    role: str
    at: tuple[float, float, float]


@dataclass(frozen=True)
class Similarity:
    """What carries the world when its zero or size changes: a turn about Up, anticlockwise from
    above, then ``p -> scale * p + shift``."""

    scale: float
    shift: Point3
    turn_deg: float = 0.0

    def moved(self, p: Point3) -> Point3:
        a = math.radians(self.turn_deg)
        x, z = p[0] * math.cos(a) + p[2] * math.sin(a), p[2] * math.cos(a) - p[0] * math.sin(a)
        s, (dx, dy, dz) = self.scale, self.shift
        return (x * s + dx, p[1] * s + dy, z * s + dz)


class Standing(Value):
    """What stands in the world: a foot, a level above the ground, a turn. lean_deg: how far its top
    leans away, about its own across; roll_deg: and then to its left, about its own depth.

    Its own frame has its foot at zero and Up along y.
    """

    x: Number = 0.0
    z: Number = 0.0
    level_m: Number = 0.0
    turn_deg: Number = 0.0
    lean_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0
    roll_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0

    @property
    def foot(self) -> Floats:
        """(3,) in the world."""
        return np.array([self.x, self.level_m, self.z])

    def upright(self) -> tuple[Floats, Floats]:
        """The frame that it would have without lean and roll."""
        a = math.radians(self.turn_deg)
        c, s = math.cos(a), math.sin(a)
        return np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]]), self.foot

    def frame(self) -> tuple[Floats, Floats]:
        turn, foot = self.upright()
        if self.lean_deg or self.roll_deg:
            turn = turn @ leant(self.lean_deg) @ rolled(self.roll_deg)
        return turn, foot


class Kind(Value):
    """A proxy: a surface in the world for the picture to land on."""

    stands: ClassVar[bool]  # in the world, wherever the camera is; or hangs before the lens

    kind: str
    id: Id
    name: Name
    hidden: bool = False
    locked: bool = False
    group: Name | None = None
    tag: Tag | None = None

    def own_mesh(self, camera: Camera) -> Mesh:
        """The surface in the proxy's own frame. camera: the sighted one, for what hangs before
        it. Equal numbers give the very same mesh."""
        raise NotImplementedError

    def full_mesh(self, camera: Camera) -> Mesh:
        """The surface in the proxy's own frame with its live repeats."""
        return self.own_mesh(camera)

    def frame(self) -> tuple[Floats, Floats]:
        """Turn (3, 3) and place (3,) that take the own frame to the world."""
        raise NotImplementedError

    def mesh(self, camera: Camera) -> Mesh:
        """The surface in the world."""
        turn, place = self.frame()
        return self.full_mesh(camera).moved(turn, place)

    def handles(self) -> tuple[Handle, ...]:
        """Where it can be taken hold of, in its own frame."""
        return ()

    def lengths(self) -> Numbers:
        """The numbers that grow with the world's size, by name."""
        return {
            n: getattr(self, n) for n in type(self).model_fields
            if n.endswith("_m") and n != "level_m"
        }  # fmt: skip

    def carried(self, by: Similarity) -> Self:
        """The same proxy after the world's zero or size has changed."""
        return self.model_copy(update={n: m * by.scale for n, m in self.lengths().items()})

    def copied(self) -> Numbers:
        """What a copy has otherwise, so that it is seen to be there."""
        raise NotImplementedError


class Stood(Standing, Kind):
    """A proxy that stands on the floor."""

    stands: ClassVar[bool] = True
    FEET: ClassVar[int] = 2
    USUAL_HEIGHT_M: ClassVar[float | None] = None  # None: it is flat and has no top

    mirror: Mirror | None = None
    row: Row | None = None

    def full_mesh(self, camera: Camera) -> Mesh:
        once = self.own_mesh(camera)
        if self.mirror is None and self.row is None:
            return once
        turn, place = self.frame()
        frame = (tuple(turn.ravel().tolist()), tuple(place.tolist()))
        return repeated(once, frame, self.mirror, self.row)

    @property
    def stands_level(self) -> bool:
        """Whether its base is level, so that its corners can be pulled on the ground."""
        base = self.base() @ self.frame()[0].T
        return not len(base) or float(np.ptp(base[:, 1])) < 1e-6 * max(float(np.abs(base).max()), 1)

    def base(self) -> Floats:
        """(N, 3) the corners of its base in its own frame, in the order of its handles."""
        raise NotImplementedError

    def base_in_world(self) -> Floats:
        """(N, 3) the corners of its base."""
        turn, place = self.frame()
        out: Floats = self.base() @ turn.T + place
        return out

    def half_width(self) -> float | None:
        """How far its base reaches along its own x, where its turn shows at all."""
        return None

    def handles(self) -> tuple[Handle, ...]:
        out = [Handle("foot", (0.0, 0.0, 0.0))]
        out += [Handle(f"corner-{i}", as_point(p)) for i, p in enumerate(self.base())]
        half = self.half_width()
        if half is not None:
            out.append(Handle("turn", (half + 0.25 * min(2 * half, 2.0), 0.0, 0.0)))
        if self.USUAL_HEIGHT_M is not None:
            out.append(Handle("top", (0.0, self.lengths()["height_m"], 0.0)))
        return tuple(out)

    def carried(self, by: Similarity) -> Self:
        x, level, z = by.moved((self.x, self.level_m, self.z))
        turn = turned(self.turn_deg, by.turn_deg)
        place: dict[str, object] = {"x": x, "level_m": level, "z": z, "turn_deg": turn}
        if self.mirror is not None:
            mx, _, mz = by.moved((self.mirror.x, 0.0, self.mirror.z))
            place["mirror"] = Mirror(x=mx, z=mz, turn_deg=turned(self.mirror.turn_deg, by.turn_deg))
        if self.row is not None:
            place["row"] = self.row.carried(by.scale, by.turn_deg)
        return super().carried(by).model_copy(update=place)

    def copied(self) -> Numbers:
        wide = float(np.ptp(self.base()[:, 0])) or 1.0
        return {"x": self.x + wide * 1.1}

    @classmethod
    def uprights(cls, feet: Floats) -> Floats:
        """(N, 3) over which of the picked feet its top may show."""
        return feet

    @classmethod
    def stood(cls, name: str, feet: Floats, height_m: float, eye: Floats) -> Self:
        """A new one from picked feet (FEET, 3) on the ground or on a level, a height, and where
        the lens is (3,). Raises Refusal where it would have no size."""
        raise NotImplementedError

    def corner_taken(self, corner: int, to: Floats) -> Numbers:
        """What changes when a corner of the base is taken to a place (3,) on its level; the
        corner across from it stays. Raises Refusal where nothing would be left."""
        raise Refusal(f"A {self.kind} has no foot to pull: take its corners one by one instead.")


def leant(degrees: float) -> Floats:
    """The turn (3, 3) by which the top of what stands in its own xy plane leans away."""
    a = math.radians(degrees)
    c, s = math.cos(a), math.sin(a)
    return np.array([[1.0, 0.0, 0.0], [0.0, c, s], [0.0, -s, c]])


def rolled(degrees: float) -> Floats:
    """The turn (3, 3) by which the top of what stands in its own xy plane goes to the left."""
    a = math.radians(degrees)
    c, s = math.cos(a), math.sin(a)
    return np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])


def angles_of(turn: Floats) -> tuple[float, float, float]:
    """Turn, lean and roll, degrees, of a rotation (3, 3); the inverse of `Stood.frame`."""
    lean = math.asin(min(max(float(turn[1, 2]), -1.0), 1.0))
    if abs(math.cos(lean)) < 1e-9:  # turn and roll are about one axis: all of it is turn
        return math.degrees(math.atan2(-turn[2, 0], turn[0, 0])), math.degrees(lean), 0.0
    about_up = math.atan2(turn[0, 2], turn[2, 2])
    roll = math.atan2(turn[1, 0], turn[1, 1])
    return math.degrees(about_up), math.degrees(lean), math.degrees(roll)


def as_point(p: Any) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def size(metres: float) -> float:
    """A size that can be. Raises Refusal where it is next to nothing."""
    if metres < LEAST_SIZE_M:
        raise Refusal("This would have no size. Pick places further apart.")
    return float(metres)


def sheet_between(a: Floats, b: Floats) -> Mapping[str, float]:
    """Foot, width and turn of what stands across from a (3,) to b (3,)."""
    span, middle = b - a, (a + b) / 2
    return {
        "x": float(middle[0]),
        "z": float(middle[2]),
        "width_m": size(float(np.hypot(span[0], span[2]))),
        "turn_deg": float(np.degrees(np.arctan2(-span[2], span[0]))),
    }
