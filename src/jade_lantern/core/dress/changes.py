"""What a client may ask for in Dress."""

from __future__ import annotations

from ..scene.edits import AddLight, AlterLight, DeleteLight, SetHaze, SetLook
from .lamps import AimSun, CarryLamp, PickLamp

DressChange = (
    AddLight | AlterLight | DeleteLight | SetHaze | SetLook | PickLamp | CarryLamp | AimSun
)  # fmt: skip
