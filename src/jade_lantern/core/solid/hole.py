"""Opening a hole in a shape with another one's surface."""

from __future__ import annotations

import numpy as np
from shapely.geometry import Polygon
from shapely.ops import unary_union

from ..arrays import Floats
from ..mesh import Mesh
from ..refusal import Refusal
from .body import body_of, taken_out
from .divide import NEAR, OnFace, divided, extent, polygons
from .shape import Shape, around

THROUGH = 1e-6  # share of a face below which a hole in it is none


def opened(shape: Shape, cutter: Shape, well: float = 0.0) -> Shape:
    """A shape with a hole where another one passes through it, both in one frame. A closed shape
    loses what they share; a sheet loses what the other covers of it, and gets a well below its
    holes that deep, metres, where one is asked for.

    Raises Refusal where they do not meet, or nothing would be left.
    """
    if shape.closed:
        if well:
            raise Refusal("A well goes below a floor. In a solid, push a face in instead.")
        return taken_out(shape, cutter)
    out, done = shape, 0
    for face in list(shape.faces):
        on = OnFace(out, face)
        hole = _section(on, cutter)
        if hole is None or on.polygon.intersection(hole).area < THROUGH * on.polygon.area:
            continue
        rest = [
            p for p in polygons(on.polygon.difference(hole)) if p.area > THROUGH * on.polygon.area
        ]
        if not rest:
            raise Refusal("The hole is larger than what it is opened in. Make it smaller.")
        before = out
        out = divided(out, face, sorted(rest, key=lambda p: -p.area))
        if well:
            out = _dug(before, out, face, well)
        done += 1
    if not done:
        raise Refusal("The two do not meet, so there is no hole to open. Move one into the other.")
    return out


def _section(on: OnFace, cutter: Shape) -> Polygon | None:
    """What a cutter covers of a face's plane: its section there where it is closed, its shadow
    along the plane's normal where it is a sheet."""
    mesh = cutter.mesh()
    flat = np.concatenate(
        [on.flat(mesh.points), ((mesh.points - on.origin) @ on.axes[2])[:, None]], axis=1
    )
    if cutter.closed:
        body = body_of(Mesh(flat, mesh.triangles, mesh.faces))[0]
        small = NEAR * 100 * extent(cutter)
        # what only stands on the plane, or hangs from it, is cut a little inside
        cuts = [_area(body.slice(level).to_polygons()) for level in (0.0, small, -small)]
        best = max(cuts, key=lambda c: c.area)
        return None if best.is_empty else best.simplify(NEAR * extent(cutter))
    shadow = [Polygon(flat[t][:, :2]) for t in mesh.triangles]
    whole = unary_union([t.buffer(0) for t in shadow if t.area > 0])
    return None if whole.is_empty else whole


def _area(rings: list[Floats]) -> Polygon:
    """What rings enclose; outer ones run anticlockwise, holes clockwise."""
    whole = [Polygon(r) for r in rings if len(r) >= 3]
    outer = unary_union([r for r in whole if r.exterior.is_ccw])
    return outer.difference(unary_union([r for r in whole if not r.exterior.is_ccw]))


def _dug(before: Shape, after: Shape, face: int, well: float) -> Shape:
    """Walls and a bottom below the new holes of a face."""
    down = -after.normal(face) * well
    points, faces, number = dict(after.points), dict(after.faces), after.next_face
    known = {i for loop in before.faces[face] for i in loop}
    for loop in after.faces[face][1:]:
        if known.issuperset(loop):
            continue
        twin = {}
        for i in loop:
            twin[i] = max(points) + 1
            points[twin[i]] = points[i] + down
        for a, b in around(loop):
            faces[number] = ((b, a, twin[a], twin[b]),)
            number += 1
        faces[number] = (tuple(twin[i] for i in reversed(loop)),)
        number += 1
    if len(points) == len(after.points):
        raise Refusal("The hole reaches the floor's edge, so no well can be dug below it.")
    return Shape(points, faces)
