"""Projective texturing, set up once for all frames of a shot: which lanterns light which surfaces,
and the homographies from a shot's pixels to the pixels of their plates.

A lantern that lights only the first surface on each ray gets a visibility buffer of its own, by
which the renderer tells what is hidden from it (as in shadow mapping, Williams 1978, but with
surface numbers and exact plane depths in place of sampled ones).
"""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, Triangles, joined
from ..threads import in_threads
from ..value import MIXINGS, Edge, Mixing
from .pyramid import WHITE, Pyramid
from .relief import Slopes
from .screen import Planes, Screen, planes_and_areas, planes_of
from .see import see
from .throws import PLATE_RECORD, Buffers, Plates, Throws

EDGES: tuple[Edge, ...] = ("stop", "hold", "mirror")
T = TypeVar("T")
MOST_KEPT = 10  # things worked out of a cast: what eight lights see, and two of its surfaces
DENSE = 2000  # triangles from which it is worth telling which of a body face away
WIDEST_BUFFER = 4096  # px, the longer side of a visibility buffer


@dataclass(frozen=True, eq=False)
class Target:
    """Something to cast on: a proxy, or those faces of one that take the same lanterns.

    lanterns: indices into the throwers, topmost first. proxy: index among the proxies shown. rest:
    (N, 4) homogeneous positions of the mesh's points when the picture was cast on, for a proxy
    that carries its picture along; None where the points are where they were. laid: (M, 3, 2)
    where in its one lantern's plate the corners of its triangles are, px: for a thing with a
    picture of its own, which is not thrown from anywhere. normals: (M, 3, 3) of the corners of its
    triangles, in the world, for one that is to be lit as if it were round; NaN where a triangle is
    flat; None for a thing that is flat all over. outward: 1 or -1 for a part of a closed body, by
    which its triangles go anticlockwise, seen from outside, or clockwise: those that face away are
    hidden by the others; 0 for what is open.
    """

    mesh: Mesh
    lanterns: tuple[int, ...] = (0,)
    proxy: int = 0
    rest: Floats | None = None
    laid: Floats | None = None
    normals: Floats | None = None
    outward: int = 0


@dataclass(frozen=True, eq=False)
class Thrower:
    """A lantern's camera and plate. Without pixels it has only a size, which is enough for
    diagnosis."""

    camera: Camera
    plate: Pyramid | None = None
    edge: Edge = "stop"
    through: bool = True
    strength: float = 1.0
    clear: Floats | None = None  # (h, w) the plate's alpha, 0 to 1; None for an opaque plate
    dark: bool = False  # only its alpha is taken, and no light: for layers
    laid: bool = False  # it is laid on things (see `Target`); its camera says only its plate's size
    mixing: Mixing = "over"  # of a picture that is laid on things: how, over what is behind them
    # by which what it throws answers to light as if it had heights, and how strongly
    relief: tuple[Slopes, float] | None = None

    @classmethod
    def laid_on(
        cls, plate: Pyramid, edge: Edge = "hold", strength: float = 1.0, mixing: Mixing = "over"
    ) -> Thrower:
        """A picture that is laid on things instead of thrown."""
        size = plate.width, plate.height
        camera = Camera.centred(*size, float(max(size)), np.eye(3), np.zeros(3))
        return cls(camera, plate, edge, strength=strength, laid=True, mixing=mixing)

    @property
    def can_be_clear(self) -> bool:
        """Whether what is behind can be seen through its picture anywhere."""
        soft = self.clear is not None or (self.plate is not None and self.plate.empty is not None)
        return soft or self.strength < 1 or self.mixing != "over"

    @property
    def fitted(self) -> Camera:
        """The camera in pixels of the plate."""
        if self.plate is None:
            return self.camera
        return self.camera.resized(self.plate.width, self.plate.height)


@dataclass(frozen=True)
class LanternVisibility:
    """A lantern's visibility buffer: (h, w) the nearest surface of `screen` at each pixel, -1 for
    none. scale: buffer pixels per plate pixel, along x and y."""

    surface: np.ndarray
    screen: Screen
    scale: tuple[float, float]


