"""The document: what a project is at one moment, as one immutable value."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from ..proxy import Proxy, Similarity
from ..proxy.repeat import turned
from ..value import Edge, Id, Length, Name, Number, Point2, Point3, Share, Value
from .dressing import Darkening, Haze, Light, Look, Relief
from .guests import Guest
from .plate import Bend, Plate
from .timed import Move, Track

# 1 knew traces, tapes on the ground and eye height only; 2 one lantern; 3 no glaze; 4 keys of the
# whole shot camera; 5 no delivery frame, no amount, and aims that are places only
VERSION = 6

Heading = Literal["across", "up", "away"]
# A bearing is named by its letter; it is there as long as traces belong to it.
Bearing = Annotated[str, Field(pattern=r"^[A-Z]$")]
Way = Heading | Bearing
MOST_FRAME_PIXELS = 200_000_000
STILL_LANTERN = "lantern-0"  # the one that every project begins with


def called(way: str) -> str:
    """What a heading or bearing is called on screen."""
    return way.capitalize() if len(way) > 1 else f"bearing {way}"


class Trace(Value):
    """An edge drawn over the plate, straight in the world. Two points in pixels, or more.

    It runs along a heading or a bearing. on_edge: it lies on an
    edge that was found in the picture, so that its points are truer than a hand sets them. trust
    weighs what it says: 1 in full, 0 not at all.
    """

    id: Id
    heading: Way
    points: Annotated[tuple[Point2, ...], Field(min_length=2, max_length=64)]
    trust: Share = 1.0
    on_edge: bool = False


class HeadingTrust(Value):
    """How far all traces of one heading or bearing are trusted."""

    heading: Way
    trust: Share


class Rectangle(Value):
    """Four corners of something rectangular, in order round it; its first side runs along the
    first heading, its second along the second. aspect is the first side over the second."""

    id: Id
    headings: tuple[Heading, Heading]
    points: tuple[Point2, Point2, Point2, Point2]
    aspect: Annotated[float, Field(gt=0.001, lt=1000)] | None = None
    trust: Share = 1.0

    @model_validator(mode="after")
    def _two_ways(self) -> Self:
        if self.headings[0] == self.headings[1]:
            raise ValueError("a rectangle's sides run along two different headings")
        return self


class Corner(Value):
    """Where two traces meet when they are run on: a corner that something hides."""

    id: Id
    traces: tuple[Id, Id]


class Plane(Value):
    """A plane in the frame of the unit camera: eye one metre above the ground, its foot at zero.
    ``normal . p = offset``, so that it stays where it is in the picture when the size changes."""

    normal: Point3
    offset: Number


class Tape(Value):
    """A known length in the picture: laid on the ground, upright from its first point's foot on
    the ground, or on a proxy, whose plane it then keeps."""

    id: Id
    points: tuple[Point2, Point2]
    length_m: Length
    on: Literal["ground", "up", "proxy"] = "ground"
    plane: Plane | None = None


class ByEye(Value):
    """A camera set by hand where there is nothing to trace. Angles as on screen."""

    focal_px: Annotated[float, Field(ge=1, le=1e6)]
    tilt_deg: Annotated[float, Field(ge=-85, le=85)] = 0.0
    roll_deg: Annotated[float, Field(ge=-85, le=85)] = 0.0
    yaw_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0


class Given(Value):
    """A camera that was known before, with its place: position in the world, metres; axes: the
    camera's own in the world, one a row, right, up and back; focal_px and centre in pixels of the
    plate. name: what its file calls it."""

    name: Name
    position: Point3
    axes: tuple[Point3, Point3, Point3]
    focal_px: Annotated[float, Field(ge=1, le=1e6)]
    centre: Point2

    @model_validator(mode="after")
    def _square(self) -> Self:
        axes = np.array(self.axes)
        if abs(axes @ axes.T - np.eye(3)).max() > 1e-6 or np.linalg.det(axes) < 0:
            raise ValueError("the axes of a camera are square and of length one")
        return self


class PassFrame(Value):
    """Where a camera that was brought in is at one frame: see `Given`. focal_mm: in 35 mm terms."""

    position: Point3
    axes: tuple[Point3, Point3, Point3]
    focal_mm: Length


class CameraPass(Value):
    """The motion of a camera that was brought in, frame by frame of the shot, from the first on: by
    it footage is known to be where it was taken, whatever the shot camera does. name: what its file
    calls it. reference: the frame that the still is."""

    name: Name
    frames: Annotated[tuple[PassFrame, ...], Field(min_length=1, max_length=2000)]
    reference: Annotated[int, Field(ge=0, le=2000)] = 0

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed."""
        zero = np.array(by.moved((0.0, 0.0, 0.0)))

        def turned_axis(axis: Point3) -> Point3:
            x, y, z = ((np.array(by.moved(axis)) - zero) / by.scale).tolist()
            return x, y, z

        frames = (
            one.model_copy(
                update={
                    "position": by.moved(one.position),
                    "axes": tuple(turned_axis(axis) for axis in one.axes),
                }
            )
            for one in self.frames
        )
        return self.model_copy(update={"frames": tuple(frames)})


