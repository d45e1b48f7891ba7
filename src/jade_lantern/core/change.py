"""Any change a client may ask for: an edit to keep as it is, or a gesture that becomes one."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, ValidationError

from .block.place import Gesture, Hang, LayGround, PullCorner, Raise, Slide, Stand, Swing
from .move.ready import KeyHere, Push
from .refusal import Refusal
from .scene.document import plainly
from .scene.edits import (
    AddTape,
    AddTrace,
    AlterProxy,
    AlterTape,
    DeleteKey,
    DeleteProxy,
    DeleteTape,
    DeleteTrace,
    DuplicateProxy,
    Edit,
    MoveTraceEnd,
    RenameProject,
    SetDatum,
    SetEdge,
    SetEyeHeight,
    SetFocal,
    SetHeading,
    SetKey,
    SetKeys,
    SetLock,
    SetShot,
    SettleEdit,
    ShiftKey,
    apply,
)
from .scene.model import Scene
from .sight.settle import settled

Change = Annotated[
    RenameProject
    | AddTrace
    | MoveTraceEnd
    | SetHeading
    | DeleteTrace
    | SetFocal
    | SetDatum
    | SetEyeHeight
    | AddTape
    | AlterTape
    | DeleteTape
    | SetLock
    | Stand
    | LayGround
    | Hang
    | Slide
    | PullCorner
    | Raise
    | Swing
    | AlterProxy
    | DeleteProxy
    | DuplicateProxy
    | SetEdge
    | SetKey
    | SetKeys
    | ShiftKey
    | DeleteKey
    | SetShot
    | Push
    | KeyHere,
    Field(discriminator="verb"),
]


def changed(scene: Scene, change: Edit | Gesture) -> tuple[Edit, Scene]:
    """The edit that a change comes to, and the scene after it.

    Raises Refusal with a reason in words; then nothing has changed.
    """
    try:
        if isinstance(change, Gesture):
            edit = change.edit(scene)
        elif isinstance(change, SettleEdit):
            edit = settled(scene, change)
        else:
            edit = change
    except ValidationError as error:
        raise Refusal(plainly(error)) from error
    return edit, apply(scene, edit)