def visibility_of(
    triangles: Triangles, lantern: Camera, near_m: float, width: int
) -> LanternVisibility:
    """A lantern's visibility buffer, `width` pixels wide (see `Camera.at_width`)."""
    small = lantern.at_width(width)
    seen = see(triangles, small, near_m)
    surface = np.ascontiguousarray(seen.surface)
    scale = small.width / lantern.width, small.height / lantern.height
    return LanternVisibility(surface, seen.screen, scale)


def near_limit(lanterns: list[Camera]) -> float:
    """The near plane's distance, metres: that of the smallest world among the cameras'."""
    return NEAREST * min((world_size(c) for c in lanterns), default=1.0)


def plate_records(throwers: list[Thrower]) -> Plates:
    """The plates of throwers, all of one kind of pixel. The records hold addresses: they are valid
    as long as the throwers' pyramids are alive."""
    out = np.zeros(len(throwers), PLATE_RECORD)
    for record, one in zip(out, throwers, strict=True):
        plate = one.plate
        assert plate is not None
        n = len(plate.start)
        record["address"], record["levels"] = plate.pixels.ctypes.data, n
        record["start"][:n], record["stride"][:n], record["scale"][:n] = (
            plate.start, plate.stride, plate.scale
        )  # fmt: skip
        record["right"], record["bottom"] = plate.width, plate.height
        record["edge"], record["strength"] = EDGES.index(one.edge), one.strength
        record["dark"], record["mixing"] = one.dark, MIXINGS.index(one.mixing)
        record["deep"], record["white"] = plate.depth == "float", WHITE[plate.depth]
        if plate.empty is not None:
            record["empty"] = plate.empty.ctypes.data
            record["empty_high"], record["empty_wide"] = plate.empty.shape
    return out