class FocalHint(Value):
    """A focal length known from elsewhere, in pixels, and how well it is known."""

    value: Length
    sigma: Annotated[float, Field(ge=0, le=1e6)]


class Sighting(Value):
    """Everything that the camera is solved from; with given, that camera, whatever else there
    is."""

    traces: tuple[Trace, ...] = ()
    rectangles: tuple[Rectangle, ...] = ()
    corners: tuple[Corner, ...] = ()
    trust: tuple[HeadingTrust, ...] = ()
    by_eye: ByEye | None = None
    given: Given | None = None
    focal: FocalHint | None = None
    principal: Literal["solve"] | Point2 | None = None
    bend: Literal["solve"] | Bend | None = None
    datum: Point2 | None = None
    datum_level_m: Number = 0.0
    eye_height_m: Length | None = None
    distance_m: Length | None = None
    tapes: tuple[Tape, ...] = ()
    level: bool = False
    made: Literal["photo", "render"] = "photo"
    backward: bool = False
    locked: bool = False


class KeptSighting(Value):
    """A sighting put by, to be compared with or come back to."""

    id: Id
    name: Name
    sighting: Sighting


class EarlierStill(Value):
    """A still that another has taken the place of. A pixel p of the still that is there now is
    (p - (left, top)) * scale of this one."""

    plate: Plate
    scale: Length
    left: Number = 0.0
    top: Number = 0.0


class Stills(Value):
    """The stills that were there before, the last one first."""

    earlier: Annotated[tuple[EarlierStill, ...], Field(max_length=40)] = ()

    def pictures(self) -> set[str]:
        """The digests of the pictures that it needs."""
        return {digest for one in self.earlier for digest in one.plate.pictures()}


class SolidCorner(Value):
    """A corner of a solid, by its number."""

    proxy: Id
    corner: Annotated[int, Field(ge=1)]


class Weld(Value):
    """Corners of solids that stay at one place: where one goes the others follow."""

    id: Id
    corners: Annotated[tuple[SolidCorner, ...], Field(min_length=2, max_length=64)]


class Label(Value):
    """Something read off that stays in the picture: the length from place to place, the angle at
    the second of three places, or the area inside a ring of them. points are in the world."""

    id: Id
    what: Literal["length", "angle", "area"]
    points: Annotated[tuple[Point3, ...], Field(min_length=2, max_length=200)]

    @model_validator(mode="after")
    def _enough(self) -> Self:
        if self.what == "angle" and len(self.points) != 3:
            raise ValueError("an angle is read off between three places")
        if self.what == "area" and len(self.points) < 3:
            raise ValueError("an area is read off inside at least three places")
        return self

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed."""
        return self.model_copy(update={"points": tuple(by.moved(p) for p in self.points)})


class LanternView(Value):
    """Where a lantern is thrown from that is not thrown from the sighted camera: a place in the
    world, angles as on screen, a focal length in 35 mm terms, and the size of its frame, px.
    centre: its principal point, px; None for the frame's middle."""

    position: Point3
    tilt_deg: Annotated[float, Field(ge=-90, le=90)] = 0.0
    roll_deg: Annotated[float, Field(ge=-180, le=180)] = 0.0
    yaw_deg: Annotated[float, Field(ge=-360, le=360)] = 0.0
    focal_mm: Annotated[float, Field(ge=2, le=2000)]
    width: Annotated[int, Field(ge=2, le=40_000)]
    height: Annotated[int, Field(ge=2, le=40_000)]
    centre: Point2 | None = None

    @model_validator(mode="after")
    def _of_a_size(self) -> Self:
        if self.width * self.height > MOST_FRAME_PIXELS:
            raise ValueError("a lantern's frame has 200 megapixels at the most")
        return self


