"""The verbs: every change to a scene is one of these small values.

`apply(scene, edit)` returns the next scene, or raises Refusal with a reason a person can act on.
Nothing else changes a scene.
"""

from .block import AlterProxy, DeleteProxy, DuplicateProxy, StandProxy, altered, free_name
from .cast import SetEdge
from .edit import Edit, RenameProject, Station, apply, station_of
from .label import DeleteLabel, PutLabel
from .lens import SetBend, SetByEye, SetFocal, SetLevel, SetMade, SetPrincipal, SwapPlate
from .many import AddProxies, AlterProxies, DeleteProxies, Reorder
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
from .solid import PutProxies, PutWeld, Unweld
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
    SetHeadings,
    TrustHeading,
    TrustTrace,
)
from .welded import place_of_corner

__all__ = [
    "AcceptSighting",
    "AddCorner",
    "AddProxies",
    "AddRectangle",
    "AddTape",
    "AddTrace",
    "AddTraces",
    "AlterProxies",
    "AlterProxy",
    "AlterRectangle",
    "AlterTape",
    "DeleteKey",
    "DeleteLabel",
    "DeleteProxies",
    "DeleteProxy",
    "DeleteRectangle",
    "DeleteTape",
    "DeleteTrace",
    "Drawn",
    "DropCorner",
    "DropSighting",
    "DuplicateProxy",
    "Edit",
    "GoBackToBuilt",
    "KeepSighting",
    "MoveTrace",
    "MoveTraceEnd",
    "PutLabel",
    "PutProxies",
    "PutWeld",
    "RenameProject",
    "Reorder",
    "Resettle",
    "SetBend",
    "SetByEye",
    "SetDatum",
    "SetDistance",
    "SetEdge",
    "SetEyeHeight",
    "SetFocal",
    "SetHeading",
    "SetHeadings",
    "SetKey",
    "SetKeys",
    "SetLevel",
    "SetLock",
    "SetMade",
    "SetPrincipal",
    "SetShot",
    "SetWays",
    "SettleEdit",
    "ShiftKey",
    "SightEdit",
    "StandProxy",
    "Station",
    "SwapPlate",
    "TrustHeading",
    "TrustTrace",
    "Unweld",
    "UseSighting",
    "altered",
    "apply",
    "free_name",
    "place_of_corner",
    "station_of",
]  # fmt: skip