@dataclass(eq=False)
class Cast:
    """Targets and the lanterns that light them: what all frames of a shot have in common."""

    targets: list[Target]
    throwers: list[Thrower]
    width: int = 0  # px, the width of visibility buffers; 0 for that of the plates
    every_buffer: bool = False  # lanterns that light everything on their rays get a buffer too
    triangles: Triangles = field(init=False)
    rest: Floats = field(init=False)  # (M, 3, 4) homogeneous rest positions of the corners
    glazed: Flags = field(init=False)  # (M,) triangles that carry their picture along
    laid: Floats = field(init=False)  # (M, 3, 2) places in their own picture, px; NaN without one
    normals: Floats = field(init=False)  # (M, 3, 3) of the corners of smooth triangles, else NaN
    smooth: Flags = field(init=False)  # (M,)
    planes: Planes = field(init=False)  # of the triangles; they do not hang on a shot
    near_m: float = field(init=False)
    # how many lanterns each target takes, all of them, and where each target's begin
    _takes: tuple[Indices, Indices, Indices] = field(init=False)
    buffers: Buffers = field(init=False)
    # what each lantern sees; owns what `buffers` has addresses of
    visibility: list[LanternVisibility | None] = field(init=False)
    _kept: dict[Any, Any] = field(init=False, default_factory=dict)

    def __post_init__(self) -> None:
        triangles = joined([t.mesh for t in self.targets])
        self.rest, self.glazed = self._at_rest(triangles)
        self.laid = self._places_laid(triangles)
        self.normals, self.smooth = self._normals_of(triangles)
        # the mapping of such a triangle is its own, so each is a surface by itself
        alone = self.glazed | ~np.isnan(self.laid[:, 0, 0])
        own = triangles.flat.max(initial=0) + 1 + np.arange(len(triangles.flat))
        self.triangles = triangles._replace(flat=np.where(alone, own, triangles.flat))
        self.planes = planes_and_areas(self.triangles.corners)
        many = np.array([len(t.lanterns) for t in self.targets], np.int64)
        every = np.array([k for t in self.targets for k in t.lanterns], np.int64)
        self._takes = many, every, np.concatenate([[0], np.cumsum(many)])
        cameras = [one.fitted for one in self.throwers if not one.laid]
        self.near_m = near_limit(cameras)
        self.visibility = [self._visibility(i) for i in range(len(self.throwers))]
        self.buffers = _buffers(self.visibility)

    def thrown_by(self, throwers: list[Thrower]) -> Cast:
        """The same targets under the same lanterns with other plates, of the same sizes, and
        strengths."""
        other = copy(self)
        other.throwers = throwers
        return other

    def kept(self, key: Any, make: Callable[[], T]) -> T:
        """What is worked out once of where the targets stand, under a key that says what of it."""
        if key not in self._kept:
            while len(self._kept) >= MOST_KEPT:
                self._kept.pop(next(iter(self._kept)))
            self._kept[key] = make()
        out: T = self._kept[key]
        return out

    def _at_rest(self, triangles: Triangles) -> tuple[Floats, Flags]:
        corners = triangles.corners
        rest = np.concatenate([corners, np.ones((*corners.shape[:2], 1))], axis=2)
        fixed = np.array([t.rest is not None for t in self.targets], bool)
        if not fixed.any():
            return rest, np.zeros(len(corners), bool)
        glazed = fixed[triangles.owner]
        rest[glazed] = np.concatenate(
            [t.rest[t.mesh.triangles] for t in self.targets if t.rest is not None]
        )
        return rest, glazed

    def _places_laid(self, triangles: Triangles) -> Floats:
        out = np.full((len(triangles.corners), 3, 2), np.nan)
        end = 0
        for target in self.targets:
            begin, end = end, end + len(target.mesh.triangles)
            if target.laid is None:
                continue
            if len(target.lanterns) != 1 or not self.throwers[target.lanterns[0]].laid:
                raise ValueError("a thing with a picture of its own takes that one and no other")
            out[begin:end] = target.laid
        return out

    def fronts(self, camera: Camera) -> Flags | None:
        """(M,) the triangles that a camera can see, as far as closed bodies tell; None where none
        do. A camera within one sees its far sides."""
        closed = [
            i for i, t in enumerate(self.targets)
            if t.outward and len(t.mesh.triangles) >= DENSE
            and not any(self.throwers[k].can_be_clear for k in t.lanterns)
        ]  # fmt: skip
        if not closed:
            return None
        sides, boxes = self.kept("outward", self._outward)
        out = np.ones(len(self.triangles.owner), bool)
        plane = self.planes[0]
        for i in closed:
            mine, low, high = boxes[i]
            if ((camera.position >= low) & (camera.position <= high)).all():
                continue
            before = plane[mine, :3] @ camera.position - plane[mine, 3]
            out[mine] = before * sides[mine] > 0
        return out

    def _outward(self) -> tuple[Floats, dict[int, tuple[slice, Floats, Floats]]]:
        """(M,) 1 or -1, by which the planes of triangles of closed bodies are outward, 0 for
        others; and of each such target its triangles, and the box round it."""
        sides, boxes = np.zeros(len(self.triangles.owner)), {}
        for i, target in enumerate(self.targets):
            if not target.outward:
                continue
            begin, end = np.searchsorted(self.triangles.owner, [i, i + 1]).tolist()
            mine, corners = slice(begin, end), self.triangles.corners[begin:end]
            flat = corners.reshape(-1, 3)
            boxes[i] = mine, flat.min(axis=0) - self.near_m, flat.max(axis=0) + self.near_m
            across = _crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            sides[mine] = target.outward * np.sign((across * self.planes[0][mine, :3]).sum(axis=1))
        return sides, boxes

    def _normals_of(self, triangles: Triangles) -> tuple[Floats, Flags]:
        if all(target.normals is None for target in self.targets):
            return np.zeros((0, 3, 3)), np.zeros(len(triangles.corners), bool)
        out = np.full((len(triangles.corners), 3, 3), np.nan)
        end = 0
        for target in self.targets:
            begin, end = end, end + len(target.mesh.triangles)
            if target.normals is not None:
                out[begin:end] = target.normals
        return out, ~np.isnan(out[:, 0, 0])

    def _visibility(self, lantern: int) -> LanternVisibility | None:
        """A lantern's visibility buffer of the targets that take it. Others cast no shadow: they
        have been painted out of its plate."""
        one = self.throwers[lantern]
        if one.laid or (one.through and not self.every_buffer):
            return None
        takes = np.array([lantern in t.lanterns for t in self.targets], bool)
        owner = self.triangles.owner
        mine = takes[owner] if len(owner) else np.zeros(0, bool)
        if not mine.any():
            return None
        rest = self.rest[mine]
        there = self.triangles.of(mine)._replace(corners=rest[..., :3] / rest[..., 3:])
        camera = one.fitted
        width = self.width or max(
            round(min(WIDEST_BUFFER / max(camera.width, camera.height), 1.0) * camera.width), 1
        )
        return visibility_of(there, camera, self.near_m, width)

    def throws(self, seen: Screen, shot: Camera) -> Throws:
        """The throws onto the surfaces that a shot camera sees."""
        surfaces = np.arange(len(seen.owner))
        inverse = shot.unprojection()
        many, every, begin = self._takes
        count = many[seen.owner]
        first = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
        of = np.repeat(surfaces, count)
        lantern = every[begin[seen.owner[of]] + np.arange(len(of)) - first[of]]
        mapping = np.empty((len(of), 3, 3))
        for k, one in enumerate(self.throwers):
            mine = np.nonzero(lantern == k)[0]
            if not len(mine):
                continue
            if one.laid:
                mapping[mine] = self._mappings_laid(seen, of[mine], shot, inverse)
            else:
                mapping[mine] = self._mappings(seen, of[mine], shot, inverse, one.fitted)
        soft = np.array([one.can_be_clear for one in self.throwers], bool)
        clear = np.zeros(len(surfaces), bool)
        clear[of[soft[lantern]]] = True
        throws = Throws(first, lantern, mapping, seen.inverse_depth, seen.plane, clear)
        return self._to_rest(throws, seen, of, shot, inverse) if self.glazed.any() else throws

    def _to_rest(
        self, throws: Throws, seen: Screen, of: Indices, shot: Camera, inverse: Floats
    ) -> Throws:
        """Throws with those onto glazed surfaces redirected to the rest position. of: (T,) the
        surface of each throw.

        A point of a glazed triangle keeps its barycentric coordinates. Those of the point under a
        shot pixel, times its inverse depth, are linear in the pixel, so the mapping to the plate
        is still a homography.
        """
        glazed = np.nonzero(self.glazed[seen.triangle])[0]
        if not len(glazed):
            return throws
        triangle = seen.triangle[glazed]
        barycentric = self._barycentric(triangle, shot, inverse)
        rest = self.rest[triangle].transpose(0, 2, 1) @ barycentric  # (G, 4, 3)
        depth, plane, mapping = (
            a.copy() for a in (throws.inverse, throws.plane, throws.mapping)
        )  # fmt: skip
        depth[glazed] = rest[:, 3]
        stood = self.rest[triangle, :, :3] / self.rest[triangle, :, 3:]
        plane[glazed] = planes_of(np.ascontiguousarray(stood))
        at = np.full(len(seen.owner), -1)
        at[glazed] = np.arange(len(glazed))
        for k, one in enumerate(self.throwers):
            mine = np.nonzero((throws.lantern == k) & (at[of] >= 0))[0]
            if len(mine):
                camera = one.fitted
                place = rest[at[of[mine]]]
                from_ = place[:, :3] - camera.position[None, :, None] * place[:, 3:]
                mapping[mine] = camera.projection() @ from_
        return throws._replace(mapping=mapping, inverse=depth, plane=plane)

    def _barycentric(self, triangle: Indices, shot: Camera, inverse: Floats) -> Floats:
        """(N, 3, 3) matrices from a shot pixel (x, y, 1) to the barycentric coordinates, times its
        inverse depth, of the point of a triangle that is seen there."""
        a, b, c = (self.triangles.corners[triangle, k] - shot.position for k in range(3))
        # the rows of the inverse of the matrix of the corners, in a fifth of what `inv` takes
        rows = np.stack([_crossed(b, c), _crossed(c, a), _crossed(a, b)], axis=1)
        volume = (a * rows[:, 0]).sum(axis=1)
        scale = np.divide(1.0, volume, out=np.zeros_like(volume), where=volume != 0)
        out: Floats = rows @ inverse * scale[:, None, None]
        return out

    def _mappings_laid(
        self, seen: Screen, of: Indices, shot: Camera, inverse: Floats
    ) -> Floats:  # fmt: skip
        """(N, 3, 3) homographies from shot pixel to the pixel of the picture that is laid on a
        triangle: linear on the triangle, so projective in the frame. Where it has none, or no
        extent in its picture, w is 0 and nothing lands."""
        out = np.empty((len(of), 3, 3))
        given = self.laid, self.triangles.corners, seen.triangle[of], shot.position, inverse, out
        in_threads(len(of), lambda begin, end: _fill_laid(*given, begin, end))
        return out

    def _mappings(
        self, seen: Screen, of: Indices, shot: Camera, inverse: Floats, lantern: Camera
    ) -> Floats:
        """(N, 3, 3) homographies from shot pixel to plate pixel, induced by the planes of surfaces
        (Hartley & Zisserman 2004, ch. 13). w is positive in front of the lantern."""
        projection = lantern.projection()
        aside = projection @ (shot.position - lantern.position)
        out: Floats = projection @ inverse + aside[:, None] * seen.inverse_depth[of, None, :]
        return out


