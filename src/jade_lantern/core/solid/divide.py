"""Dividing a face into pieces, so that its neighbours still meet it point by point."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from shapely.geometry import LineString, MultiPolygon, Polygon
from shapely.geometry.polygon import orient
from shapely.ops import split
from shapely.validation import explain_validity

from ..arrays import Floats
from ..refusal import Refusal
from .shape import Edge, Loop, Loops, Shape, around

NEAR = 1e-6  # of a shape's extent: a place so near to a point or an edge is on it
LEAST_PIECE = 1e-8  # of a face's area: a smaller piece is a rounding, not a piece


def extent(shape: Shape) -> float:
    """How far a shape reaches along its longest axis."""
    return float(np.ptp(shape.at(shape.points), axis=0).max()) or 1.0


class OnFace:
    """A face's plane: its polygon in two axes, and the way from there to the shape's points."""

    def __init__(self, shape: Shape, face: int) -> None:
        self.shape, self.face = shape, face
        self.axes = shape.axes(face)
        self.origin = shape.points[shape.loops_of(face)[0][0]]
        loops = [self.flat(shape.at(loop)) for loop in shape.loops_of(face)]
        self.polygon = Polygon(loops[0], loops[1:])
        if not self.polygon.is_valid:
            raise Refusal(
                "This face crosses itself, so it cannot be divided: "
                + explain_validity(self.polygon).lower()
            )

    def flat(self, points: Floats) -> Floats:
        """Places (N, 3) in the plane's two axes (N, 2)."""
        out: Floats = (points - self.origin) @ self.axes[:2].T
        return out

    def lifted(self, flat: Sequence[float] | Floats) -> Floats:
        """(3,) a place in the plane's axes."""
        out: Floats = self.origin + np.asarray(flat) @ self.axes[:2]
        return out


def divided(shape: Shape, face: int, pieces: Sequence[Polygon], keep: int | None = 0) -> Shape:
    """A face in pieces, polygons in its plane's axes (see `OnFace`). keep: which of them goes on
    under the face's own number; None where the face goes. The others get new numbers. Points on
    the face's edges become points of its neighbours too."""
    on = OnFace(shape, face)
    tolerance = NEAR * extent(shape)
    points = dict(shape.points)
    faces = dict(shape.faces)
    own = [i for loop in faces[face] for i in loop]
    ids, places = list(own), [on.flat(points[i][None])[0] for i in own]
    edges = {e for loop in faces[face] for e in around(loop)}
    new_on: dict[Edge, list[tuple[float, int]]] = {}

    def point(at: Sequence[float]) -> int:
        flat = np.asarray(at, float)
        off = np.hypot(*(np.array(places) - flat).T)
        nearest = int(np.argmin(off))
        if off[nearest] <= tolerance:
            return ids[nearest]
        number = max(points) + 1
        where = on.lifted(flat)
        for a, b in edges:
            p, q = points[a], points[b]
            along = float((where - p) @ (q - p) / max(float((q - p) @ (q - p)), 1e-300))
            if 0 < along < 1 and np.linalg.norm(p + along * (q - p) - where) <= 10 * tolerance:
                where = p + along * (q - p)
                new_on.setdefault((a, b), []).append((along, number))
                break
        points[number] = where
        ids.append(number)
        places.append(flat)
        return number

    made: list[Loops] = []
    for piece in pieces:
        sound = orient(piece)
        rings = [sound.exterior, *sound.interiors]
        loops = tuple(_once([point(c[:2]) for c in ring.coords[:-1]]) for ring in rings)
        made.append(tuple(loop for loop in loops if len(loop) >= 3))
    del faces[face]
    for (a, b), along in new_on.items():
        inserted = [i for _, i in sorted(along)]
        for number, loops in faces.items():
            faces[number] = tuple(
                _inserted(_inserted(loop, (a, b), inserted), (b, a), inserted[::-1])
                for loop in loops
            )
    number = max((*shape.faces, 0)) + 1
    for i, loops in enumerate(made):
        loops = tuple(_with_all(loop, new_on) for loop in loops)
        if i == keep:
            faces[face] = loops
        else:
            faces[number] = loops
            number += 1
    return Shape(points, dict(sorted(faces.items())))


def cut_along(shape: Shape, face: int, line: Floats) -> Shape:
    """A face cut along a line (N, 3) that lies in its plane and is run on past both its ends.

    Raises Refusal where it does not part the face.
    """
    on = OnFace(shape, face)
    flat = on.flat(line)
    far = 4 * (extent(shape) + float(np.abs(flat).max()))
    first, last = flat[0] - flat[1], flat[-1] - flat[-2]
    if not (np.hypot(*first) and np.hypot(*last)):
        raise Refusal("This cut has no direction. Pick places further apart.")
    ends = flat[0] + far * first / np.hypot(*first), flat[-1] + far * last / np.hypot(*last)
    return _split(shape, on, LineString([ends[0], *flat, ends[1]]))


def _split(shape: Shape, on: OnFace, line: LineString) -> Shape:
    pieces = [p for p in split(on.polygon, line).geoms if p.area > LEAST_PIECE * on.polygon.area]
    if len(pieces) < 2:
        raise Refusal("This cut does not part the face. Run it from one edge to another.")
    pieces.sort(key=lambda p: -p.area)
    return divided(shape, on.face, pieces)


def polygons(shape: Any) -> list[Polygon]:
    """The polygons of what Shapely gives."""
    if isinstance(shape, Polygon):
        return [shape] if not shape.is_empty else []
    if isinstance(shape, MultiPolygon):
        return list(shape.geoms)
    return [p for p in getattr(shape, "geoms", ()) for p in polygons(p)]


def _once(loop: list[int]) -> tuple[int, ...]:
    """Without a point that comes twice in a row."""
    return tuple(i for i, before in zip(loop, [loop[-1], *loop[:-1]], strict=True) if i != before)


def _inserted(loop: tuple[int, ...], edge: Edge, between: Sequence[int]) -> tuple[int, ...]:
    """A loop with points put in on one of its directed edges, where it has that edge."""
    if edge not in set(around(loop)):
        return loop
    at = next(i for i, e in enumerate(around(loop)) if e == edge)
    new = [i for i in between if i not in loop]
    return (*loop[: at + 1], *new, *loop[at + 1 :])


def _with_all(loop: Loop, new_on: dict[Edge, list[tuple[float, int]]]) -> Loop:
    """A piece's loop with those points on its edges that another piece has put there."""
    for edge, along in new_on.items():
        loop = _inserted(loop, edge, [i for _, i in sorted(along)])
    return loop
