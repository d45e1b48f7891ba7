"""The verbs of what is drawn over the plate: traces, rectangles, and how far they are trusted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from ...refusal import Refusal
from ...value import Id, Point2, Share, Value
from ..check import MOST_TRACES
from ..model import Corner, Heading, HeadingTrust, Rectangle, Scene, Sighting, Trace, Way, called
from .edit import numbered, swapped, the_one, without
from .sighting import SightEdit, check_line


def trace_name(scene: Scene, id: str) -> str:
    """What a trace is called: its heading, and which one of that heading it is."""
    seen: dict[str, int] = {}
    for t in scene.sighting.traces:
        seen[t.heading] = seen.get(t.heading, 0) + 1
        if t.id == id:
            return f"{called(t.heading)} {seen[t.heading]}"
    return "a trace"


Points = Annotated[tuple[Point2, ...], Field(min_length=2, max_length=64)]
Aspect = Annotated[float, Field(gt=0.001, lt=1000)]


class AddTrace(SightEdit):
    verb: Literal["AddTrace"] = "AddTrace"
    heading: Way
    points: Points
    on_edge: bool = False

    def on(self, scene: Scene) -> Scene:
        return numbered(super().on(scene))

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = Trace(
            id=f"trace-{scene.next_id}", heading=self.heading, points=self.points,
            on_edge=self.on_edge,
        )  # fmt: skip
        check_line(trace.points, scene.plate, "trace")
        _check_alone(trace, sighting.traces)
        return sighting.model_copy(update={"traces": (*sighting.traces, trace)})

    def title(self, scene: Scene) -> str:
        return f"Trace {called(self.heading)}"


class NewTrace(Value):
    """A trace to be added: its heading, its points, and whether they lie on a found edge."""

    heading: Way
    points: Points
    on_edge: bool = False


class AddTraces(SightEdit):
    """Several traces at once; those that lie on one that is there are passed over. principal lets
    the principal point go, where it is they that show it off the middle."""

    verb: Literal["AddTraces"] = "AddTraces"
    traces: Annotated[tuple[NewTrace, ...], Field(min_length=1, max_length=MOST_TRACES)]
    principal: Literal["solve"] | None = None

    def on(self, scene: Scene) -> Scene:
        after = super().on(scene)
        return after.model_copy(update={"next_id": scene.next_id + len(self.traces)})

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        traces = list(sighting.traces)
        for i, drawn in enumerate(self.traces):
            trace = Trace(
                id=f"trace-{scene.next_id + i}",
                heading=drawn.heading,
                points=drawn.points,
                on_edge=drawn.on_edge,
            )
            check_line(trace.points, scene.plate, "trace")
            if len(traces) < MOST_TRACES and not _lies_on(trace, traces):
                traces.append(trace)
        if len(traces) == len(sighting.traces):
            raise Refusal("These edges are traced already.")
        principal = self.principal or sighting.principal
        return sighting.model_copy(update={"traces": tuple(traces), "principal": principal})

    def title(self, scene: Scene) -> str:
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
        return _with_points(sighting, scene, old, points, False)

    def title(self, scene: Scene) -> str:
        return f"Move the end of {trace_name(scene, self.trace)}"


class MoveTrace(SightEdit):
    """Give a trace other points: moved as a whole, pulled onto an edge, or with more of them
    along a bent one."""

    verb: Literal["MoveTrace"] = "MoveTrace"
    trace: Id
    points: Points
    on_edge: bool = False

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        old = the_one(sighting.traces, self.trace, "trace")
        return _with_points(sighting, scene, old, self.points, self.on_edge)

    def title(self, scene: Scene) -> str:
        return f"Move {trace_name(scene, self.trace)}"


class SetHeading(SightEdit):
    verb: Literal["SetHeading"] = "SetHeading"
    trace: Id
    heading: Way

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = the_one(sighting.traces, self.trace, "trace")
        turned = trace.model_copy(update={"heading": self.heading})
        return sighting.model_copy(update={"traces": swapped(sighting.traces, turned)})

    def title(self, scene: Scene) -> str:
        return f"{trace_name(scene, self.trace)} runs {called(self.heading)}"


class SetHeadings(SightEdit):
    """Give several traces one heading or bearing."""

    verb: Literal["SetHeadings"] = "SetHeadings"
    traces: Annotated[tuple[Id, ...], Field(min_length=1, max_length=MOST_TRACES)]
    heading: Way

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        for trace in self.traces:
            the_one(sighting.traces, trace, "trace")
        turned = tuple(
            t.model_copy(update={"heading": self.heading}) if t.id in self.traces else t
            for t in sighting.traces
        )
        return sighting.model_copy(update={"traces": turned})

    def title(self, scene: Scene) -> str:
        return f"{len(self.traces)} traces run along {called(self.heading)}"


class TrustTrace(SightEdit):
    verb: Literal["TrustTrace"] = "TrustTrace"
    trace: Id
    trust: Share

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        trace = the_one(sighting.traces, self.trace, "trace")
        weighed = trace.model_copy(update={"trust": self.trust})
        return sighting.model_copy(update={"traces": swapped(sighting.traces, weighed)})

    def title(self, scene: Scene) -> str:
        return f"Trust {trace_name(scene, self.trace)} by {self.trust:.0%}"


class TrustHeading(SightEdit):
    verb: Literal["TrustHeading"] = "TrustHeading"
    heading: Way
    trust: Share

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        others = tuple(t for t in sighting.trust if t.heading != self.heading)
        mine = () if self.trust == 1 else (HeadingTrust(heading=self.heading, trust=self.trust),)
        return sighting.model_copy(update={"trust": (*others, *mine)})

    def title(self, scene: Scene) -> str:
        return f"Trust {called(self.heading)} by {self.trust:.0%}"


class DeleteTrace(SightEdit):
    verb: Literal["DeleteTrace"] = "DeleteTrace"
    trace: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        corners = tuple(c for c in sighting.corners if self.trace not in c.traces)
        return sighting.model_copy(
            update={"traces": without(sighting.traces, self.trace), "corners": corners}
        )

    def title(self, scene: Scene) -> str:
        return f"Delete {trace_name(scene, self.trace)}"


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

    def title(self, scene: Scene) -> str:
        return "Mark a corner"


class DropCorner(SightEdit):
    verb: Literal["DropCorner"] = "DropCorner"
    corner: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"corners": without(sighting.corners, self.corner)})

    def title(self, scene: Scene) -> str:
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

    def title(self, scene: Scene) -> str:
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

    def title(self, scene: Scene) -> str:
        return "Change a rectangle"


class DeleteRectangle(SightEdit):
    verb: Literal["DeleteRectangle"] = "DeleteRectangle"
    rectangle: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(
            update={"rectangles": without(sighting.rectangles, self.rectangle)}
        )

    def title(self, scene: Scene) -> str:
        return "Delete a rectangle"


def _with_points(
    sighting: Sighting, scene: Scene, old: Trace, points: tuple[Point2, ...], on_edge: bool
) -> Sighting:
    check_line(points, scene.plate, "trace")
    moved = old.model_copy(update={"points": points, "on_edge": on_edge})
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
