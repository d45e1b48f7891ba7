"""What a client may ask for in Dress."""

from __future__ import annotations

from ..scene.edits import AddLight, AlterLight, DeleteLight, SetHaze, SetLook

DressChange = AddLight | AlterLight | DeleteLight | SetHaze | SetLook
