"""What a client may ask for in Dress."""

from __future__ import annotations

from ..scene.edits import (
    AddGuest,
    AddLight,
    AlterGuest,
    AlterLight,
    Block,
    DeleteGuest,
    DeleteLight,
    DuplicateGuest,
    PlayGuest,
    SetDarkening,
    SetHaze,
    SetLook,
    SetRelief,
)
from .lamps import AimSun, CarryLamp, PickLamp
from .standing import CarryGuest, SizeGuest, StandGuest

DressChange = (
    AddLight | AlterLight | DeleteLight | Block | SetHaze | SetDarkening | SetRelief | SetLook
    | PickLamp | CarryLamp | AimSun
    | AddGuest | AlterGuest | DeleteGuest | DuplicateGuest | PlayGuest | StandGuest | CarryGuest
    | SizeGuest
)  # fmt: skip
