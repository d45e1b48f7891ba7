"""Cutting a shape by a plane, all round."""

from __future__ import annotations

import numpy as np
from shapely.geometry import LineString
from shapely.ops import polygonize, split

from ..arrays import Floats
from ..refusal import Refusal
from .divide import LEAST_PIECE, NEAR, OnFace, divided, extent
from .shape import Edge, Loop, Shape, area_vector, around, axes_of


def cut_round(shape: Shape, through: Floats, normal: Floats) -> Shape:
    """Every face that a plane passes through, cut there. through: (3,) a place on it. normal:
    (3,) unit.

    Raises Refusal where the plane passes no face.
    """
    tolerance = NEAR * extent(shape)
    shape, crossed = _with_crossings(shape, through, normal, tolerance)
    done = 0
    for face in list(shape.faces):
        off = [_off(shape, i, through, normal) for loop in shape.faces[face] for i in loop]
        if min(off) > -tolerance or max(off) < tolerance:
            continue
        on = OnFace(shape, face)
        flat = on.axes[:2] @ normal
        level = float((through - on.origin) @ normal)
        length = float(np.hypot(*flat))
        if length < 1e-9:
            continue
        foot, along = flat * level / length**2, np.array([-flat[1], flat[0]]) / length
        far = 4 * (extent(shape) + float(np.hypot(*foot)))
        line = LineString([foot - far * along, foot + far * along])
        least = LEAST_PIECE * on.polygon.area
        pieces = [p for p in split(on.polygon, line).geoms if p.area > least]
        if len(pieces) > 1:
            pieces.sort(key=lambda p: -p.area)
            shape = divided(shape, face, pieces)
            done += 1
    if not done and not crossed:
        raise Refusal("This cut passes beside the proxy. Run it across.")
    return shape


def without_side(shape: Shape, through: Floats, normal: Floats) -> Shape:
    """What of a shape cut by a plane is not on the side its normal points to. Where it was closed
    the cut is closed with a face.

    Raises Refusal where nothing would be left, or nothing goes.
    """
    tolerance = NEAR * extent(shape)
    closed = shape.closed
    faces = {
        f: loops for f, loops in shape.faces.items()
        if np.mean([_off(shape, i, through, normal) for i in loops[0]]) < tolerance
    }  # fmt: skip
    if not faces or len(faces) == len(shape.faces):
        raise Refusal("This cut would take all of the proxy away, or nothing of it.")
    left = Shape(shape.points, faces)
    return closed_off(left) if closed else left


def closed_off(shape: Shape) -> Shape:
    """A shape with a face in every flat opening. Raises Refusal where an opening is not flat."""
    edges = [(b, a) for a, b in shape.open_edges]
    if not edges:
        return shape
    ring = shape.at(i for e in edges for i in e)
    middle = ring.mean(axis=0)
    n = sum(
        (np.cross(shape.points[a] - middle, shape.points[b] - middle) for a, b in edges),
        np.zeros(3),
    )
    length = float(np.linalg.norm(n))
    if length < 1e-15 or np.abs((ring - middle) @ n).max() / length > 1e-4 * extent(shape):
        raise Refusal("The opening that this leaves is not flat, so it cannot be closed.")
    axes = axes_of(n / length)
    flat = {i: tuple(axes[:2] @ (shape.points[i] - middle)) for e in edges for i in e}
    name = {at: i for i, at in flat.items()}
    pieces = list(polygonize([LineString([flat[a], flat[b]]) for a, b in edges]))
    wanted = set(edges)
    faces, number = dict(shape.faces), shape.next_face
    for piece in pieces:
        rings = [[name[c[:2]] for c in r.coords[:-1]] for r in (piece.exterior, *piece.interiors)]
        loops = []
        for k, loop in enumerate(rings):
            up = float(area_vector(shape.at(loop)) @ n) > 0
            loops.append(tuple(loop if up == (k == 0) else loop[::-1]))
        if set(around(loops[0])) <= wanted:
            faces[number] = tuple(loops)
            number += 1
    out = Shape(shape.points, faces)
    if out.open_edges:
        raise Refusal("The opening that this leaves touches itself, so it cannot be closed.")
    return out


def _off(shape: Shape, point: int, through: Floats, normal: Floats) -> float:
    return float((shape.points[point] - through) @ normal)


def _with_crossings(
    shape: Shape, through: Floats, normal: Floats, tolerance: float
) -> tuple[Shape, int]:
    """The shape with a point wherever the plane crosses an edge, and how many there are. Both
    faces of the edge get it, so that they are cut at the same place."""
    points = dict(shape.points)
    off = {i: _off(shape, i, through, normal) for i in points}
    new: dict[tuple[int, int], int] = {}
    number = shape.next_point
    for a, b in shape.sides:
        key = (min(a, b), max(a, b))
        if key in new or abs(off[a]) <= tolerance or abs(off[b]) <= tolerance:
            continue
        if off[a] * off[b] < 0:
            # always from the same end, so that no face sees another rounding
            p, q = key
            points[number] = points[p] + (points[q] - points[p]) * off[p] / (off[p] - off[q])
            new[key] = number
            number += 1
    if not new:
        return shape, 0
    faces = {
        face: tuple(_passing(loop, new) for loop in loops) for face, loops in shape.faces.items()
    }
    return Shape(points, faces), len(new)


def _passing(loop: Loop, new: dict[Edge, int]) -> Loop:
    """A loop that passes the new points on its edges."""
    out: list[int] = []
    for a, b in around(loop):
        on = new.get((min(a, b), max(a, b)))
        out += [a] if on is None else [a, on]
    return tuple(out)
