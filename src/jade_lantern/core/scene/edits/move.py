"""The verbs of Move."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ...refusal import Refusal
from ...track import TrackKey
from ...value import Id, Name
from ..model import Key, Scene, Track, TrackedNumber
from .edit import Edit, Station, numbered, the_one


class MoveEdit(Edit):
    station: ClassVar[Station] = "move"


class SetKey(MoveEdit):
    """Put a key on its frame, in place of one that is there."""

    verb: Literal["SetKey"] = "SetKey"
    key: Key

    def on(self, scene: Scene) -> Scene:
        others = [k for k in scene.move.keys if k.frame != self.key.frame]
        return _with_keys(scene, [*others, self.key])

    def title(self, scene: Scene) -> str:
        return f"Key at {self.key.frame}"


class ShiftKey(MoveEdit):
    verb: Literal["ShiftKey"] = "ShiftKey"
    frame: int
    to: Annotated[int, Field(ge=0, le=100_000)]

    def on(self, scene: Scene) -> Scene:
        key = next((k for k in scene.move.keys if k.frame == self.frame), None)
        if key is None:
            raise Refusal(f"There is no key at frame {self.frame}.")
        moved = key.model_copy(update={"frame": self.to})
        if self.to != self.frame and any(k.frame == self.to for k in scene.move.keys):
            raise Refusal(f"There is a key at frame {self.to} already; both were kept.")
        others = [k for k in scene.move.keys if k.frame != self.frame]
        return _with_keys(scene, [*others, moved])

    def title(self, scene: Scene) -> str:
        return f"Key from {self.frame} to {self.to}"


class DeleteKey(MoveEdit):
    verb: Literal["DeleteKey"] = "DeleteKey"
    frame: int

    def on(self, scene: Scene) -> Scene:
        kept = [k for k in scene.move.keys if k.frame != self.frame]
        if len(kept) == len(scene.move.keys):
            raise Refusal(f"There is no key at frame {self.frame}.")
        return _with_keys(scene, kept)

    def title(self, scene: Scene) -> str:
        return f"Delete the key at {self.frame}"


class SetKeys(MoveEdit):
    """Replace all keys at once, as a ready move does."""

    verb: Literal["SetKeys"] = "SetKeys"
    keys: tuple[Key, ...]
    called: Name = "Set the keys"

    def on(self, scene: Scene) -> Scene:
        return _with_keys(scene, list(self.keys))

    def title(self, scene: Scene) -> str:
        return self.called


class SetShot(MoveEdit):
    """Frame rate and length. Keys beyond a shorter shot's last frame are not dropped silently."""

    verb: Literal["SetShot"] = "SetShot"
    fps: Annotated[float, Field(ge=1, le=240)]
    frames: Annotated[int, Field(ge=1, le=10_000)]

    def on(self, scene: Scene) -> Scene:
        keyed = [key.frame for key in scene.move.keys]
        keyed += [key.frame for track in scene.tracks for key in track.keys]
        last = max(keyed, default=0)
        if last > self.frames - 1:
            raise Refusal(
                f"There is a key at frame {last}, past the end of a shot of {self.frames} frames. "
                "Move or delete it first."
            )
        move = scene.move.model_copy(update={"fps": self.fps, "frames": self.frames})
        return scene.model_copy(update={"move": move})

    def title(self, scene: Scene) -> str:
        return f"{self.frames} frames at {self.fps:g} fps"


class SetTrack(MoveEdit):
    """Keys over time for a number of a proxy or a lantern, in place of those that it has; without
    any it is the same at every frame again."""

    verb: Literal["SetTrack"] = "SetTrack"
    part: Id
    of: TrackedNumber
    keys: Annotated[tuple[TrackKey, ...], Field(max_length=2000)]

    def on(self, scene: Scene) -> Scene:
        there = next((t for t in scene.tracks if (t.part, t.of) == (self.part, self.of)), None)
        others = tuple(t for t in scene.tracks if t is not there)
        if not self.keys:
            if there is None:
                raise Refusal("This is not tracked, so there is nothing to let go.")
            return scene.model_copy(update={"tracks": others})
        keys = tuple(sorted(self.keys, key=lambda key: key.frame))
        id = f"track-{scene.next_id}" if there is None else there.id
        track = Track(id=id, part=self.part, of=self.of, keys=keys)
        after = scene if there is not None else numbered(scene)
        return after.model_copy(update={"tracks": (*others, track)})

    def title(self, scene: Scene) -> str:
        part = the_one((*scene.proxies, *scene.lanterns), self.part, "part")
        said = CALLED[self.of]
        return f"Move {part.name}: {said}" if self.keys else f"Hold {part.name}: {said}"


CALLED: dict[TrackedNumber, str] = {
    "x": "across", "z": "towards the lens", "level_m": "level", "turn_deg": "turn",
    "strength": "strength",
}  # fmt: skip


def _with_keys(scene: Scene, keys: list[Key]) -> Scene:
    ordered = tuple(sorted(keys, key=lambda k: k.frame))
    return scene.model_copy(update={"move": scene.move.model_copy(update={"keys": ordered})})