class Window(Value):
    """The part of a lantern's frame that its plate fills, in pixels of the frame; a crop."""

    left: Number
    top: Number
    width: Length
    height: Length


class Lantern(Value):
    """A projector. plate: None for the project's own still. earlier: the plates that were thrown
    before it, the last one first. stand_in: its plate was filled in automatically, for nobody has
    painted it yet. view: None for the sighted camera; one that throws footage of which the camera
    is known over time (see `CameraPass`) goes along with that, or is held: at a frame of the
    shot, with what the footage shows then. through: it also lands on what is hidden
    from it; else only on the first surface that it meets. mask: a picture whose brightness times
    alpha says how much of the plate is thrown.
    """

    id: Id
    name: Name
    plate: Plate | None = None
    earlier: Annotated[tuple[Plate, ...], Field(max_length=40)] = ()
    stand_in: bool = False
    view: LanternView | None = None
    window: Window | None = None
    held: Annotated[int, Field(ge=0, le=100_000)] | None = None
    edge: Edge = "stop"
    through: bool = True
    mask: Plate | None = None
    strength: Share = 1.0
    relief: Relief | None = None

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed: one of its own place goes along."""
        if self.view is None:
            return self
        turn = turned(self.view.yaw_deg, -by.turn_deg)
        new = {"position": by.moved(self.view.position), "yaw_deg": turn}
        return self.model_copy(update={"view": self.view.model_copy(update=new)})

    def pictures(self) -> set[str]:
        """The digests of the pictures that it needs."""
        plates = (self.plate, *self.earlier, self.mask)
        out = {digest for plate in plates if plate is not None for digest in plate.pictures()}
        relief = None if self.relief is None else self.relief.picture
        return out if relief is None else {*out, relief}


class CastRow(Value):
    """Which lanterns a proxy, or one face of it, takes: the first that reaches a place is seen
    there, the next through what is clear of it. None at all: nothing is cast on it."""

    proxy: Id
    face: Annotated[int, Field(ge=1, le=10**9)] | None = None
    lanterns: Annotated[tuple[Id, ...], Field(max_length=64)] = ()


class CastSheet(Value):
    """Which proxies take which lanterns. What has no row takes the scene's first lantern; a face
    without one takes what its proxy takes."""

    rows: Annotated[tuple[CastRow, ...], Field(max_length=20_000)] = ()


class Glazed(Value):
    """A proxy whose picture is fixed to it: what lanterns throw on the places where it stood (rest)
    goes along with it. id: the proxy's.

    weights: by number of a solid's corners, its depth before the lens now over its depth at rest,
    where it has been squashed along lines of sight; 1 elsewhere. They make the way from now to
    rest a perspective one, in which the picture stays where the lens saw it.
    """

    id: Id
    rest: Proxy
    weights: Annotated[
        tuple[tuple[int, Annotated[float, Field(gt=1e-9, lt=1e9)]], ...], Field(max_length=60_000)
    ] = ()

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed."""
        return self.model_copy(update={"rest": self.rest.carried(by)})


@dataclass(frozen=True)
class Most:
    """How many there can be of a kind of part."""

    count: int


class Scene(Value):
    """A project at one moment. built_on is the sighting that its proxies were stood under, where
    that is not the sighting as it is now."""

    version: Literal[6] = 6
    name: Name
    plate: Plate
    stills: Stills = Stills()
    sighting: Sighting = Sighting()
    kept_sightings: Annotated[tuple[KeptSighting, ...], Most(60)] = ()
    built_on: Sighting | None = None
    proxies: Annotated[tuple[Proxy, ...], Most(2000)] = ()
    welds: Annotated[tuple[Weld, ...], Most(4000)] = ()
    labels: Annotated[tuple[Label, ...], Most(400)] = ()
    lanterns: Annotated[tuple[Lantern, ...], Most(64)] = (Lantern(id=STILL_LANTERN, name="still"),)
    sheet: CastSheet = CastSheet()
    glazed: Annotated[tuple[Glazed, ...], Most(2000)] = ()
    move: Move = Move()
    passed: CameraPass | None = None
    tracks: Annotated[tuple[Track, ...], Most(400)] = ()
    lights: Annotated[tuple[Light, ...], Most(16)] = ()
    guests: Annotated[tuple[Guest, ...], Most(200)] = ()
    haze: Haze | None = None
    darkening: Darkening | None = None
    look: Look | None = None
    next_id: Annotated[int, Field(ge=1, le=10**15)] = 1
