"""The verbs: every change to a scene is one of these small values.

`apply(scene, edit)` returns the next scene, or raises Refusal with a reason a person can act on.
Nothing else changes a scene.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Annotated, Any, Literal, Protocol, TypeVar

from pydantic import Field, ValidationError

from ..refusal import Refusal
from .document import plainly
from .model import (
    Backdrop,
    Edge,
    FocalHint,
    Heading,
    Id,
    Key,
    Length,
    Move,
    Name,
    Number,
    Plate,
    Point2,
    Point3,
    Proxy,
    Scene,
    Sighting,
    Stood,
    Tape,
    Trace,
    Value,
)

SHORTEST_TRACE_PX = 2.0


class Edit(Value):
    """A change that can be kept. `title` is what the history calls it."""

    def on(self, scene: Scene) -> Scene:
        raise NotImplementedError

    @property
    def title(self) -> str:
        raise NotImplementedError


class RenameProject(Edit):
    verb: Literal["RenameProject"] = "RenameProject"
    name: Name

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"name": self.name})

    @property
    def title(self) -> str:
        return f"Rename to {self.name}"


# ---- Sight ---------------------------------------------------------------------------------


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
        return _numbered(super().on(scene))

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
        old = _the(sighting.traces, self.trace, "trace")
        if self.end >= len(old.points):
            raise Refusal("This trace has no such end.")
        points = tuple(self.to if i == self.end else p for i, p in enumerate(old.points))
        _check_line(points, scene.plate, "trace")
        moved = old.model_copy(update={"points": points})
        _check_alone(moved, sighting.traces)
        return sighting.model_copy(update={"traces": _swapped(sighting.traces, moved)})

    @property
    def title(self) -> str:
        return "Move a trace's end"


class SetHeading(SightEdit):
    verb: Literal["SetHeading"] = "SetHeading"
    trace: Id
    heading: Heading

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = _the(sighting.traces, self.trace, "trace")
        turned = trace.model_copy(update={"heading": self.heading})
        return sighting.model_copy(update={"traces": _swapped(sighting.traces, turned)})

    @property
    def title(self) -> str:
        return f"Trace runs {self.heading.capitalize()}"


class DeleteTrace(SightEdit):
    verb: Literal["DeleteTrace"] = "DeleteTrace"
    trace: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"traces": _without(sighting.traces, self.trace)})

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
        return _numbered(super().on(scene))

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
        old = _the(sighting.tapes, self.tape, "tape")
        points = self.points or old.points
        _check_line(points, scene.plate, "tape")
        new = old.model_copy(update={"points": points, "length_m": self.length_m or old.length_m})
        return sighting.model_copy(update={"tapes": _swapped(sighting.tapes, new)})

    @property
    def title(self) -> str:
        return "Change a tape"


class DeleteTape(SettleEdit):
    verb: Literal["DeleteTape"] = "DeleteTape"
    tape: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"tapes": _without(sighting.tapes, self.tape)})

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


# ---- Block ---------------------------------------------------------------------------------


class StandProxy(Edit):
    """Add a proxy whose place in the world is known. Its id is given by the scene."""

    verb: Literal["StandProxy"] = "StandProxy"
    proxy: Proxy

    def on(self, scene: Scene) -> Scene:
        kind = self.proxy.kind
        stood = self.proxy.model_copy(update={"id": f"{kind}-{scene.next_id}"})
        return _numbered(scene.model_copy(update={"proxies": (*scene.proxies, stood)}))

    @property
    def title(self) -> str:
        return f"Stand a {self.proxy.kind}"


class ProxyNumbers(Value):
    """What can be changed on a proxy; only what is given changes."""

    name: Name | None = None
    hidden: bool | None = None
    x: Number | None = None
    z: Number | None = None
    level_m: Number | None = None
    turn_deg: Number | None = None
    width_m: Length | None = None
    depth_m: Length | None = None
    height_m: Length | None = None
    radius_m: Length | None = None
    distance_m: Length | None = None
    margin: Annotated[float, Field(ge=0, le=4)] | None = None


class AlterProxy(Edit):
    verb: Literal["AlterProxy"] = "AlterProxy"
    proxy: Id
    to: ProxyNumbers

    def on(self, scene: Scene) -> Scene:
        old = _the(scene.proxies, self.proxy, "proxy")
        given = self.to.model_dump(exclude_none=True)
        foreign = [k for k in given if k not in type(old).model_fields]
        if foreign:
            raise Refusal(f"A {old.kind} has no {foreign[0].split('_')[0]}.")
        new = old.model_copy(update=given)
        return scene.model_copy(update={"proxies": _swapped(scene.proxies, new)})

    @property
    def title(self) -> str:
        given = list(self.to.model_dump(exclude_none=True))
        if set(given) <= {"x", "z"}:
            return "Move a proxy"
        return f"Change a proxy's {given[0].split('_')[0]}"


class DeleteProxy(Edit):
    verb: Literal["DeleteProxy"] = "DeleteProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"proxies": _without(scene.proxies, self.proxy)})

    @property
    def title(self) -> str:
        return "Delete a proxy"


class DuplicateProxy(Edit):
    """A copy one step along Across, so that it is seen to be there."""

    verb: Literal["DuplicateProxy"] = "DuplicateProxy"
    proxy: Id

    def on(self, scene: Scene) -> Scene:
        old = _the(scene.proxies, self.proxy, "proxy")
        if isinstance(old, Backdrop):
            change = {"distance_m": old.distance_m * 1.1}
        else:
            step = getattr(old, "width_m", None) or 2 * getattr(old, "radius_m", 0.5)
            change = {"x": old.x + step * 1.1}
        named = {"id": f"{old.kind}-{scene.next_id}", "name": f"{old.name} copy"[:80]}
        copy = old.model_copy(update={**change, **named})
        return _numbered(scene.model_copy(update={"proxies": (*scene.proxies, copy)}))

    @property
    def title(self) -> str:
        return "Duplicate a proxy"


# ---- Cast ----------------------------------------------------------------------------------


class SetEdge(Edit):
    verb: Literal["SetEdge"] = "SetEdge"
    edge: Edge

    def on(self, scene: Scene) -> Scene:
        lantern = scene.lantern.model_copy(update={"edge": self.edge})
        return scene.model_copy(update={"lantern": lantern})

    @property
    def title(self) -> str:
        return f"Lantern: {self.edge} at the edge"


# ---- Move ----------------------------------------------------------------------------------


class SetKey(Edit):
    """Put a key on its frame, in place of one that is there."""

    verb: Literal["SetKey"] = "SetKey"
    key: Key

    def on(self, scene: Scene) -> Scene:
        _check_key(self.key, scene.move)
        others = [k for k in scene.move.keys if k.frame != self.key.frame]
        return _with_keys(scene, [*others, self.key])

    @property
    def title(self) -> str:
        return f"Key at {self.key.frame}"


class ShiftKey(Edit):
    verb: Literal["ShiftKey"] = "ShiftKey"
    frame: int
    to: Annotated[int, Field(ge=0, le=100_000)]

    def on(self, scene: Scene) -> Scene:
        key = next((k for k in scene.move.keys if k.frame == self.frame), None)
        if key is None:
            raise Refusal(f"There is no key at frame {self.frame}.")
        moved = key.model_copy(update={"frame": self.to})
        _check_key(moved, scene.move)
        if self.to != self.frame and any(k.frame == self.to for k in scene.move.keys):
            raise Refusal(f"There is a key at frame {self.to} already; both were kept.")
        others = [k for k in scene.move.keys if k.frame != self.frame]
        return _with_keys(scene, [*others, moved])

    @property
    def title(self) -> str:
        return f"Key from {self.frame} to {self.to}"


class DeleteKey(Edit):
    verb: Literal["DeleteKey"] = "DeleteKey"
    frame: int

    def on(self, scene: Scene) -> Scene:
        kept = [k for k in scene.move.keys if k.frame != self.frame]
        if len(kept) == len(scene.move.keys):
            raise Refusal(f"There is no key at frame {self.frame}.")
        return _with_keys(scene, kept)

    @property
    def title(self) -> str:
        return f"Delete the key at {self.frame}"


class SetKeys(Edit):
    """Replace all keys at once, as a ready move does."""

    verb: Literal["SetKeys"] = "SetKeys"
    keys: tuple[Key, ...]
    called: Name = "Set the keys"

    def on(self, scene: Scene) -> Scene:
        for key in self.keys:
            _check_key(key, scene.move)
        if len({k.frame for k in self.keys}) < len(self.keys):
            raise Refusal("Two keys stand on one frame; nothing was changed.")
        return _with_keys(scene, list(self.keys))

    @property
    def title(self) -> str:
        return self.called


class SetShot(Edit):
    """Frame rate and length. Keys beyond a shorter shot's last frame are not dropped silently."""

    verb: Literal["SetShot"] = "SetShot"
    fps: Annotated[float, Field(ge=1, le=240)]
    frames: Annotated[int, Field(ge=1, le=10_000)]

    def on(self, scene: Scene) -> Scene:
        last = max((k.frame for k in scene.move.keys), default=0)
        if last > self.frames - 1:
            raise Refusal(
                f"There is a key at frame {last}, past the end of a shot of {self.frames} frames. "
                "Move or delete it first."
            )
        move = scene.move.model_copy(update={"fps": self.fps, "frames": self.frames})
        return scene.model_copy(update={"move": move})

    @property
    def title(self) -> str:
        return f"{self.frames} frames at {self.fps:g} fps"


