"""Works on a proxy's faces. The first one turns a proxy of a few numbers into a solid."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from shapely.geometry import Point

from ..arrays import Floats
from ..camera import Camera
from ..pick import Pick, Ray
from ..proxy import Solid
from ..refusal import Refusal
from ..scene.edits import Edit, PutProxies
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..solid.cut import closed_off, cut_round, without_side
from ..solid.divide import OnFace, cut_along
from ..solid.face import pushed, set_in, set_ring_in, thickened, without_faces
from ..solid.hole import opened
from ..solid.shape import Shape
from ..value import Id, Length, Number, Point3
from .parts import (
    Ordinal,
    in_own,
    in_world,
    met,
    nearest_on_line,
    plane_of,
    solid_named,
    solid_of,
)
from .under import under

Picks = Annotated[tuple[Pick, ...], Field(min_length=3, max_length=400)]


class Work(Gesture):
    """Done to the faces of one proxy."""

    proxy: Id

    def solid(self, scene: Scene) -> tuple[Camera, Solid]:
        """The sighted camera, and the proxy as a solid."""
        camera = required_camera(scene)
        return camera, solid_named(scene, self.proxy, camera)


def put(solid: Solid, shape: Shape, said: str, gone: tuple[str, ...] = ()) -> Edit:
    """The edit that gives a solid another shape."""
    return PutProxies(proxies=(solid.with_shape(shape),), said=said[:80], gone=gone)


class Cut(Work):
    """Cut along a line drawn on a face: two places, which a straight cut follows all round, or more
    of them on that face only. face: the one it is drawn on; where it is left out, the one under the
    middle of its first stretch, since a line may begin on the edge of two faces. angle_deg: the
    line runs from its first place at so many degrees from level. drop: a place on the side that
    goes; both stay where it is left out."""

    verb: Literal["Cut"] = "Cut"
    line: Annotated[tuple[Pick, ...], Field(min_length=2, max_length=64)]
    face: Ordinal | None = None
    this_face_only: bool = False
    angle_deg: Annotated[float, Field(ge=-180, le=180)] | None = None
    drop: Pick | None = None

    def edit(self, scene: Scene) -> Edit:
        camera, solid = self.solid(scene)
        face = self.face
        if face is None:
            face = face_under(scene, camera, _between(*self.line[:2]), self.proxy)
        place, normal = plane_of(solid, face)
        line = np.array([met(camera, p, place, normal) for p in self.line])
        if self.angle_deg is not None:
            line = np.array([line[0], line[0] + _at_angle(normal, self.angle_deg, line)])
        own = in_own(solid, line)
        if self.this_face_only or len(line) > 2:
            shape = cut_along(solid.shape, face, own)
            if self.drop is not None:
                shape = self._opened(camera, solid, shape, face, place, normal)
            return put(solid, shape, f"Cut a face of {solid.name}")
        along = own[1] - own[0]
        length = float(np.linalg.norm(along))
        if length < 1e-9:
            raise Refusal("This cut has no direction. Pick places further apart.")
        across = np.cross(along / length, solid.shape.normal(face))
        shape = cut_round(solid.shape, own[0], across)
        if self.drop is not None:
            gone = in_own(solid, met(camera, self.drop, place, normal))
            side = across if float((gone - own[0]) @ across) > 0 else -across
            shape = without_side(shape, own[0], side)
        return put(solid, shape, f"Cut {solid.name}")

    def _opened(
        self, camera: Camera, solid: Solid, shape: Shape, face: int, place: Floats, normal: Floats
    ) -> Shape:
        """Without the piece of the cut face that the place to drop lies on."""
        gone = in_own(solid, met(camera, self.drop or self.line[0], place, normal))
        new = [f for f in shape.faces if f == face or f not in solid.shape.faces]
        for piece in new:
            if _contains(shape, piece, gone):
                return without_faces(shape, {piece})
        raise Refusal("The side to take away does not lie on this face.")


class PushFace(Work):
    """Push a face out along its normal, or in where by_m is negative; or by as much as lies
    between two picked places along the normal."""

    verb: Literal["PushFace"] = "PushFace"
    face: Ordinal
    by_m: Number | None = None
    start: Pick | None = None
    end: Pick | None = None

    def edit(self, scene: Scene) -> Edit:
        camera, solid = self.solid(scene)
        by = self.by_m
        if by is None:
            if self.start is None or self.end is None:
                raise Refusal("Say how far the face is to be pushed.")
            place, normal = plane_of(solid, self.face)
            a = met(camera, self.start, place, normal)
            by = float((nearest_on_line(camera, self.end, a, normal) - a) @ normal)
        shape = pushed(solid.shape, self.face, by)
        return put(solid, shape, f"Push a face of {solid.name} {'out' if by > 0 else 'in'}")


class SetIn(Work):
    """Set a smaller face into a face: a margin from its edges, or what is traced on it. The inner
    one keeps the face's number."""

    verb: Literal["SetIn"] = "SetIn"
    face: Ordinal
    margin_m: Length | None = None
    outline: Picks | None = None

    def edit(self, scene: Scene) -> Edit:
        camera, solid = self.solid(scene)
        if self.outline is not None:
            place, normal = plane_of(solid, self.face)
            ring = np.array([met(camera, p, place, normal) for p in self.outline])
            shape = set_ring_in(solid.shape, self.face, in_own(solid, ring))
        elif self.margin_m is not None:
            shape = set_in(solid.shape, self.face, self.margin_m)
        else:
            raise Refusal("Say a margin, or trace what is to be set into the face.")
        return put(solid, shape, f"Set a face into {solid.name}")


