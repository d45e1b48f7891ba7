"""What a client may ask for in Dress."""

from __future__ import annotations

from ..scene.edits import (
    AddGuest,
    AddLight,
    AlterGuest,
    AlterLight,
    DeleteGuest,
    DeleteLight,
    DuplicateGuest,
    PlayGuest,
    SetHaze,
    SetLook,
)
from .lamps import AimSun, CarryLamp, PickLamp
from .standing import CarryGuest, SizeGuest, StandGuest

DressChange = (
    AddLight | AlterLight | DeleteLight | SetHaze | SetLook | PickLamp | CarryLamp | AimSun
    | AddGuest | AlterGuest | DeleteGuest | DuplicateGuest | PlayGuest | StandGuest | CarryGuest
    | SizeGuest
)  # fmt: skip