def apply(scene: Scene, edit: Edit) -> Scene:
    """The next scene. Raises Refusal, and then nothing has changed."""
    try:
        return edit.on(scene)
    except ValidationError as error:
        raise Refusal(plainly(error)) from error


# ---- the rules that several verbs share ------------------------------------------------------


class _HasId(Protocol):
    @property
    def id(self) -> str: ...


_T = TypeVar("_T", bound=_HasId)


def _the(things: Sequence[_T], id: str, what: str) -> _T:
    for thing in things:
        if thing.id == id:
            return thing
    raise Refusal(f"This {what} is not there any more.")


def _swapped(things: Sequence[Any], new: _HasId) -> tuple[Any, ...]:
    return tuple(new if t.id == new.id else t for t in things)


def _without(things: Sequence[Any], id: str) -> tuple[Any, ...]:
    _the(things, id, "thing")
    return tuple(t for t in things if t.id != id)


def _numbered(scene: Scene) -> Scene:
    return scene.model_copy(update={"next_id": scene.next_id + 1})


def _check_inside(points: Sequence[Point2], plate: Plate, what: str) -> None:
    for x, y in points:
        if not (0 <= x <= plate.width and 0 <= y <= plate.height):
            raise Refusal(f"This {what} leaves the picture. Keep it inside the plate.")


