"""Bodies joined and taken from each other, by Manifold, with the numbers of faces and points kept
through it."""

from __future__ import annotations

from collections import defaultdict

import manifold3d
import numpy as np

from ..arrays import Floats
from ..mesh import Mesh
from ..refusal import Refusal
from .divide import NEAR, extent
from .shape import Loops, Shape, area_vector, around, shape_of_mesh


def body_of(mesh: Mesh) -> tuple[manifold3d.Manifold, int]:
    """A mesh as Manifold has it, and the number that it calls it by. Raises Refusal where it is
    not the surface of a solid."""
    own = int(manifold3d.Manifold.reserve_ids(1))
    body = manifold3d.Manifold(
        manifold3d.Mesh64(
            vert_properties=np.ascontiguousarray(mesh.points, np.float64),
            tri_verts=np.ascontiguousarray(mesh.triangles, np.uint64),
            face_id=np.ascontiguousarray(mesh.faces, np.uint64),
            run_original_id=np.array([own], np.uint32),
            run_index=np.array([0, 3 * len(mesh.triangles)], np.uint64),
        )
    )
    if body.status() != manifold3d.Error.NoError:
        raise Refusal("This is not the closed surface of a solid, so it cannot be worked so.")
    return body, own


def taken_out(shape: Shape, cutter: Shape) -> Shape:
    """A closed shape without what it shares with another one. Raises Refusal where that is
    nothing, or all of it."""
    if not cutter.closed:
        raise Refusal("A sheet opens no hole in a solid. Give it a thickness first.")
    body, own = body_of(shape.mesh())
    tool, _ = body_of(cutter.mesh())
    result = body - tool
    if result.is_empty():
        raise Refusal("The hole is larger than what it is opened in. Make it smaller.")
    if result.volume() > body.volume() * (1 - 1e-9):
        raise Refusal("The two do not meet, so there is no hole to open. Move one into the other.")
    numbers = dict(enumerate(shape.faces))
    return _renumbered(shape, result, {own: numbers})


def with_prism(shape: Shape, face: int, shift: Floats, joined: bool) -> Shape:
    """A closed shape and the prism that one of its faces sweeps, joined or taken out. The face
    keeps its number where it ends."""
    loops = shape.loops_of(face)
    ring = sorted({i for loop in loops for i in loop})
    base = {i: n for n, i in enumerate(ring, 1)}
    top = {i: n for n, i in enumerate(ring, len(ring) + 1)}
    points = {base[i]: shape.points[i] for i in ring}
    points.update({top[i]: shape.points[i] + shift for i in ring})
    faces: dict[int, Loops] = {
        1: tuple(tuple(top[i] for i in loop) for loop in loops),
        2: tuple(tuple(base[i] for i in reversed(loop)) for loop in loops),
    }
    for loop in loops:
        for a, b in around(loop):
            faces[len(faces) + 1] = ((base[a], base[b], top[b], top[a]),)
    if not joined:  # swept inward it is wound inward
        faces = {f: tuple(loop[::-1] for loop in x) for f, x in faces.items()}
    body, own = body_of(shape.mesh())
    prism, swept = body_of(Shape(points, faces).mesh())
    result = body + prism if joined else body - prism
    if result.is_empty():
        raise Refusal("Nothing would be left of the solid. Delete it instead.")
    numbers = {i: f for i, f in enumerate(shape.faces) if f != face}
    return _renumbered(shape, result, {own: numbers, swept: {0: face}})


def _renumbered(old: Shape, result: manifold3d.Manifold, known: dict[int, dict[int, int]]) -> Shape:
    """The shape of what came of a work, with the old numbers of points and faces wherever they are
    still there. known: for each body that went in, which of its mesh's faces keep which number."""
    out = result.to_mesh64()
    which = np.repeat(np.asarray(out.run_original_id), np.diff(np.asarray(out.run_index)) // 3)
    labels: dict[tuple[int, int], int] = {}
    kept: dict[int, int] = {}
    label = []
    for body, face in zip(which.tolist(), np.asarray(out.face_id).tolist(), strict=True):
        number = labels.setdefault((body, face), len(labels))
        label.append(number)
        if face in known.get(body, {}):
            kept[number] = known[body][face]
    vertices = np.asarray(out.vert_properties, float)[:, :3]
    merge = np.arange(len(vertices))
    merge[np.asarray(out.merge_from_vert, np.int64)] = np.asarray(out.merge_to_vert, np.int64)
    triangles = merge[np.asarray(out.tri_verts, np.int64)].astype(np.int32)
    mesh = Mesh(vertices, triangles, np.array(label, np.int32))
    new = shape_of_mesh(mesh)
    tolerance = NEAR * extent(old)
    ids = list(old.points)
    places = old.at(ids)
    name: dict[int, int] = {}
    number = old.next_point
    taken: set[int] = set()
    for i, p in new.points.items():
        off = np.linalg.norm(places - p, axis=1)
        nearest = int(np.argmin(off))
        if off[nearest] <= tolerance and ids[nearest] not in taken:
            name[i] = ids[nearest]
            taken.add(ids[nearest])
        else:
            name[i] = number
            number += 1
    points = {name[i]: p for i, p in new.points.items()}
    pieces = defaultdict(list)
    owner = _owners(new, mesh)
    for face, loops in new.faces.items():
        pieces[owner[face]].append(tuple(tuple(name[i] for i in loop) for loop in loops))
    faces, fresh = {}, old.next_face
    for owned, found in sorted(pieces.items()):
        found.sort(key=lambda loops: -float(np.linalg.norm(
            area_vector(np.array([points[i] for i in loops[0]])))))  # fmt: skip
        for k, loops in enumerate(found):
            if k == 0 and owned in kept:
                faces[kept[owned]] = loops
            else:
                faces[fresh] = loops
                fresh += 1
    shape = Shape(points, dict(sorted(faces.items())))
    if not shape.closed:
        raise Refusal(
            "Parts of the solid would only touch along an edge or a corner then. Do a little more "
            "of it, or a little less."
        )
    return shape


def _owners(shape: Shape, mesh: Mesh) -> dict[int, int]:
    """The mesh's face that each face of its shape came from: that of a triangle on one of its
    edges."""
    corner: dict[tuple[float, ...], int] = {}
    for i, p in shape.points.items():
        corner[tuple(np.round(p, 9))] = i
    side: dict[tuple[int, int], int] = {}
    own = [corner.get(tuple(np.round(p, 9)), 0) for p in mesh.points]
    for t, face in zip(mesh.triangles.tolist(), mesh.faces.tolist(), strict=True):
        for a, b in around(tuple(own[i] for i in t)):
            side[a, b] = face
    out = {}
    for f, loops in shape.faces.items():
        owner = next((side[e] for e in around(loops[0]) if e in side), None)
        if owner is None:
            raise Refusal("What is left would be too thin to tell apart. Do a little less of it.")
        out[f] = owner
    return out
