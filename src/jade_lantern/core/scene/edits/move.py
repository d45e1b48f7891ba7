"""The verbs of Move."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ...refusal import Refusal
from ...value import Name
from ..model import Key, Scene
from .edit import Edit, Station


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
        last = max((k.frame for k in scene.move.keys), default=0)
        if last > self.frames - 1:
            raise Refusal(
                f"There is a key at frame {last}, past the end of a shot of {self.frames} frames. "
                "Move or delete it first."
            )
        move = scene.move.model_copy(update={"fps": self.fps, "frames": self.frames})
        return scene.model_copy(update={"move": move})

    def title(self, scene: Scene) -> str:
        return f"{self.frames} frames at {self.fps:g} fps"


def _with_keys(scene: Scene, keys: list[Key]) -> Scene:
    ordered = tuple(sorted(keys, key=lambda k: k.frame))
    return scene.model_copy(update={"move": scene.move.model_copy(update={"keys": ordered})})