def _check_line(points: Sequence[Point2], plate: Plate, what: str) -> None:
    _check_inside(points, plate, what)
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    if math.hypot(max(xs) - min(xs), max(ys) - min(ys)) < SHORTEST_TRACE_PX:
        raise Refusal(f"This {what} has no length. Draw it along an edge, the longer the better.")


def _check_alone(trace: Trace, traces: Sequence[Trace]) -> None:
    """Refuse a trace that lies on top of another: it would say the same thing twice."""
    a, b = trace.points[0], trace.points[-1]
    for other in traces:
        if other.id == trace.id:
            continue
        c, d = other.points[0], other.points[-1]
        if (_near(a, c) and _near(b, d)) or (_near(a, d) and _near(b, c)):
            raise Refusal("A trace lies there already. Trace another edge of the same heading.")


def _near(a: Point2, b: Point2) -> bool:
    return abs(a[0] - b[0]) < 1 and abs(a[1] - b[1]) < 1


def _check_key(key: Key, move: Move) -> None:
    if key.frame > move.frames - 1:
        raise Refusal(
            f"Frame {key.frame} is past the end: the shot's last frame is {move.frames - 1}. "
            "Make the shot longer first."
        )
    if math.dist(key.aim, key.position) < 1e-6:
        raise Refusal("The aim lies on the camera itself, so it has no direction. Move one.")


def _with_keys(scene: Scene, keys: list[Key]) -> Scene:
    ordered = tuple(sorted(keys, key=lambda k: k.frame))
    return scene.model_copy(update={"move": scene.move.model_copy(update={"keys": ordered})})


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
