"""The verbs: every change to a scene is one of these small values.

`apply(scene, edit)` returns the next scene, or raises Refusal with a reason a person can act on.
Nothing else changes a scene.
"""

from .block import AlterProxy, DeleteProxy, DuplicateProxy, StandProxy, altered
from .cast import SetEdge
from .edit import Edit, RenameProject, apply
from .lens import SetBend, SetByEye, SetFocal, SetLevel, SetMade, SetPrincipal, SwapPlate
from .move import DeleteKey, SetKey, SetKeys, SetShot, ShiftKey
from .settle import (
    AddTape,
    AlterTape,
    DeleteTape,
    Resettle,
    SetDatum,
    SetDistance,
    SetEyeHeight,
    SettleEdit,
    SetWays,
)
from .sighting import (
    AcceptSighting,
    DropSighting,
    GoBackToBuilt,
    KeepSighting,
    SetLock,
    SightEdit,
    UseSighting,
)
from .trace import (
    AddCorner,
    AddRectangle,
    AddTrace,
    AddTraces,
    AlterRectangle,
    DeleteRectangle,
    DeleteTrace,
    Drawn,
    DropCorner,
    MoveTrace,
    MoveTraceEnd,
    SetHeading,
    TrustHeading,
    TrustTrace,
)

__all__ = [
    "AcceptSighting", "AddCorner", "AddRectangle", "AddTape", "AddTrace", "AddTraces", "AlterProxy",
    "AlterRectangle", "AlterTape", "DeleteKey", "DeleteProxy", "DeleteRectangle", "DeleteTape",
    "DeleteTrace", "Drawn", "DropCorner", "DropSighting", "DuplicateProxy", "Edit", "GoBackToBuilt",
    "KeepSighting", "MoveTrace", "MoveTraceEnd", "RenameProject", "Resettle",
    "SetBend", "SetByEye", "SetDatum", "SetDistance", "SetEdge", "SetEyeHeight", "SetFocal",
    "SetHeading", "SetKey", "SetKeys", "SetLevel", "SetLock", "SetMade",
    "SetPrincipal", "SetShot", "SetWays",
    "SettleEdit", "ShiftKey", "SightEdit", "StandProxy", "SwapPlate", "TrustHeading", "TrustTrace",
    "UseSighting", "altered", "apply",
]  # fmt: skip
