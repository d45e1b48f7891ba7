"""Any change a client may ask for: an edit to keep as it is, or a gesture that becomes one. Each
station lists its own."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, ValidationError

from .begin.changes import BeginChange
from .block.changes import BlockChange
from .cast.changes import CastChange
from .dress.changes import DressChange
from .move.changes import MoveChange
from .refusal import Refusal
from .scene.document import plainly
from .scene.edits import Edit, RenameProject, SettleEdit, apply
from .scene.gesture import Gesture, PictureGesture
from .scene.model import Scene
from .scene.pictures import Pictures
from .sight.changes import SightChange
from .sight.settle import settled

Change = Annotated[
    RenameProject | BeginChange | SightChange | BlockChange | CastChange | MoveChange | DressChange,
    Field(discriminator="verb"),
]


def changed(
    scene: Scene,
    change: Edit | Gesture | PictureGesture,
    pictures: Pictures | None = None,
) -> tuple[Edit, Scene]:
    """The edit that a change comes to, and the scene after it. pictures: for the
    gestures that look at them or bring new ones.

    Raises Refusal with a reason in words; then nothing has changed.
    """
    try:
        if isinstance(change, PictureGesture):
            if pictures is None:
                raise Refusal("The plate's picture is not at hand, so nothing was changed.")
            edit = change.edit_with(scene, pictures)
        elif isinstance(change, Gesture):
            edit = change.edit(scene)
        elif isinstance(change, SettleEdit):
            edit = settled(scene, change)
        else:
            edit = change
    except ValidationError as error:
        raise Refusal(plainly(error)) from error
    return edit, apply(scene, edit)
