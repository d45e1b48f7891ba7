"""The shape of a solid as a value: points and faces under ids that stay with them."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arrays import Flags, Floats, Indices, Indices32
from ..cache import cached
from ..mesh import Mesh, filled
from ..refusal import Refusal

Loop = tuple[int, ...]
Loops = tuple[Loop, ...]  # the first one round the face, the others round its holes
Edge = tuple[int, int]
# As they are kept: (id, x, y, z) and (id, loops).
PointRow = tuple[int, float, float, float]
FaceRow = tuple[int, Loops]

MOST_BYTES = 64 << 20  # of remembered results
COPLANAR = 1e-6  # sine of the angle up to which two neighbours lie in one plane
WELDED = 1e-7  # of a mesh's extent: points so near to each other are one


@dataclass(frozen=True, eq=False)
class Shape:
    """points: id to place (3,), metres in the solid's own frame. faces: id to loops of point ids;
    anticlockwise seen from outside, holes clockwise. An edge is named by its two point ids."""

    points: Mapping[int, Floats]
    faces: Mapping[int, Loops]

    @classmethod
    def of_rows(cls, points: Iterable[PointRow], faces: Iterable[FaceRow]) -> Shape:
        return cls({p[0]: np.array(p[1:]) for p in points}, dict(faces))

    def rows(self) -> tuple[tuple[PointRow, ...], tuple[FaceRow, ...]]:
        """As they are kept, without points that no face has."""
        used = {i for loops in self.faces.values() for loop in loops for i in loop}
        points = tuple(
            (i, *(round(float(v), 9) for v in p)) for i, p in self.points.items() if i in used
        )
        return points, tuple(self.faces.items())  # type: ignore[return-value]

    @property
    def next_point(self) -> int:
        return max(self.points, default=0) + 1

    @property
    def next_face(self) -> int:
        return max(self.faces, default=0) + 1

    def at(self, ids: Iterable[int]) -> Floats:
        """(N, 3) the places of some points."""
        return np.array([self.points[i] for i in ids])

    def loops_of(self, face: int) -> Loops:
        """Raises Refusal where there is no such face."""
        if face not in self.faces:
            raise Refusal("This face is not there any more. Choose another one.")
        return self.faces[face]

    def normal(self, face: int) -> Floats:
        """(3,) unit normal of a face's best plane (Newell's sum over its outer loop)."""
        n = area_vector(self.at(self.loops_of(face)[0]))
        length = float(np.linalg.norm(n))
        if length < 1e-15:
            raise Refusal("This face has no area, so it faces nowhere.")
        out: Floats = n / length
        return out

    def area(self, face: int) -> float:
        """Square metres, without its holes."""
        loops = self.loops_of(face)
        n = sum((area_vector(self.at(loop)) for loop in loops), np.zeros(3))
        return float(np.linalg.norm(n))

    def axes(self, face: int) -> Floats:
        """(3, 3) rows: two axes in a face's plane and its normal, right-handed."""
        return axes_of(self.normal(face))

    @cached_property
    def sides(self) -> dict[Edge, int]:
        """The face on the left of each directed edge."""
        return {
            (a, b): face
            for face, loops in self.faces.items()
            for loop in loops
            for a, b in around(loop)
        }

    @property
    def open_edges(self) -> list[Edge]:
        """Directed edges that have no face on their other side."""
        return [(a, b) for a, b in self.sides if (b, a) not in self.sides]

    @property
    def closed(self) -> bool:
        """Whether every edge parts exactly two faces, which pass it in opposite directions."""
        count = Counter(e for loops in self.faces.values() for loop in loops for e in around(loop))
        return bool(count) and all(n == 1 and count.get((b, a)) == 1 for (a, b), n in count.items())

    @property
    def volume(self) -> float:
        """Cubic metres that it encloses; positive where its faces are wound outward."""
        mesh = mesh_of_rows(*self.rows())
        a, b, c = (mesh.points[mesh.triangles[:, i]] for i in range(3))
        return float((a * np.cross(b, c)).sum() / 6)

    def mesh(self) -> Mesh:
        return mesh_of_rows(*self.rows())

    def moved(self, places: Mapping[int, Floats]) -> Shape:
        """With some points elsewhere."""
        return Shape({**self.points, **places}, self.faces)


def around(loop: Loop) -> Iterable[Edge]:
    """The directed edges of a loop."""
    return zip(loop, (*loop[1:], loop[0]), strict=True)


def area_vector(ring: Floats) -> Floats:
    """(3,) half the sum of cross products round a ring (N, 3): its length is the area, its
    direction the normal."""
    origin = ring[0]
    out: Floats = np.cross(ring - origin, np.roll(ring, -1, axis=0) - origin).sum(axis=0) / 2
    return out


def axes_of(normal: Floats) -> Floats:
    """(3, 3) rows: two axes at right angles to a unit normal, level where that can be, and it."""
    aside = np.array([0.0, 1.0, 0.0]) if abs(normal[1]) < 0.9 else np.array([0.0, 0.0, -1.0])
    x = np.cross(aside, normal)
    x = x / np.linalg.norm(x)
    return np.stack([x, np.cross(normal, x), normal])


