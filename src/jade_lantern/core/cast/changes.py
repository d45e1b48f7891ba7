"""What a client may ask for in Cast."""

from __future__ import annotations

from ..scene.edits import (
    AddLantern,
    AlterLantern,
    CastOn,
    DeleteLantern,
    MoveLantern,
    PutLanterns,
    UseEarlier,
)
from .fill import Fill
from .take import TakeSplit

CastChange = (
    AddLantern | AlterLantern | CastOn | DeleteLantern | MoveLantern | PutLanterns
    | UseEarlier | TakeSplit | Fill
)  # fmt: skip
