"""The document: what a project is at one moment, as one immutable value."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

VERSION = 1

Number = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False)]
Length = Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
Point2 = tuple[Number, Number]
Point3 = tuple[Number, Number, Number]
Id = Annotated[str, Field(pattern=r"^[a-z]+-\d+$", max_length=40)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Heading = Literal["across", "up", "away"]
Ease = Literal["none", "out", "in", "both"]
Edge = Literal["stop", "hold"]


class Value(BaseModel):
    """Frozen, closed and finite: what every part of a scene is."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class LensFacts(Value):
    """What the picture's file says of the lens. None where it says nothing."""

    focal_mm: float | None = None
    focal_35mm: float | None = None
    taken_with: str | None = None


class Plate(Value):
    """A still that has been brought in. Its pixels are kept under its digest."""

    name: Name
    width: Annotated[int, Field(ge=2, le=40_000)]
    height: Annotated[int, Field(ge=2, le=40_000)]
    digest: str
    format: str
    bits: int
    alpha: bool = False
    lens: LensFacts = LensFacts()


class Trace(Value):
    """An edge drawn over the plate, straight in the world. Two points in pixels, or more."""

    id: Id
    heading: Heading
    points: Annotated[tuple[Point2, ...], Field(min_length=2, max_length=64)]


class Tape(Value):
    """A length laid on the ground in the picture, with its real measure."""

    id: Id
    points: tuple[Point2, Point2]
    length_m: Length


class FocalHint(Value):
    """A focal length known from elsewhere, in pixels, and how well it is known."""

    value: Length
    sigma: Annotated[float, Field(ge=0, le=1e6)]


class Sighting(Value):
    """Everything that the camera is solved from."""

    traces: tuple[Trace, ...] = ()
    datum: Point2 | None = None
    eye_height_m: Length | None = None
    tapes: tuple[Tape, ...] = ()
    focal: FocalHint | None = None
    locked: bool = False


class Stood(Value):
    """What every proxy that stands on the floor has: a foot, a level above the ground, a turn."""

    id: Id
    name: Name
    hidden: bool = False
    x: Number = 0.0
    z: Number = 0.0
    level_m: Number = 0.0
    turn_deg: Number = 0.0


class Floor(Stood):
    kind: Literal["floor"] = "floor"
    width_m: Length
    depth_m: Length


class Card(Stood):
    """An upright sheet; x, z is the middle of its foot, and at no turn it runs Across."""

    kind: Literal["card"] = "card"
    width_m: Length
    height_m: Length


class Box(Stood):
    kind: Literal["box"] = "box"
    width_m: Length
    depth_m: Length
    height_m: Length


class Drum(Stood):
    kind: Literal["drum"] = "drum"
    radius_m: Length
    height_m: Length


class Backdrop(Value):
    """A sheet far away that faces the lens and fills its frame, with a margin round it."""

    kind: Literal["backdrop"] = "backdrop"
    id: Id
    name: Name
    hidden: bool = False
    distance_m: Length
    margin: Annotated[float, Field(ge=0, le=4)] = 0.25


Proxy = Annotated[Floor | Card | Box | Drum | Backdrop, Field(discriminator="kind")]


class Lantern(Value):
    """The projector: the plate, thrown from the sighted camera, and what it does at its edge."""

    edge: Edge = "stop"


class Key(Value):
    """Where the shot camera is at one frame. Focal length in 35 mm terms."""

    frame: Annotated[int, Field(ge=0, le=100_000)]
    position: Point3
    aim: Point3
    focal_mm: Annotated[float, Field(ge=2, le=2000)]
    roll_deg: Number = 0.0
    ease: Ease = "both"


class Move(Value):
    """The shot: keys in order of frame, the rate, and how many frames there are."""

    keys: tuple[Key, ...] = ()
    fps: Annotated[float, Field(ge=1, le=240)] = 24.0
    frames: Annotated[int, Field(ge=1, le=10_000)] = 96


class Scene(Value):
    """A project at one moment."""

    version: Literal[1] = 1
    name: Name
    plate: Plate
    sighting: Sighting = Sighting()
    proxies: tuple[Proxy, ...] = ()
    lantern: Lantern = Lantern()
    move: Move = Move()
    next_id: Annotated[int, Field(ge=1)] = 1
