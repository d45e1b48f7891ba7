"""The verbs: every change to a scene is one of these small values.

`apply(scene, edit)` returns the next scene, or raises Refusal with a reason a person can act on.
Nothing else changes a scene.
"""

from .block import AlterProxy, DeleteProxy, DuplicateProxy, ProxyNumbers, StandProxy
from .edit import Edit, RenameProject, apply
from .shot import DeleteKey, SetEdge, SetKey, SetKeys, SetShot, ShiftKey
from .sight import (
    AddTape,
    AddTrace,
    AlterTape,
    DeleteTape,
    DeleteTrace,
    MoveTraceEnd,
    Resettle,
    SetDatum,
    SetEyeHeight,
    SetFocal,
    SetHeading,
    SetLock,
    SettleEdit,
    SightEdit,
)

__all__ = [
    "AddTape",
    "AddTrace",
    "AlterProxy",
    "AlterTape",
    "DeleteKey",
    "DeleteProxy",
    "DeleteTape",
    "DeleteTrace",
    "DuplicateProxy",
    "Edit",
    "MoveTraceEnd",
    "ProxyNumbers",
    "RenameProject",
    "Resettle",
    "SetDatum",
    "SetEdge",
    "SetEyeHeight",
    "SetFocal",
    "SetHeading",
    "SetKey",
    "SetKeys",
    "SetLock",
    "SetShot",
    "SettleEdit",
    "ShiftKey",
    "SightEdit",
    "StandProxy",
    "apply",
]
