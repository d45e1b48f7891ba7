"""The verbs of Move."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import Field

from ...refusal import Refusal
from ...track import AimKey, Frame, PointKey, TrackKey
from ...value import Id, Name, Number, Point3
from ..aim import aims_as_before
from ..model import Scene
from ..moment import tracked_parts
from ..timed import (
    MOST_AMOUNT,
    MOST_KEYS,
    AimTrack,
    Key,
    NumberTrack,
    PointTrack,
    ShotFrame,
    ShotPart,
    Track,
    TrackedNumber,
    tracks_of,
)
from .edit import Edit, Station, numbered, the_one

SHOT_PARTS: tuple[ShotPart, ...] = get_args(ShotPart)


class MoveEdit(Edit):
    station: ClassVar[Station] = "move"


class SetKey(MoveEdit):
    """Put a key of the whole shot camera on its frame, in place of what is there. An aim that
    followed a proxy, or was a direction, stays one as long as it aims at where it did."""

    verb: Literal["SetKey"] = "SetKey"
    key: Key

    def on(self, scene: Scene) -> Scene:
        new: dict[ShotPart, Sequence[Any]] = {**tracks_of((self.key,))}
        at = self.key.frame
        kept = next((k for k in scene.move.aim if k.frame == at), None)
        if kept and aims_as_before(scene, kept, self.key.position, self.key.aim):
            new["aim"] = (kept.model_copy(update={"ease": self.key.ease}),)
        return _with_tracks(scene, {n: (*_but(scene, n, at), *new[n]) for n in SHOT_PARTS})

    def title(self, scene: Scene) -> str:
        return f"Key at {self.key.frame}"


class ShiftKey(MoveEdit):
    """Move what has a key at a frame, of all parts of the shot camera, to another frame."""

    verb: Literal["ShiftKey"] = "ShiftKey"
    frame: int
    to: Annotated[int, Field(ge=0, le=100_000)]

    def on(self, scene: Scene) -> Scene:
        new = {}
        for name in SHOT_PARTS:
            track = getattr(scene.move, name)
            mine = [k for k in track if k.frame == self.frame]
            if mine and self.to != self.frame and any(k.frame == self.to for k in track):
                raise Refusal(f"There is a key at frame {self.to} already; both were kept.")
            moved = tuple(k.model_copy(update={"frame": self.to}) for k in mine)
            new[name] = (*_but(scene, name, self.frame), *moved)
        if not _keyed_at(scene, self.frame):
            raise Refusal(f"There is no key at frame {self.frame}.")
        return _with_tracks(scene, new)

    def title(self, scene: Scene) -> str:
        return f"Key from {self.frame} to {self.to}"


class DeleteKey(MoveEdit):
    """Delete what has a key at a frame, of all parts of the shot camera."""

    verb: Literal["DeleteKey"] = "DeleteKey"
    frame: int

    def on(self, scene: Scene) -> Scene:
        if not _keyed_at(scene, self.frame):
            raise Refusal(f"There is no key at frame {self.frame}.")
        return _with_tracks(scene, {n: _but(scene, n, self.frame) for n in SHOT_PARTS})

    def title(self, scene: Scene) -> str:
        return f"Delete the key at {self.frame}"


class SetKeys(MoveEdit):
    """Replace all keys of the shot camera at once, as a ready move does."""

    verb: Literal["SetKeys"] = "SetKeys"
    keys: tuple[Key, ...]
    called: Name = "Set the keys"

    def on(self, scene: Scene) -> Scene:
        return _with_tracks(scene, tracks_of(self.keys))

    def title(self, scene: Scene) -> str:
        return self.called


class PutShot(MoveEdit):
    """Replace all keys of the shot camera, as a ready move does, made in full."""

    verb: Literal["PutShot"] = "PutShot"
    position: PointTrack = ()
    aim: AimTrack = ()
    focal_mm: NumberTrack = ()
    roll_deg: NumberTrack = ()
    called: Name = "Set the keys"

    def on(self, scene: Scene) -> Scene:
        new = {name: getattr(self, name) for name in SHOT_PARTS} | {"amount": 1.0}
        return scene.model_copy(update={"move": scene.move.model_copy(update=new)})

    def title(self, scene: Scene) -> str:
        return self.called


class SetShotTrack(MoveEdit):
    """Keys of one part of the shot camera, in place of those that it has: places for its position
    and aim, numbers for its focal length (35 mm terms) and roll. Without any it is the sighted
    camera's."""

    verb: Literal["SetShotTrack"] = "SetShotTrack"
    of: ShotPart
    keys: Annotated[tuple[PointKey | AimKey | TrackKey, ...], Field(max_length=MOST_KEYS)]

    def on(self, scene: Scene) -> Scene:
        kind = PointKey if self.of in ("position", "aim") else TrackKey
        if not all(isinstance(key, kind) for key in self.keys):
            what = "places" if kind is PointKey else "numbers"
            raise Refusal(f"Keys of the shot's {CALLED_OF_SHOT[self.of]} are {what}.")
        keys: Sequence[Any] = self.keys
        if self.of == "aim":
            keys = [AimKey.model_validate(key.model_dump()) for key in keys]
        elif any(isinstance(key, AimKey) for key in keys):
            raise Refusal("Only the aim of the shot follows a proxy or is a direction.")
        return _with_tracks(scene, {self.of: keys})

    def title(self, scene: Scene) -> str:
        return f"{'Keys for' if self.keys else 'No keys for'} the shot's {CALLED_OF_SHOT[self.of]}"


