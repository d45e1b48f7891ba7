"""The verbs of what is drawn over the plate: traces, rectangles, and how far they are trusted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from ...refusal import Refusal
from ...value import Id, Point2, Share, Value
from ..check import MOST_TRACES
from ..model import Corner, Heading, HeadingTrust, Rectangle, Scene, Sighting, Trace
from .edit import numbered, swapped, the_one, without
from .sighting import SightEdit, check_line

Points = Annotated[tuple[Point2, ...], Field(min_length=2, max_length=64)]
Aspect = Annotated[float, Field(gt=0.001, lt=1000)]


class AddTrace(SightEdit):
    verb: Literal["AddTrace"] = "AddTrace"
    heading: Heading
    points: Points

    def on(self, scene: Scene) -> Scene:
        return numbered(super().on(scene))

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = Trace(id=f"trace-{scene.next_id}", heading=self.heading, points=self.points)
        check_line(trace.points, scene.plate, "trace")
        _check_alone(trace, sighting.traces)
        return sighting.model_copy(update={"traces": (*sighting.traces, trace)})

    @property
    def title(self) -> str:
        return f"Trace {self.heading.capitalize()}"


class Drawn(Value):
    """A trace to be added: its heading and points."""

    heading: Heading
    points: Points


class AddTraces(SightEdit):
    """Several traces at once; those that lie on one that is there are passed over. principal lets
    the principal point go, where it is they that show it off the middle."""

    verb: Literal["AddTraces"] = "AddTraces"
    traces: Annotated[tuple[Drawn, ...], Field(min_length=1, max_length=MOST_TRACES)]
    principal: Literal["solve"] | None = None

    def on(self, scene: Scene) -> Scene:
        after = super().on(scene)
        return after.model_copy(update={"next_id": scene.next_id + len(self.traces)})

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        traces = list(sighting.traces)
        for i, drawn in enumerate(self.traces):
            trace = Trace(
                id=f"trace-{scene.next_id + i}", heading=drawn.heading, points=drawn.points
            )
            check_line(trace.points, scene.plate, "trace")
            if len(traces) < MOST_TRACES and not _lies_on(trace, traces):
                traces.append(trace)
        if len(traces) == len(sighting.traces):
            raise Refusal("These edges are traced already.")
        principal = self.principal or sighting.principal
        return sighting.model_copy(update={"traces": tuple(traces), "principal": principal})

    @property
    def title(self) -> str:
        count = len(self.traces)
        return f"Take {count} edges" if count > 1 else "Take an edge"


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
        return _with_points(sighting, scene, old, points)

    @property
    def title(self) -> str:
        return "Move a trace's end"


class MoveTrace(SightEdit):
    """Give a trace other points: moved as a whole, pulled onto an edge, or with more of them
    along a bent one."""

    verb: Literal["MoveTrace"] = "MoveTrace"
    trace: Id
    points: Points

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        old = the_one(sighting.traces, self.trace, "trace")
        return _with_points(sighting, scene, old, self.points)

    @property
    def title(self) -> str:
        return "Move a trace"


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


class TrustTrace(SightEdit):
    verb: Literal["TrustTrace"] = "TrustTrace"
    trace: Id
    trust: Share

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = the_one(sighting.traces, self.trace, "trace")
        weighed = trace.model_copy(update={"trust": self.trust})
        return sighting.model_copy(update={"traces": swapped(sighting.traces, weighed)})

    @property
    def title(self) -> str:
        return f"Share a trace by {self.trust:.0%}"


class TrustHeading(SightEdit):
    verb: Literal["TrustHeading"] = "TrustHeading"
    heading: Heading
    trust: Share

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        others = tuple(t for t in sighting.trust if t.heading != self.heading)
        mine = () if self.trust == 1 else (HeadingTrust(heading=self.heading, trust=self.trust),)
        return sighting.model_copy(update={"trust": (*others, *mine)})

    @property
    def title(self) -> str:
        return f"Share {self.heading.capitalize()} by {self.trust:.0%}"


class DeleteTrace(SightEdit):
    verb: Literal["DeleteTrace"] = "DeleteTrace"
    trace: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        corners = tuple(c for c in sighting.corners if self.trace not in c.traces)
        return sighting.model_copy(
            update={"traces": without(sighting.traces, self.trace), "corners": corners}
        )

    @property
    def title(self) -> str:
        return "Delete a trace"


class AddCorner(SightEdit):
    """Mark where two traces would meet."""

    verb: Literal["AddCorner"] = "AddCorner"
    traces: tuple[Id, Id]

    def on(self, scene: Scene) -> Scene:
        return numbered(super().on(scene))

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        if any(set(c.traces) == set(self.traces) for c in sighting.corners):
            raise Refusal("This corner is marked already.")
        corner = Corner(id=f"corner-{scene.next_id}", traces=self.traces)
        return sighting.model_copy(update={"corners": (*sighting.corners, corner)})

    @property
    def title(self) -> str:
        return "Mark a corner"


class DropCorner(SightEdit):
    verb: Literal["DropCorner"] = "DropCorner"
    corner: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"corners": without(sighting.corners, self.corner)})

    @property
    def title(self) -> str:
        return "Drop a corner"


class AddRectangle(SightEdit):
    verb: Literal["AddRectangle"] = "AddRectangle"
    headings: tuple[Heading, Heading]
    points: tuple[Point2, Point2, Point2, Point2]
    aspect: Aspect | None = None

    def on(self, scene: Scene) -> Scene:
        return numbered(super().on(scene))

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        shape = Rectangle(
            id=f"rectangle-{scene.next_id}", headings=self.headings, points=self.points,
            aspect=self.aspect,
        )  # fmt: skip
        _check_shape(shape, scene)
        return sighting.model_copy(update={"rectangles": (*sighting.rectangles, shape)})

    @property
    def title(self) -> str:
        return "Lay a rectangle"


class AlterRectangle(SightEdit):
    """Move corners, turn the plane it lies in, or say its proportions; free lets them go."""

    verb: Literal["AlterRectangle"] = "AlterRectangle"
    rectangle: Id
    points: tuple[Point2, Point2, Point2, Point2] | None = None
    headings: tuple[Heading, Heading] | None = None
    aspect: Aspect | None = None
    free: bool = False
    trust: Share | None = None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        old = the_one(sighting.rectangles, self.rectangle, "rectangle")
        new = Rectangle(
            id=old.id, points=self.points or old.points, headings=self.headings or old.headings,
            aspect=None if self.free else self.aspect or old.aspect,
            trust=old.trust if self.trust is None else self.trust,
        )  # fmt: skip
        _check_shape(new, scene)
        return sighting.model_copy(update={"rectangles": swapped(sighting.rectangles, new)})

    @property
    def title(self) -> str:
        return "Change a rectangle"


class DeleteRectangle(SightEdit):
    verb: Literal["DeleteRectangle"] = "DeleteRectangle"
    rectangle: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(
            update={"rectangles": without(sighting.rectangles, self.rectangle)}
        )

    @property
    def title(self) -> str:
        return "Delete a rectangle"


def _with_points(
    sighting: Sighting, scene: Scene, old: Trace, points: tuple[Point2, ...]
) -> Sighting:
    check_line(points, scene.plate, "trace")
    moved = old.model_copy(update={"points": points})
    _check_alone(moved, sighting.traces)
    return sighting.model_copy(update={"traces": swapped(sighting.traces, moved)})


def _check_shape(shape: Rectangle, scene: Scene) -> None:
    """Refuse a rectangle with no side, or one whose outline crosses itself or bends inwards."""
    p = shape.points
    for i in range(4):
        check_line((p[i], p[(i + 1) % 4]), scene.plate, "rectangle")
    turns = []
    for i in range(4):
        (ax, ay), (bx, by), (cx, cy) = p[i], p[(i + 1) % 4], p[(i + 2) % 4]
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    if not (min(turns) > 0 or max(turns) < 0):
        raise Refusal("Take a rectangle's four corners in order round it.")


def _near(a: Point2, b: Point2) -> bool:
    return abs(a[0] - b[0]) < 1 and abs(a[1] - b[1]) < 1


def _lies_on(trace: Trace, traces: Sequence[Trace]) -> bool:
    a, b = trace.points[0], trace.points[-1]
    for other in traces:
        if other.id == trace.id:
            continue
        c, d = other.points[0], other.points[-1]
        if (_near(a, c) and _near(b, d)) or (_near(a, d) and _near(b, c)):
            return True
    return False


def _check_alone(trace: Trace, traces: Sequence[Trace]) -> None:
    """Refuse a trace that lies on top of another: it would say the same thing twice."""
    if _lies_on(trace, traces):
        raise Refusal("A trace lies there already. Trace another edge of the same heading.")
