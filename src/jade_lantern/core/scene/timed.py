"""What a scene has over time: the shot's camera and format, and the tracks of its parts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from ..arrays import Floats
from ..proxy import Similarity
from ..refusal import Refusal
from ..track import AimKey, Ease, PointKey, TrackKey, unwound
from ..value import Id, Number, Point3, Share, Value


class Key(Value):
    """Where the shot camera is at one frame. Focal length in 35 mm terms."""

    frame: Annotated[int, Field(ge=0, le=100_000)]
    position: Point3
    aim: Point3
    focal_mm: Annotated[float, Field(ge=2, le=2000)]
    roll_deg: Number = 0.0
    ease: Ease = "both"


MOST_KEYS = 2000  # of a track
ShotPart = Literal["position", "aim", "focal_mm", "roll_deg"]
PointTrack = Annotated[tuple[PointKey, ...], Field(max_length=MOST_KEYS)]
AimTrack = Annotated[tuple[AimKey, ...], Field(max_length=MOST_KEYS)]
NumberTrack = Annotated[tuple[TrackKey, ...], Field(max_length=MOST_KEYS)]


MOST_AMOUNT = 1.5


class ShotFrame(Value):
    """The format that a shot is delivered in, where it is not the plate's. width, height: px. at:
    which place of the picture is its middle, in widths and heights of the picture, as far as the
    picture reaches. overscan: how much is added on each side, in widths and heights."""

    width: Annotated[int, Field(ge=16, le=16_384)]
    height: Annotated[int, Field(ge=16, le=16_384)]
    at: tuple[Share, Share] = (0.5, 0.5)
    overscan: Share = 0.0


class Move(Value):
    """The shot: the rate, how many frames there are, and the camera over them, each part of it with
    keys of its own, in order of frame; what has none is the sighted camera's. focal_mm: focal
    length in 35 mm terms. amount: how much of the keyed move is made: at 0 the camera stays at the
    lens, at 1 it goes where its keys say. first: the number that the first frame has outside.
    frame: None for the plate's shape and size."""

    position: PointTrack = ()
    aim: AimTrack = ()
    focal_mm: NumberTrack = ()
    roll_deg: NumberTrack = ()
    fps: Annotated[float, Field(ge=1, le=240)] = 24.0
    frames: Annotated[int, Field(ge=1, le=10_000)] = 96
    first: Annotated[int, Field(ge=0, le=10**7)] = 0
    amount: Annotated[float, Field(ge=0, le=MOST_AMOUNT)] = 1.0
    frame: ShotFrame | None = None

    @model_validator(mode="before")
    @classmethod
    def _of_whole_keys(cls, data: Any) -> Any:
        """Scenes up to version 4 kept keys of the whole camera."""
        if isinstance(data, dict) and "keys" in data:
            data = dict(data)
            data.update(tracks_of(tuple(Key.model_validate(k) for k in data.pop("keys") or ())))
        return data

    @property
    def keyed(self) -> bool:
        """Whether the shot camera has any key."""
        return bool(self.position or self.aim or self.focal_mm or self.roll_deg)

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed."""
        zero = by.moved((0.0, 0.0, 0.0))

        def aimed(key: AimKey) -> AimKey:
            x, y, z = key.at
            if key.proxy is not None:  # its own frame turns and moves with it
                return key.model_copy(update={"at": (x * by.scale, y * by.scale, z * by.scale)})
            there = by.moved(key.at)
            if key.way:
                there = (there[0] - zero[0], there[1] - zero[1], there[2] - zero[2])
            return key.model_copy(update={"at": there})

        places = tuple(k.model_copy(update={"at": by.moved(k.at)}) for k in self.position)
        return self.model_copy(update={"position": places, "aim": tuple(map(aimed, self.aim))})


def tracks_of(keys: Sequence[Key]) -> dict[ShotPart, tuple[PointKey | TrackKey, ...]]:
    """Keys of the whole shot camera, as keys of its parts."""

    def number(key: Key, value: float) -> TrackKey:
        return TrackKey(frame=key.frame, value=value, ease=key.ease)

    return {
        "position": tuple(
            PointKey(frame=key.frame, at=key.position, ease=key.ease) for key in keys
        ),
        "aim": tuple(AimKey(frame=key.frame, at=key.aim, ease=key.ease) for key in keys),
        "focal_mm": tuple(number(key, key.focal_mm) for key in keys),
        "roll_deg": tuple(number(key, key.roll_deg) for key in keys),
    }


TrackedNumber = Literal[
    "x", "z", "level_m", "turn_deg", "hinge_deg", "strength", "height_deg", "density", "exposure",
    "contrast", "saturation",
]  # fmt: skip
SHORTEST_AXIS_M = 1e-6
TURNS = {"turn_deg", "hinge_deg"}
PLACES: tuple[TrackedNumber, ...] = ("x", "level_m", "z")


class Track(Value):
    """A number of a part that is another one at other frames. part: the id of a proxy, a lantern or
    a light, of the haze, the darkening or the look. of: which of its numbers. hinge_deg turns a
    proxy about a line, as a door, a lid or a ramp turns, with the proxy where it was put. about:
    the x and z of an upright line. axis: two places of any line, in the world; it turns
    anticlockwise, seen against the way from the first to the second."""

    id: Id
    part: Id
    of: TrackedNumber
    keys: Annotated[tuple[TrackKey, ...], Field(min_length=1, max_length=MOST_KEYS)]
    about: tuple[Number, Number] | None = None
    axis: tuple[Point3, Point3] | None = None

    @model_validator(mode="after")
    def _hinged(self) -> Self:
        placed = (self.about is not None) + (self.axis is not None)
        if placed != (self.of == "hinge_deg"):
            raise ValueError("a hinge, and nothing else, stands at one place")
        if self.axis is not None and np.linalg.norm(np.subtract(*self.axis)) < SHORTEST_AXIS_M:
            raise ValueError("the two places of a hinge are one")
        return self

    @property
    def line(self) -> tuple[Floats, Floats] | None:
        """A place (3,) on the line of a hinge, and its direction (3,)."""
        if self.about is not None:
            return np.array([self.about[0], 0.0, self.about[1]]), np.array([0.0, 1.0, 0.0])
        if self.axis is None:
            return None
        way = np.subtract(self.axis[1], self.axis[0])
        return np.array(self.axis[0]), way / np.linalg.norm(way)

    def carried(self, by: Similarity) -> Self:
        """After the world's zero or size has changed, or after it has turned by quarters.

        Raises Refusal where it has turned otherwise: a way along one heading is then along both.
        """
        zero = np.array(by.moved((0.0, 0.0, 0.0)))
        ways = {
            "x": np.array(by.moved((1.0, 0.0, 0.0))) - zero,
            "level_m": np.array(by.moved((0.0, 1.0, 0.0))) - zero,
            "z": np.array(by.moved((0.0, 0.0, 1.0))) - zero,
        }
        of, values = self.of, np.array([key.value for key in self.keys], float)
        if of == "hinge_deg" and self.about is not None:  # an angle from where it was put
            x, _, z = by.moved((self.about[0], 0.0, self.about[1]))
            return self.model_copy(update={"about": (x, z)})
        if of == "hinge_deg" and self.axis is not None:
            return self.model_copy(update={"axis": tuple(by.moved(p) for p in self.axis)})
        if of in TURNS:
            values = unwound(values) + by.turn_deg
            if (np.abs(np.diff(values)) > 180.0).any():
                # whole turns more, so that all are beyond 180 and `unwound` keeps the steps
                values += 360.0 * (np.floor((180.0 - values.min()) / 360.0) + 1.0)
        elif of == "density":  # per metre
            values = values / by.scale
        elif of in ways:
            axis = int(np.argmax(np.abs(ways[of])))
            if np.abs(np.delete(ways[of], axis)).max() > 1e-9 * by.scale:
                raise Refusal("What moves over time can be turned by quarters only.")
            of, values = PLACES[axis], ways[of][axis] * values + zero[axis]
        keys = tuple(
            key.model_copy(update={"value": value})
            for key, value in zip(self.keys, values.tolist(), strict=True)
        )
        return self.model_copy(update={"of": of, "keys": keys})