class DropFaces(Work):
    """Take faces away, so that there is an opening."""

    verb: Literal["DropFaces"] = "DropFaces"
    faces: Annotated[tuple[Ordinal, ...], Field(min_length=1, max_length=4000)]

    def edit(self, scene: Scene) -> Edit:
        _, solid = self.solid(scene)
        shape = without_faces(solid.shape, set(self.faces))
        many = f"{len(set(self.faces))} faces" if len(set(self.faces)) > 1 else "a face"
        return put(solid, shape, f"Take {many} off {solid.name}")


class CloseOff(Work):
    """Put a face into a flat opening, so that the solid is closed again."""

    verb: Literal["CloseOff"] = "CloseOff"

    def edit(self, scene: Scene) -> Edit:
        _, solid = self.solid(scene)
        if not solid.shape.open_edges:
            raise Refusal(f"{solid.name} is closed already.")
        return put(solid, closed_off(solid.shape), f"Close {solid.name}")


class OpenHole(Work):
    """Open a hole where another proxy passes through. well_m: below a floor's hole a well is dug,
    so deep. keep: the other proxy stays; otherwise it has done its work and goes."""

    verb: Literal["OpenHole"] = "OpenHole"
    shape: Id
    well_m: Annotated[float, Field(ge=0, le=1e5)] = 0.0
    keep: bool = False

    def edit(self, scene: Scene) -> Edit:
        camera, solid = self.solid(scene)
        if self.shape == self.proxy:
            raise Refusal("A proxy cannot open a hole in itself. Choose another one's shape.")
        tool = solid_of(the_one(scene.proxies, self.shape, "proxy"), camera)
        ids = list(tool.shape.points)
        places = in_own(solid, in_world(tool, tool.shape.at(ids)))
        cutter = Shape(dict(zip(ids, places, strict=True)), tool.shape.faces)
        before, after = solid.shape, opened(solid.shape, cutter, self.well_m)
        if before.closed and not after.closed:
            raise Refusal("The hole would leave the solid open along an edge. Move it a little.")
        gone = () if self.keep else (self.shape,)
        return put(solid, after, f"Open a hole in {solid.name}", gone)


class Thicken(Work):
    """Give a sheet a thickness behind its faces, so that it is a closed solid."""

    verb: Literal["Thicken"] = "Thicken"
    by_m: Length

    def edit(self, scene: Scene) -> Edit:
        _, solid = self.solid(scene)
        return put(solid, thickened(solid.shape, self.by_m), f"Thicken {solid.name}")


def face_under(scene: Scene, camera: Camera, pick: Pick, proxy: str) -> int:
    """The face of a proxy that is seen at a picked place. Raises Refusal where there is none."""
    only = scene.model_copy(update={"proxies": (the_one(scene.proxies, proxy, "proxy"),)})
    on = under(only, camera, pick)
    if on is None or on.face is None:
        raise Refusal("There is no face of it at this place. Pick one that can be seen.")
    return on.face


def _between(a: Pick, b: Pick) -> Pick:
    """A picked place halfway between two: rays are halved in origin and direction."""
    if isinstance(a, Ray) and isinstance(b, Ray):
        return Ray(origin=_half(a.origin, b.origin), direction=_half(a.direction, b.direction))
    if isinstance(a, Ray) or isinstance(b, Ray):
        return a
    return ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)


def _half(a: Point3, b: Point3) -> Point3:
    return ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2)


def _at_angle(normal: Floats, degrees: float, line: Floats) -> Floats:
    """A direction (3,) in a plane, at an angle from its level line that runs as a line does."""
    level = np.cross([0.0, 1.0, 0.0], normal)
    if np.linalg.norm(level) < 1e-6:
        level = np.array([1.0, 0.0, 0.0])
    level = level / np.linalg.norm(level)
    up = np.cross(normal, level)
    if float((line[1] - line[0]) @ level) < 0:
        level = -level
    a = np.radians(degrees)
    out: Floats = np.cos(a) * level + np.sin(a) * up
    return out


def _contains(shape: Shape, face: int, place: Floats) -> bool:
    on = OnFace(shape, face)
    return bool(on.polygon.contains(Point(on.flat(place[None])[0])))