@njit(cache=True, nogil=True, error_model="numpy")
def _fill_laid(
    laid: Floats, corners: Floats, triangle: Indices, place: Floats, inverse: Floats, out: Floats,
    begin: int, end: int,
) -> None:  # fmt: skip
    """Fill out (N, 3, 3) from begin to end with the homographies of `Cast._mappings_laid`: places
    in the picture times barycentric coordinates (see `Cast._barycentric`)."""
    a, rows = np.empty((3, 3)), np.empty((3, 3))
    for n in range(begin, end):
        t = triangle[n]
        for k in range(3):
            for j in range(3):
                a[k, j] = corners[t, k, j] - place[j]
        for k in range(3):
            u, v = a[(k + 1) % 3], a[(k + 2) % 3]
            for j in range(3):
                p, q = (j + 1) % 3, (j + 2) % 3
                rows[k, j] = u[p] * v[q] - u[q] * v[p]
        volume = a[0, 0] * rows[0, 0] + a[0, 1] * rows[0, 1] + a[0, 2] * rows[0, 2]
        scale = 1.0 / volume if volume != 0.0 else 0.0
        if np.isnan(laid[t, 0, 0]):
            scale = 0.0
        for i in range(3):
            for j in range(3):
                out[n, i, j] = 0.0
        if scale == 0.0:
            continue
        for k in range(3):
            for j in range(3):
                by = scale * (
                    rows[k, 0] * inverse[0, j] + rows[k, 1] * inverse[1, j]
                    + rows[k, 2] * inverse[2, j]
                )  # fmt: skip
                out[n, 0, j] += laid[t, k, 0] * by
                out[n, 1, j] += laid[t, k, 1] * by
                out[n, 2, j] += by


def _crossed(u: Floats, v: Floats) -> Floats:
    """(N, 3) cross products; `np.cross` takes four times as long."""
    out = np.empty_like(u)
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        np.subtract(u[:, i] * v[:, j], u[:, j] * v[:, i], out=out[:, k])
    return out


def _buffers(alive: list[LanternVisibility | None]) -> Buffers:
    count = len(alive)
    address, first = np.zeros(count, np.int64), np.zeros(count, np.int64)
    size, scale = np.ones((count, 2), np.int64), np.ones((count, 2))
    depth, plane, target = [np.zeros((1, 3))], [np.zeros((1, 4))], [np.zeros(1, np.int64)]
    total = 1
    for i, one in enumerate(alive):
        if one is None:
            continue
        address[i], first[i] = one.surface.ctypes.data, total
        size[i] = one.surface.shape[::-1]
        scale[i] = one.scale
        depth.append(one.screen.inverse_depth)
        plane.append(one.screen.plane)
        target.append(one.screen.owner)
        total += len(one.screen.plane)
    return Buffers(
        address,
        size,
        scale,
        np.concatenate(depth),
        np.concatenate(plane),
        np.concatenate(target),
        first,
    )