class RetimeKeys(MoveEdit):
    """Move the shot's keys from one frame to another, both included, together: evenly to where two
    other frames are, or copies of them. of: of these parts of the shot camera; of all where it is
    left out. Keys that are in the way are refused, not overwritten."""

    verb: Literal["RetimeKeys"] = "RetimeKeys"
    first: Frame
    last: Frame
    to_first: Frame
    to_last: Frame
    copies: bool = False
    of: tuple[ShotPart, ...] = SHOT_PARTS

    def on(self, scene: Scene) -> Scene:
        if self.last < self.first or self.to_last < self.to_first:
            raise Refusal("The last of some frames comes after the first.")
        if self.last > self.first and self.to_last == self.to_first:
            raise Refusal("Keys of several frames do not all go onto one.")
        new: dict[ShotPart, Sequence[Any]] = {}
        for name in self.of:
            track = getattr(scene.move, name)
            mine = [k for k in track if self.first <= k.frame <= self.last]
            kept = list(track) if self.copies else [k for k in track if k not in mine]
            moved = [k.model_copy(update={"frame": self._to(k.frame)}) for k in mine]
            taken = {k.frame for k in kept}
            for key in moved:
                if key.frame in taken:
                    raise Refusal(
                        f"Two keys of the {CALLED_OF_SHOT[name]} would stand on frame {key.frame}; "
                        "all were left as they were."
                    )
                taken.add(key.frame)
            new[name] = [*kept, *moved]
        if not any(len(new[name]) and self._any(scene, name) for name in new):
            raise Refusal(f"There is no key from {self.first} to {self.last}.")
        return _with_tracks(scene, new)

    def _any(self, scene: Scene, name: ShotPart) -> bool:
        return any(self.first <= k.frame <= self.last for k in getattr(scene.move, name))

    def _to(self, frame: int) -> int:
        span = max(self.last - self.first, 1)
        return round(self.to_first + (frame - self.first) * (self.to_last - self.to_first) / span)

    def title(self, scene: Scene) -> str:
        does = "Copy" if self.copies else "Retime"
        return f"{does} keys {self.first}–{self.last} to {self.to_first}–{self.to_last}"


class Drive(MoveEdit):
    """Make so much of the keyed move: 0 stays at the lens, 1 is what its keys say."""

    verb: Literal["Drive"] = "Drive"
    amount: Annotated[float, Field(ge=0, le=MOST_AMOUNT)]

    def on(self, scene: Scene) -> Scene:
        move = scene.move.model_copy(update={"amount": self.amount})
        return scene.model_copy(update={"move": move})

    def title(self, scene: Scene) -> str:
        return f"Drive the move to {100 * self.amount:.0f} %"


class SetFrame(MoveEdit):
    """The format that the shot is delivered in; the plate's own without one."""

    verb: Literal["SetFrame"] = "SetFrame"
    frame: ShotFrame | None

    def on(self, scene: Scene) -> Scene:
        move = scene.move.model_copy(update={"frame": self.frame})
        return scene.model_copy(update={"move": move})

    def title(self, scene: Scene) -> str:
        f = self.frame
        return "Deliver the whole picture" if f is None else f"Deliver {f.width} × {f.height}"


class SetShot(MoveEdit):
    """Frame rate, length, and the first frame's number outside (as it was where it is left out).
    Keys beyond a shorter shot's last frame are not dropped silently."""

    verb: Literal["SetShot"] = "SetShot"
    fps: Annotated[float, Field(ge=1, le=240)]
    frames: Annotated[int, Field(ge=1, le=10_000)]
    first: Annotated[int, Field(ge=0, le=10**7)] | None = None

    def on(self, scene: Scene) -> Scene:
        keyed = [key.frame for n in SHOT_PARTS for key in getattr(scene.move, n)]
        keyed += [key.frame for track in scene.tracks for key in track.keys]
        last = max(keyed, default=0)
        if last > self.frames - 1:
            raise Refusal(
                f"There is a key at frame {last}, past the end of a shot of {self.frames} frames. "
                "Move or delete it first."
            )
        first = scene.move.first if self.first is None else self.first
        new = {"fps": self.fps, "frames": self.frames, "first": first}
        move = scene.move.model_copy(update=new)
        return scene.model_copy(update={"move": move})

    def title(self, scene: Scene) -> str:
        return f"{self.frames} frames at {self.fps:g} fps"


