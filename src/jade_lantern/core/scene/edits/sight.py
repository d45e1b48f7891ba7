"""The verbs of Sight."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import Field

from ...refusal import Refusal
from ..model import (
    FocalHint,
    Heading,
    Id,
    Key,
    Length,
    Plate,
    Point2,
    Point3,
    Scene,
    Sighting,
    Stood,
    Tape,
    Trace,
)
from .edit import Edit, numbered, swapped, the_one, without

SHORTEST_TRACE_PX = 2.0


class SightEdit(Edit):
    """A change to the sighting, which a lock keeps out."""

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        raise NotImplementedError

    def on(self, scene: Scene) -> Scene:
        if scene.sighting.locked:
            raise Refusal("The sighting is locked, so nothing was changed. Unlock it in Sight.")
        return scene.model_copy(update={"sighting": self.sighted(scene.sighting, scene)})


class AddTrace(SightEdit):
    verb: Literal["AddTrace"] = "AddTrace"
    heading: Heading
    points: Annotated[tuple[Point2, ...], Field(min_length=2, max_length=64)]

    def on(self, scene: Scene) -> Scene:
        return numbered(super().on(scene))

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = Trace(id=f"trace-{scene.next_id}", heading=self.heading, points=self.points)
        _check_line(trace.points, scene.plate, "trace")
        _check_alone(trace, sighting.traces)
        return sighting.model_copy(update={"traces": (*sighting.traces, trace)})

    @property
    def title(self) -> str:
        return f"Trace {self.heading.capitalize()}"


class MoveTraceEnd(SightEdit):
    verb: Literal["MoveTraceEnd"] = "MoveTraceEnd"
    trace: Id
    end: Annotated[int, Field(ge=0, le=63)]
    to: Point2

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        old = the_one(sighting.traces, self.trace, "trace")
        if self.end >= len(old.points):
            raise Refusal("This trace has no such end.")
        points = tuple(self.to if i == self.end else p for i, p in enumerate(old.points))
        _check_line(points, scene.plate, "trace")
        moved = old.model_copy(update={"points": points})
        _check_alone(moved, sighting.traces)
        return sighting.model_copy(update={"traces": swapped(sighting.traces, moved)})

    @property
    def title(self) -> str:
        return "Move a trace's end"


class SetHeading(SightEdit):
    verb: Literal["SetHeading"] = "SetHeading"
    trace: Id
    heading: Heading

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = the_one(sighting.traces, self.trace, "trace")
        turned = trace.model_copy(update={"heading": self.heading})
        return sighting.model_copy(update={"traces": swapped(sighting.traces, turned)})

    @property
    def title(self) -> str:
        return f"Trace runs {self.heading.capitalize()}"


class DeleteTrace(SightEdit):
    verb: Literal["DeleteTrace"] = "DeleteTrace"
    trace: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"traces": without(sighting.traces, self.trace)})

    @property
    def title(self) -> str:
        return "Delete a trace"


class SetFocal(SightEdit):
    verb: Literal["SetFocal"] = "SetFocal"
    focal: FocalHint | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"focal": self.focal})

    @property
    def title(self) -> str:
        return "Give the focal length" if self.focal else "Let the focal length be solved"


class SettleEdit(SightEdit):
    """A change of the world's zero or size. What stands in the world is carried along with it
    (see `sight.settle`), so that nothing moves in the picture."""


class SetDatum(SettleEdit):
    verb: Literal["SetDatum"] = "SetDatum"
    point: Point2 | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        if self.point is not None:
            _check_inside([self.point], scene.plate, "datum")
        return sighting.model_copy(update={"datum": self.point})

    @property
    def title(self) -> str:
        return "Set the datum" if self.point else "Remove the datum"


class SetEyeHeight(SettleEdit):
    verb: Literal["SetEyeHeight"] = "SetEyeHeight"
    metres: Length | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"eye_height_m": self.metres})

    @property
    def title(self) -> str:
        return "Set the eye height" if self.metres else "Remove the eye height"


class AddTape(SettleEdit):
    verb: Literal["AddTape"] = "AddTape"
    points: tuple[Point2, Point2]
    length_m: Length

    def on(self, scene: Scene) -> Scene:
        return numbered(super().on(scene))

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        _check_line(self.points, scene.plate, "tape")
        tape = Tape(id=f"tape-{scene.next_id}", points=self.points, length_m=self.length_m)
        return sighting.model_copy(update={"tapes": (*sighting.tapes, tape)})

    @property
    def title(self) -> str:
        return "Lay a tape"


class AlterTape(SettleEdit):
    verb: Literal["AlterTape"] = "AlterTape"
    tape: Id
    points: tuple[Point2, Point2] | None = None
    length_m: Length | None = None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        old = the_one(sighting.tapes, self.tape, "tape")
        points = self.points or old.points
        _check_line(points, scene.plate, "tape")
        new = old.model_copy(update={"points": points, "length_m": self.length_m or old.length_m})
        return sighting.model_copy(update={"tapes": swapped(sighting.tapes, new)})

    @property
    def title(self) -> str:
        return "Change a tape"


class DeleteTape(SettleEdit):
    verb: Literal["DeleteTape"] = "DeleteTape"
    tape: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"tapes": without(sighting.tapes, self.tape)})

    @property
    def title(self) -> str:
        return "Delete a tape"


class SetLock(Edit):
    verb: Literal["SetLock"] = "SetLock"
    locked: bool

    def on(self, scene: Scene) -> Scene:
        sighting = scene.sighting.model_copy(update={"locked": self.locked})
        return scene.model_copy(update={"sighting": sighting})

    @property
    def title(self) -> str:
        return "Lock the sighting" if self.locked else "Unlock the sighting"


class Resettle(Edit):
    """A change of zero or size together with the similarity that carries what stands in the
    world: ``p -> scale * p + shift``."""

    verb: Literal["Resettle"] = "Resettle"
    change: SetDatum | SetEyeHeight | AddTape | AlterTape | DeleteTape = Field(discriminator="verb")
    scale: Length
    shift: Point3

    def on(self, scene: Scene) -> Scene:
        after = self.change.on(scene)
        return after.model_copy(
            update={
                "proxies": tuple(_carried(p, self.scale, self.shift) for p in after.proxies),
                "move": after.move.model_copy(
                    update={"keys": tuple(self._carried_key(k) for k in after.move.keys)}
                ),
            }
        )

    def _carried_key(self, key: Key) -> Key:
        return key.model_copy(
            update={
                "position": _moved(key.position, self.scale, self.shift),
                "aim": _moved(key.aim, self.scale, self.shift),
            }
        )

    @property
    def title(self) -> str:
        return self.change.title


def _check_inside(points: Sequence[Point2], plate: Plate, what: str) -> None:
    for x, y in points:
        if not (0 <= x <= plate.width and 0 <= y <= plate.height):
            raise Refusal(f"This {what} leaves the picture. Keep it inside the plate.")


def _check_line(points: Sequence[Point2], plate: Plate, what: str) -> None:
    _check_inside(points, plate, what)
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    if math.hypot(max(xs) - min(xs), max(ys) - min(ys)) < SHORTEST_TRACE_PX:
        raise Refusal(f"This {what} has no length. Draw it along an edge, the longer the better.")


def _near(a: Point2, b: Point2) -> bool:
    return abs(a[0] - b[0]) < 1 and abs(a[1] - b[1]) < 1


def _check_alone(trace: Trace, traces: Sequence[Trace]) -> None:
    """Refuse a trace that lies on top of another: it would say the same thing twice."""
    a, b = trace.points[0], trace.points[-1]
    for other in traces:
        if other.id == trace.id:
            continue
        c, d = other.points[0], other.points[-1]
        if (_near(a, c) and _near(b, d)) or (_near(a, d) and _near(b, c)):
            raise Refusal("A trace lies there already. Trace another edge of the same heading.")


def _moved(p: Point3, scale: float, shift: Point3) -> Point3:
    return (p[0] * scale + shift[0], p[1] * scale + shift[1], p[2] * scale + shift[2])


def _carried(proxy: Any, scale: float, shift: Point3) -> Any:
    lengths = {
        f: getattr(proxy, f) * scale
        for f in ("width_m", "depth_m", "height_m", "radius_m", "distance_m")
        if hasattr(proxy, f)
    }
    if isinstance(proxy, Stood):
        lengths["x"], lengths["level_m"], lengths["z"] = _moved(
            (proxy.x, proxy.level_m, proxy.z), scale, shift
        )
    return proxy.model_copy(update=lengths)
