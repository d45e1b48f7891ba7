"""Any change a client may ask for: an edit to keep as it is, or a gesture that becomes one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated

from pydantic import Field, ValidationError

from .block.place import Hang, LayGround, LayTape, PullCorner, Raise, Slide, Stand, Swing
from .move.ready import KeyHere, Push
from .refusal import Refusal
from .scene.document import plainly
from .scene.edits import (
    AcceptSighting,
    AddTape,
    AddTrace,
    AddTraces,
    AlterProxy,
    AlterRectangle,
    AlterTape,
    DeleteKey,
    DeleteProxy,
    DeleteRectangle,
    DeleteTape,
    DeleteTrace,
    DropCorner,
    DropSighting,
    DuplicateProxy,
    Edit,
    GoBackToBuilt,
    KeepSighting,
    MoveTrace,
    MoveTraceEnd,
    RenameProject,
    SetBend,
    SetByEye,
    SetDatum,
    SetDistance,
    SetEdge,
    SetEyeHeight,
    SetFocal,
    SetHeading,
    SetKey,
    SetKeys,
    SetLevel,
    SetLock,
    SetPrincipal,
    SetShot,
    SettleEdit,
    ShiftKey,
    TrustHeading,
    TrustTrace,
    UseSighting,
    apply,
)
from .scene.gesture import Gesture, PictureGesture
from .scene.model import Scene
from .sight.corner import MarkCorner
from .sight.eye import PullByEye, StartByEye
from .sight.look import Look
from .sight.propose import (
    DrawTrace,
    FollowEdge,
    HeadByDirection,
    PullTraceEnd,
    TakeAdvised,
    TakeSpread,
)
from .sight.rectangle import LayRectangle
from .sight.sensors import GiveFocal
from .sight.settle import TurnWays, settled

Change = Annotated[
    RenameProject
    | AddTrace
    | AddTraces
    | DrawTrace
    | MoveTraceEnd
    | MoveTrace
    | PullTraceEnd
    | FollowEdge
    | HeadByDirection
    | SetHeading
    | TrustTrace
    | TrustHeading
    | DeleteTrace
    | TakeSpread
    | TakeAdvised
    | LayRectangle
    | AlterRectangle
    | DeleteRectangle
    | SetFocal
    | GiveFocal
    | SetPrincipal
    | SetBend
    | SetByEye
    | StartByEye
    | PullByEye
    | SetLevel
    | TurnWays
    | SetDatum
    | MarkCorner
    | DropCorner
    | SetEyeHeight
    | SetDistance
    | AddTape
    | LayTape
    | AlterTape
    | DeleteTape
    | SetLock
    | KeepSighting
    | UseSighting
    | DropSighting
    | GoBackToBuilt
    | AcceptSighting
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


def changed(
    scene: Scene,
    change: Edit | Gesture | PictureGesture,
    look: Callable[[], Look] | None = None,
) -> tuple[Edit, Scene]:
    """The edit that a change comes to, and the scene after it. look: how to come by the plate's
    pixels, for the gestures that go by them.

    Raises Refusal with a reason in words; then nothing has changed.
    """
    try:
        if isinstance(change, PictureGesture):
            if look is None:
                raise Refusal("The plate's picture is not at hand, so nothing was changed.")
            edit = change.edit_on(scene, look())
        elif isinstance(change, Gesture):
            edit = change.edit(scene)
        elif isinstance(change, SettleEdit):
            edit = settled(scene, change)
        else:
            edit = change
    except ValidationError as error:
        raise Refusal(plainly(error)) from error
    return edit, apply(scene, edit)
