"""Where what a shot sees is taken from: for each surface its lanterns, in order, and how a shot
pixel becomes a pixel of their plates; and what a lantern sees itself, for those that land only on
the first surface that they meet.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..arrays import Floats, Indices
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from ..scene.model import Edge
from .pyramid import WHITE, Pyramid
from .see import see
from .throws import FILM, Films, Sights, Throws
from .visibility import Screen, planes_of

EDGES: tuple[Edge, ...] = ("stop", "hold", "mirror")
WIDEST_SIGHT = 4096  # px, the longer side of what a lantern sees, for first surfaces


@dataclass(frozen=True, eq=False)
class Target:
    """Something to cast on: a proxy, or the faces of one that share their lanterns. lanterns: by
    their place among the throwers, in order. proxy: its place among those that are shown. rest:
    (N, 4) where each of the mesh's points was when it was cast on, times its weight, and the
    weight; None where that is where it is."""

    mesh: Mesh
    lanterns: tuple[int, ...] = (0,)
    proxy: int = 0
    rest: Floats | None = None


@dataclass(frozen=True, eq=False)
class Thrower:
    """A lantern ready to be cast: its camera, and its plate. Without a plate it only has a size,
    which is enough to tell where it lands."""

    camera: Camera
    plate: Pyramid | None = None
    edge: Edge = "stop"
    through: bool = True
    strength: float = 1.0
    clear: Floats | None = None  # (h, w) 0 to 1, how much its plate covers, where not everywhere

    @property
    def fitted(self) -> Camera:
        """Its camera in pixels of its plate."""
        if self.plate is None:
            return self.camera
        return self.camera.resized(self.plate.width, self.plate.height)


@dataclass(frozen=True)
class LanternSight:
    """What a lantern sees: the nearest surface at each of its own pixels."""

    surface: np.ndarray
    screen: Screen
    scale: tuple[float, float]


def sight_of(
    corners: Floats, owner: Indices, lantern: Camera, near_m: float, width: int
) -> LanternSight:
    """What a lantern sees, so many pixels wide (see `Camera.at_width`)."""
    small = lantern.at_width(width)
    seen = see(corners, owner, small, near_m)
    surface = np.ascontiguousarray(seen.surface)
    scale = small.width / lantern.width, small.height / lantern.height
    return LanternSight(surface, seen.screen, scale)


def near_limit(lanterns: list[Camera]) -> float:
    """What is nearer to a camera, metres, is not seen by it."""
    return NEAREST * min((world_size(c) for c in lanterns), default=1.0)


def films_of(throwers: list[Thrower]) -> Films:
    """The plates of throwers, all of one depth. The arrays live as long as their pyramids."""
    out = np.zeros(len(throwers), FILM)
    for film, one in zip(out, throwers, strict=True):
        plate = one.plate
        assert plate is not None
        n = len(plate.start)
        film["address"], film["levels"] = plate.pixels.ctypes.data, n
        film["start"][:n], film["stride"][:n], film["scale"][:n] = (
            plate.start, plate.stride, plate.scale
        )  # fmt: skip
        film["right"], film["bottom"] = plate.width, plate.height
        film["edge"], film["strength"] = EDGES.index(one.edge), one.strength
        film["deep"], film["white"] = plate.depth == "float", WHITE[plate.depth]
    return out


@dataclass(eq=False)
class Cast:
    """Targets with lanterns thrown onto them: what all frames of a shot have in common."""

    targets: list[Target]
    throwers: list[Thrower]
    width: int = 0  # px that what lanterns see is worked out at; 0: as their plates
    told: bool = False  # what every lantern sees is asked for, also of those that go through
    corners: Floats = field(init=False)
    owner: Indices = field(init=False)
    rest: Floats = field(init=False)  # (M, 3, 4) as the targets' own
    apart: Indices | None = field(init=False)  # (M,) by which glazed triangles are told apart
    near_m: float = field(init=False)
    sights: Sights = field(init=False)
    _alive: list[LanternSight | None] = field(init=False)  # the sights' arrays, which are addressed

    def __post_init__(self) -> None:
        self.corners, self.owner = joined([t.mesh for t in self.targets])
        self.rest, self.apart = self._at_rest()
        cameras = [one.fitted for one in self.throwers]
        self.near_m = near_limit(cameras)
        self._alive = [self._sight(i) for i in range(len(self.throwers))]
        self.sights = _sights(self._alive)

    def _at_rest(self) -> tuple[Floats, Indices | None]:
        rest = np.concatenate([self.corners, np.ones((*self.corners.shape[:2], 1))], axis=2)
        fixed = np.array([t.rest is not None for t in self.targets], bool)
        if not fixed.any():
            return rest, None
        moved = fixed[self.owner]
        rest[moved] = np.concatenate(
            [t.rest[t.mesh.triangles] for t in self.targets if t.rest is not None]
        )
        return rest, np.where(moved, np.arange(1, len(moved) + 1), 0)

    def _sight(self, lantern: int) -> LanternSight | None:
        """What a lantern sees of what takes it: a plate from which something was painted out is
        not hidden by it."""
        one = self.throwers[lantern]
        if one.through and not self.told:
            return None
        takes = np.array([lantern in t.lanterns for t in self.targets], bool)
        mine = takes[self.owner] if len(self.owner) else np.zeros(0, bool)
        if not mine.any():
            return None
        rest = self.rest[mine]
        corners = np.ascontiguousarray(rest[..., :3] / rest[..., 3:])
        camera = one.fitted
        width = self.width or max(
            round(min(WIDEST_SIGHT / max(camera.width, camera.height), 1.0) * camera.width), 1
        )
        return sight_of(corners, self.owner[mine], camera, self.near_m, width)

    def throws(self, seen: Screen, shot: Camera) -> Throws:
        """The throws onto the surfaces that a shot camera sees."""
        surfaces = np.arange(len(seen.owner))
        inverse = np.asarray(np.linalg.inv(shot.projection()), float)
        many = np.array([len(t.lanterns) for t in self.targets], np.int64)
        every = np.array([k for t in self.targets for k in t.lanterns], np.int64)
        begin = np.concatenate([[0], np.cumsum(many)])
        count = many[seen.owner]
        first = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
        of = np.repeat(surfaces, count)
        lantern = every[begin[seen.owner[of]] + np.arange(len(of)) - first[of]]
        mapping = np.empty((len(of), 3, 3))
        for k, one in enumerate(self.throwers):
            mine = np.nonzero(lantern == k)[0]
            if len(mine):
                mapping[mine] = self._mappings(seen, of[mine], shot, inverse, one.fitted)
        throws = Throws(first, lantern, mapping, seen.inverse_depth, seen.plane)
        return throws if self.apart is None else self._gone_along(throws, seen, of, shot, inverse)

    def _gone_along(
        self, throws: Throws, seen: Screen, of: Indices, shot: Camera, inverse: Floats
    ) -> Throws:
        """Throws with those onto glazed surfaces led to where they were at rest. of: the surface
        of each throw.

        A place on a glazed triangle has the same barycentric coordinates at rest. Along a shot
        pixel's ray, and times its inverse depth, they are linear in the pixel.
        """
        assert self.apart is not None
        glazed = np.nonzero(self.apart[seen.triangle] > 0)[0]
        if not len(glazed):
            return throws
        triangle = seen.triangle[glazed]
        own = (self.corners[triangle] - shot.position).transpose(0, 2, 1)
        barycentric = np.linalg.inv(own) @ inverse
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
        return Throws(throws.first, throws.lantern, mapping, depth, plane)

    def _mappings(
        self, seen: Screen, of: Indices, shot: Camera, inverse: Floats, lantern: Camera
    ) -> Floats:
        """(N, 3, 3) shot pixel to plate pixel of surfaces. A plane seen by two cameras is a
        homography (Hartley & Zisserman 2004, ch. 13); w is positive before the lantern."""
        projection = lantern.projection()
        aside = projection @ (shot.position - lantern.position)
        out: Floats = projection @ inverse + aside[:, None] * seen.inverse_depth[of, None, :]
        return out


def _sights(alive: list[LanternSight | None]) -> Sights:
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
    return Sights(
        address,
        size,
        scale,
        np.concatenate(depth),
        np.concatenate(plane),
        np.concatenate(target),
        first,
    )