@cached(MOST_BYTES)
def mesh_of_rows(points: tuple[PointRow, ...], faces: tuple[FaceRow, ...]) -> Mesh:
    """The triangles that fill a shape's faces; a triangle's face is the place of its face among
    them. A face that is not flat is filled as it shows along its normal."""
    index = {p[0]: i for i, p in enumerate(points)}
    at = np.array([p[1:] for p in points], float).reshape(-1, 3)
    triangles, owners = [], []
    for number, (_, loops) in enumerate(faces):
        ids = [[index[i] for i in loop] for loop in loops]
        if len(ids) == 1 and len(ids[0]) == 3:
            triangles.append(np.array([ids[0]]))
            owners.append(number)
            continue
        n = area_vector(at[ids[0]])
        length = float(np.linalg.norm(n))
        if length < 1e-15:
            continue
        flat = np.concatenate([at[ring] for ring in ids]) @ axes_of(n / length)[:2].T
        chosen = np.concatenate([np.array(ring) for ring in ids])
        found = filled(flat, np.cumsum([len(ring) for ring in ids]).astype(np.uint32))
        triangles.append(chosen[found])
        owners += [number] * len(found)
    corners = np.concatenate(triangles) if triangles else np.zeros((0, 3))
    return Mesh(at, corners.astype(np.int32), np.array(owners, np.int32))


def shape_of_mesh(mesh: Mesh) -> Shape:
    """The shape that a mesh's surface has: points at one place are one, and neighbouring
    triangles of one face that lie in one plane make one face of it.

    Points and faces are numbered from 1 in the mesh's order, so that one mesh always gives the
    same numbers.
    """
    return taken_apart(mesh)[0]


@cached(MOST_BYTES)
def taken_apart(mesh: Mesh) -> tuple[Shape, list[int]]:
    """The shape that a mesh's surface has (see `shape_of_mesh`), and the face that each of its
    triangles belongs to; 0 for a triangle without area."""
    points, corner = _welded(mesh)
    triangles = corner[mesh.triangles]
    sound = (triangles != np.roll(triangles, 1, axis=1)).all(axis=1)
    a, b, c = (points[triangles[:, i]] for i in range(3))
    normals = np.cross(b - a, c - a)
    lengths = np.linalg.norm(normals, axis=1)
    sound &= lengths > 1e-14 * max(float(np.ptp(points, axis=0).max(initial=0)), 1e-9) ** 2
    normals = normals / np.maximum(lengths, 1e-300)[:, None]
    group = _coplanar(triangles, normals, mesh.faces, sound)
    faces: dict[int, Loops] = {}
    members = defaultdict(list)
    for i in np.nonzero(sound)[0]:
        members[group[i]].append(int(i))
    face_of = [0] * len(triangles)
    for number, (_, own) in enumerate(sorted(members.items(), key=lambda m: m[1][0]), 1):
        faces[number] = _boundary(triangles[own], points, normals[own[0]])
        for t in own:
            face_of[t] = number
    places = {i + 1: p for i, p in enumerate(points)}
    named = {f: tuple(tuple(i + 1 for i in r) for r in x) for f, x in faces.items()}
    return Shape(places, named), face_of


def _welded(mesh: Mesh) -> tuple[Floats, Indices]:
    """Points (N, 3) of which no two are at one place, in order of their first use, and (M,) which
    of them each of the mesh's points is."""
    extent = float(np.ptp(mesh.points, axis=0).max(initial=0)) or 1.0
    key = np.round(mesh.points / (extent * WELDED)).astype(np.int64)
    _, first, which = np.unique(key, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    rank = np.empty(len(first), np.int64)
    rank[order] = np.arange(len(first))
    return mesh.points[first[order]], rank[which.ravel()]


def _coplanar(triangles: Indices, normals: Floats, faces: Indices32, sound: Flags) -> list[int]:
    """A number for each triangle; neighbours of one face in one plane have the same one."""
    parent = list(range(len(triangles)))

    def root(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    left: dict[Edge, int] = {}
    for i, (a, b, c) in enumerate(triangles.tolist()):
        if sound[i]:
            left[a, b] = left[b, c] = left[c, a] = i
    for (a, b), i in left.items():
        j = left.get((b, a))
        if j is None or j <= i or faces[i] != faces[j]:
            continue
        off = np.linalg.norm(np.cross(normals[i], normals[j]))
        if off < COPLANAR and normals[i] @ normals[j] > 0:
            parent[root(j)] = root(i)
    return [root(i) for i in range(len(triangles))]


def _boundary(triangles: Indices, points: Floats, normal: Floats) -> Loops:
    """The loops round a connected, flat set of triangles, the outer one first."""
    sides = {(a, b) for t in triangles.tolist() for a, b in around(tuple(t))}
    following: dict[int, list[int]] = defaultdict(list)
    for a, b in sorted(sides):
        if (b, a) not in sides:
            following[a].append(b)
    loops = []
    while following:
        start = next(iter(following))
        loop, here = [], start
        while True:
            loop.append(here)
            ways = following[here]
            nxt = ways.pop(0) if len(ways) == 1 else _leftmost(loop, ways, points, normal)
            if not ways:
                del following[here]
            here = nxt
            if here == start:
                break
        loops.append(tuple(loop))
    loops.sort(key=lambda r: -float(area_vector(points[list(r)]) @ normal))
    return tuple(loops)


def _leftmost(loop: list[int], ways: list[int], points: Floats, normal: Floats) -> int:
    """Where a boundary touches itself at a point, the way that keeps to the face it goes round."""
    here = points[loop[-1]]
    back = points[loop[-2]] - here if len(loop) > 1 else points[ways[0]] - here
    side = np.cross(normal, back)

    def angle(w: int) -> float:
        d = points[w] - here
        return float(np.arctan2(d @ side, d @ back) % (2 * np.pi))

    best = max(ways, key=angle)
    ways.remove(best)
    return best
