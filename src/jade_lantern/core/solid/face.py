"""Works on one face: pushed out or in, a smaller one set into it, taken away; and a sheet given
a thickness."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
from shapely.geometry import Point, Polygon
from shapely.validation import explain_validity

from ..arrays import Floats
from ..mesh import nearest_triangle
from ..refusal import Refusal
from .body import with_prism
from .divide import NEAR, OnFace, divided, extent, polygons
from .shape import Loops, Shape, around

CATCH = 0.01  # of a solid's extent: what is traced so near to an edge is meant to reach it
UPRIGHT = 1e-6  # cosine up to which a neighbour counts as standing at a right angle


def pushed(shape: Shape, face: int, by: float) -> Shape:
    """A face moved along its normal, metres; in where negative. Where everything round it stands
    at a right angle to it, what is there grows or shrinks with it; elsewhere new sides come.

    Raises Refusal where it would pass through the other side.
    """
    if abs(by) <= NEAR * extent(shape):
        raise Refusal("That is no distance to push a face.")
    shift = shape.normal(face) * by
    room = _room(shape, face, -shape.normal(face)) if by < 0 else np.inf
    if -by >= room * (1 - 1e-6):
        raise Refusal(f"The solid is only {room:.3g} m deep there. To go through it, open a hole.")
    own = {i for loop in shape.loops_of(face) for i in loop}
    if _slides(shape, face, own, by):
        return shape.moved({i: shape.points[i] + shift for i in own})
    if shape.closed:
        # what stands beside the face may be met on the way, so the two bodies are joined
        out = with_prism(shape, face, shift, by > 0)
    else:
        points, faces = dict(shape.points), dict(shape.faces)
        faces.update(_sides(shape, face, shift, points))
        out = Shape(points, faces)
    return out


def _sides(
    shape: Shape, face: int, shift: Floats, points: dict[int, Floats]
) -> dict[int, tuple[tuple[int, ...], ...]]:
    """The face where it is pushed to, and the sides from where it was; its new points are put
    among the points."""
    number, twin, new = shape.next_point, {}, shape.next_face
    loops = shape.faces[face]
    for i in sorted({i for loop in loops for i in loop}):
        twin[i] = number
        points[number] = shape.points[i] + shift
        number += 1
    out: dict[int, tuple[tuple[int, ...], ...]] = {}
    for loop in loops:
        for a, b in around(loop):
            out[new] = ((a, b, twin[b], twin[a]),)
            new += 1
    out[face] = tuple(tuple(twin[i] for i in loop) for loop in loops)
    return out


def _slides(shape: Shape, face: int, own: set[int], by: float) -> bool:
    """Whether all other faces at a face's points stand at a right angle to it, there are some all
    round, and none of their edges ends on the way."""
    n = shape.normal(face)
    small = NEAR * extent(shape)
    for a, b in shape.sides:
        if (a in own) != (b in own):
            inner, outer = (a, b) if a in own else (b, a)
            ahead = float((shape.points[outer] - shape.points[inner]) @ n) * np.sign(by)
            if small < ahead <= abs(by) + small:
                return False
    for other, loops in shape.faces.items():
        touches = any(i in own for loop in loops for i in loop)
        if other != face and touches and abs(float(shape.normal(other) @ n)) > UPRIGHT:
            return False
    return all((b, a) in shape.sides for loop in shape.faces[face] for a, b in around(loop))


def _room(shape: Shape, face: int, inward: Floats) -> float:
    """How far it is from a face to the next surface behind it, metres."""
    mesh = shape.mesh()
    numbers = list(shape.faces)
    other = mesh.faces != numbers.index(face)
    corners = mesh.points[mesh.triangles[other]]
    on = OnFace(shape, face)
    small = 1e-4 * extent(shape)
    # looked from inside the face: its middle, and near each of its corners
    starts = [on.polygon.representative_point().coords[0]]
    for inner in polygons(on.polygon.buffer(-small)):
        starts += list(inner.exterior.coords)[:-1][:64]
    # begun a little behind it, so that what it meets at its own edges does not count
    behind = 0.01 * small
    far = [nearest_triangle(corners, on.lifted(p[:2]) + behind * inward, inward)[0] for p in starts]
    return min(far) + behind


def set_in(shape: Shape, face: int, margin: float) -> Shape:
    """A smaller face inside a face, a margin from its edges, metres. The inner one keeps the
    face's number.

    Raises Refusal where nothing would be left inside.
    """
    on = OnFace(shape, face)
    if margin <= NEAR * extent(shape):
        raise Refusal("The margin is to be more than nothing.")
    inner = polygons(on.polygon.buffer(-margin, join_style="mitre", mitre_limit=20.0))
    if len(inner) != 1:
        raise Refusal("So wide a margin leaves no single face inside. Make it smaller.")
    return _set(shape, on, inner[0])


def set_ring_in(shape: Shape, face: int, ring: Floats) -> Shape:
    """A face traced on a face, (N, 3) round it in its plane; what lies past the face's edges is
    left out, and what nearly reaches them does. The inner one keeps the face's number.

    Raises Refusal where the ring crosses itself or misses the face.
    """
    on = OnFace(shape, face)
    traced = Polygon(on.flat(ring))
    if not traced.is_valid:
        raise Refusal("What was traced crosses itself: " + explain_validity(traced).lower() + ".")
    reaching = _to_the_edge(on, traced, CATCH * extent(shape))
    inner = polygons(on.polygon.intersection(reaching))
    if len(inner) != 1 or inner[0].area < 1e-9 * on.polygon.area:
        raise Refusal("What was traced does not lie on this face in one piece.")
    if inner[0].area > (1 - 1e-9) * on.polygon.area:
        raise Refusal("What was traced is the whole face.")
    return _set(shape, on, inner[0])


def _to_the_edge(on: OnFace, traced: Polygon, near: float) -> Polygon:
    """A traced polygon whose corners near to the face's edges are run past them, so that no
    sliver is left between."""
    moved = []
    for x, y in traced.exterior.coords[:-1]:
        at = np.array([x, y])
        for ring in (on.polygon.exterior, *on.polygon.interiors):
            if ring.distance(Point(at)) > near:
                continue
            along = ring.project(Point(at))
            a, b = (np.array(ring.interpolate(along + s).coords[0]) for s in (-1e-6, 1e-6))
            side = np.array([b[1] - a[1], a[0] - b[0]])
            outward = side / max(float(np.hypot(*side)), 1e-300)
            if on.polygon.contains(Point((a + b) / 2 + 1e-5 * near * outward)):
                outward = -outward
            at = at + 2 * near * outward
        moved.append(at)
    out = Polygon(moved)
    return out if out.is_valid else traced


def _set(shape: Shape, on: OnFace, inner: Polygon) -> Shape:
    rest = [p for p in polygons(on.polygon.difference(inner)) if p.area > 1e-9 * on.polygon.area]
    return divided(shape, on.face, [inner, *rest])


def without_faces(shape: Shape, gone: set[int]) -> Shape:
    """Raises Refusal where no face would be left."""
    for face in gone:
        shape.loops_of(face)
    if not set(shape.faces) - gone:
        raise Refusal("This is its last face. Delete the proxy instead.")
    return Shape(shape.points, {f: x for f, x in shape.faces.items() if f not in gone})


def thickened(shape: Shape, by: float) -> Shape:
    """A sheet made a solid, so thick behind its faces, metres.

    Raises Refusal where it is closed already.
    """
    if not shape.open_edges:
        raise Refusal("This is closed already, so it is thick as it is.")
    if by <= NEAR * extent(shape):
        raise Refusal("The thickness is to be more than nothing.")
    normals = defaultdict(list)
    for face, loops in shape.faces.items():
        n = shape.normal(face)
        for i in {i for loop in loops for i in loop}:
            normals[i].append(n)
    number, twin, points = shape.next_point, {}, dict(shape.points)
    for i, around_it in normals.items():
        # every plane at the point is to lie `by` further back; least squares where too many meet
        shift, *_ = np.linalg.lstsq(np.array(around_it), np.full(len(around_it), -by), rcond=1e-6)
        twin[i], points[number] = number, shape.points[i] + shift
        number += 1
    faces: dict[int, Loops] = dict(shape.faces)
    new = shape.next_face
    for loops in shape.faces.values():
        faces[new] = tuple(tuple(twin[i] for i in reversed(loop)) for loop in loops)
        new += 1
    for a, b in shape.open_edges:
        faces[new] = ((b, a, twin[a], twin[b]),)
        new += 1
    return Shape(points, faces)
