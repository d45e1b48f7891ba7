"""What a client may ask for in Move."""

from __future__ import annotations

from ..scene.edits import DeleteKey, SetKey, SetKeys, SetShot, SetTrack, ShiftKey
from .ready import KeyHere, Push

MoveChange = SetKey | SetKeys | ShiftKey | DeleteKey | SetShot | SetTrack | Push | KeyHere
