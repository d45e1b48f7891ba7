"""Which headings a rectangle's sides run along, found without being told."""

from __future__ import annotations

import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..scene.edits import AddRectangle, Edit
from ..scene.gesture import Gesture
from ..scene.model import Heading, Rectangle, Scene, Sighting
from ..value import NEW_ID, Point2
from . import misfit
from .lens import Lens
from .lines import HEADING_INDEX
from .sighted import lens_of

Corners = tuple[Point2, Point2, Point2, Point2]
WAYS: tuple[tuple[Heading, Heading], ...] = (
    ("across", "up"), ("up", "across"), ("away", "up"), ("up", "away"),
    ("across", "away"), ("away", "across"),
)  # fmt: skip


def in_order(points: Corners) -> Corners:
    """The corners in order round their middle, beginning with the first, so that sides never
    cross; the order they came in where that is one already."""
    turns = []
    for i in range(4):
        (ax, ay), (bx, by), (cx, cy) = points[i], points[(i + 1) % 4], points[(i + 2) % 4]
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    if min(turns) > 0 or max(turns) < 0:
        return points
    middle = np.mean(points, axis=0)
    turn = [math.atan2(p[1] - middle[1], p[0] - middle[0]) for p in points]
    order = sorted(range(4), key=lambda i: (turn[i] - turn[0]) % (2 * math.pi))
    a, b, c, d = (points[i] for i in order)
    return (a, b, c, d)


def headings_of_rectangle(
    points: Corners, aspect: float | None, sighting: Sighting, width: int, height: int
) -> tuple[Heading, Heading]:
    """The two headings that fit best: by the camera that all traces with this rectangle give, and
    where that tells nothing, by how its sides lie in the picture."""
    likely = _by_eye(points)
    best: tuple[float, tuple[Heading, Heading]] | None = None
    for way in sorted(WAYS, key=lambda w: w != likely):
        shape = Rectangle(id=NEW_ID, headings=way, points=points, aspect=aspect)
        with_it = sighting.model_copy(
            update={
                "rectangles": (*sighting.rectangles, shape),
                "by_eye": None,
                "given": None,
                "bend": None,
            }
        )
        lens = lens_of(with_it, width, height)
        if not isinstance(lens, Lens):
            continue
        # Each trace's misfit counts, clipped at 20 px, so that one gross trace does not decide.
        loss = float(np.minimum(lens.misfits, 20.0) @ np.minimum(lens.misfits, 20.0))
        if best is None or loss < 0.7 * best[0] - 0.5:
            best = (loss, way)
    return best[1] if best else likely


def _by_eye(points: Corners) -> tuple[Heading, Heading]:
    def steep(i: int) -> float:
        (ax, ay), (bx, by) = points[i], points[i + 1]
        (cx, cy), (dx, dy) = points[(i + 3) % 4], points[(i + 2) % 4]
        x, y = abs(bx - ax) + abs(dx - cx), abs(by - ay) + abs(dy - cy)
        return math.degrees(math.atan2(y, x))

    first, second = steep(0), steep(1)
    if max(first, second) > 65:
        return ("up", "across") if first > second else ("across", "up")
    return ("across", "away") if first < second else ("away", "across")


def measured_aspect(lens: Lens, shape: Rectangle) -> float:
    """The first side over the second, as the camera sees it."""
    a, b = (HEADING_INDEX[h] for h in shape.headings)
    corners = np.array(shape.points) - lens.centre
    return math.exp(misfit.log_ratio(corners, lens.rotation, lens.focal_px, a, b))


class LayRectangle(Gesture):
    """Lay a rectangle on four corners, in any order; its headings are found where they are not
    given. aspect is the side from the first corner to the next round it, over the other."""

    verb: Literal["LayRectangle"] = "LayRectangle"
    points: Corners
    aspect: Annotated[float, Field(gt=0.001, lt=1000)] | None = None
    headings: tuple[Heading, Heading] | None = None

    def edit(self, scene: Scene) -> Edit:
        points = in_order(self.points)
        AddRectangle(headings=("across", "up"), points=points).on(scene)
        ways = self.headings or headings_of_rectangle(
            points, self.aspect, scene.sighting, scene.plate.width, scene.plate.height
        )
        return AddRectangle(headings=ways, points=points, aspect=self.aspect)


def opinions(scene: Scene) -> list[tuple[tuple[Heading, Heading], Lens]]:
    """What each two headings would say by themselves, the third one's traces left aside: how far
    a picture's perspective agrees with itself. Two headings cannot tell a principal point, so one
    that is solved is held in the middle."""
    out = []
    held = None if scene.sighting.principal == "solve" else scene.sighting.principal
    pairs: tuple[tuple[Heading, Heading], ...] = (
        ("across", "up"), ("up", "away"), ("across", "away"),
    )  # fmt: skip
    for pair in pairs:
        kept = tuple(t for t in scene.sighting.traces if t.heading in pair)
        shapes = tuple(r for r in scene.sighting.rectangles if set(r.headings) == set(pair))
        part = scene.sighting.model_copy(
            update={
                "traces": kept,
                "rectangles": shapes,
                "by_eye": None,
                "given": None,
                "trust": (),
                "principal": held,
            }
        )
        lens = lens_of(part, scene.plate.width, scene.plate.height)
        if isinstance(lens, Lens):
            out.append((pair, lens))
    return out
