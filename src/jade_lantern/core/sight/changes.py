"""What a client may ask for in Sight."""

from __future__ import annotations

from ..scene.edits import (
    AcceptSighting,
    AddTape,
    AddTrace,
    AddTraces,
    AlterRectangle,
    AlterTape,
    BringCamera,
    DeleteRectangle,
    DeleteTape,
    DeleteTrace,
    DropCorner,
    DropSighting,
    GoBackToBuilt,
    KeepSighting,
    LetCameraGo,
    MoveTrace,
    MoveTraceEnd,
    SetBend,
    SetByEye,
    SetDatum,
    SetDistance,
    SetEyeHeight,
    SetFocal,
    SetHeading,
    SetHeadings,
    SetLevel,
    SetLock,
    SetMade,
    SetPrincipal,
    TrustHeading,
    TrustTrace,
    UseSighting,
)
from .corner import MarkCorner
from .eye import PullByEye, StartByEye
from .flatten import BendBack, Flatten
from .propose import DrawTrace, FollowEdge, HeadByDirection, PullTraceEnd, TakeAdvised, TakeSpread
from .rectangle import LayRectangle
from .sensors import GiveFocal
from .settle import TurnWays
from .tape import LayTape

SightChange = (
    AddTrace
    | AddTraces
    | DrawTrace
    | MoveTraceEnd
    | MoveTrace
    | PullTraceEnd
    | FollowEdge
    | HeadByDirection
    | SetHeading
    | SetHeadings
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
    | SetMade
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
    | Flatten
    | BendBack
    | BringCamera
    | LetCameraGo
)