class SetTrack(MoveEdit):
    """Keys over time for a number of a proxy, a lantern or a light, of the haze, the darkening or
    the look, in place of those that it has; without any it is the same at every frame again. about,
    axis: of hinge_deg, the line that a proxy turns about (see `Track`); without either, as
    before."""

    verb: Literal["SetTrack"] = "SetTrack"
    part: Id
    of: TrackedNumber
    keys: Annotated[tuple[TrackKey, ...], Field(max_length=MOST_KEYS)]
    about: tuple[Number, Number] | None = None
    axis: tuple[Point3, Point3] | None = None

    def on(self, scene: Scene) -> Scene:
        there = next((t for t in scene.tracks if (t.part, t.of) == (self.part, self.of)), None)
        others = tuple(t for t in scene.tracks if t is not there)
        if not self.keys:
            if there is None:
                raise Refusal("This is not tracked, so there is nothing to let go.")
            return scene.model_copy(update={"tracks": others})
        keys = tuple(sorted(self.keys, key=lambda key: key.frame))
        id = f"track-{scene.next_id}" if there is None else there.id
        about, axis = self.about, self.axis
        if about is None and axis is None and there is not None:
            about, axis = there.about, there.axis
        track = Track(id=id, part=self.part, of=self.of, keys=keys, about=about, axis=axis)
        after = scene if there is not None else numbered(scene)
        return after.model_copy(update={"tracks": (*others, track)})

    def title(self, scene: Scene) -> str:
        part = the_one(tracked_parts(scene), self.part, "part")
        said = CALLED[self.of]
        return f"Move {part.name}: {said}" if self.keys else f"Hold {part.name}: {said}"


class PutTracks(MoveEdit):
    """Keys over time for several numbers of a part at once, as `SetTrack` has them."""

    verb: Literal["PutTracks"] = "PutTracks"
    part: Id
    keys: Annotated[
        dict[TrackedNumber, Annotated[tuple[TrackKey, ...], Field(max_length=MOST_KEYS)]],
        Field(min_length=1),
    ]

    def on(self, scene: Scene) -> Scene:
        the_one(tracked_parts(scene), self.part, "part")
        for of, keys in self.keys.items():
            scene = SetTrack(part=self.part, of=of, keys=keys).on(scene)
        return scene

    def title(self, scene: Scene) -> str:
        part = the_one(tracked_parts(scene), self.part, "part")
        return f"Move {part.name}"


class HoldStill(MoveEdit):
    """Let go of all that moves a part over time."""

    verb: Literal["HoldStill"] = "HoldStill"
    part: Id

    def on(self, scene: Scene) -> Scene:
        kept = tuple(t for t in scene.tracks if t.part != self.part)
        if len(kept) == len(scene.tracks):
            raise Refusal("This does not move, so there is nothing to let go.")
        return scene.model_copy(update={"tracks": kept})

    def title(self, scene: Scene) -> str:
        part = the_one(tracked_parts(scene), self.part, "part")
        return f"Hold {part.name} still"


CALLED: dict[TrackedNumber, str] = {
    "x": "across", "z": "towards the lens", "level_m": "level", "turn_deg": "turn",
    "hinge_deg": "hinge", "strength": "strength", "height_deg": "height", "density": "density",
    "exposure": "exposure", "contrast": "contrast", "saturation": "saturation",
}  # fmt: skip


CALLED_OF_SHOT: dict[ShotPart, str] = {
    "position": "position", "aim": "aim", "focal_mm": "focal length", "roll_deg": "roll",
}  # fmt: skip


def _but(scene: Scene, name: str, frame: int) -> tuple[Any, ...]:
    """The keys of a part of the shot camera but for one frame's."""
    return tuple(k for k in getattr(scene.move, name) if k.frame != frame)


def _keyed_at(scene: Scene, frame: int) -> bool:
    return any(k.frame == frame for name in SHOT_PARTS for k in getattr(scene.move, name))


def _with_tracks(scene: Scene, tracks: Mapping[ShotPart, Sequence[Any]]) -> Scene:
    new: dict[str, Any] = {
        name: tuple(sorted(keys, key=lambda k: k.frame)) for name, keys in tracks.items()
    }
    return scene.model_copy(update={"move": scene.move.model_copy(update=new)})
