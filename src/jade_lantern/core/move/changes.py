"""What a client may ask for in Move."""

from __future__ import annotations

from ..scene.edits import (
    DeleteKey,
    Drive,
    HoldStill,
    PutShot,
    PutTracks,
    RetimeKeys,
    SetFrame,
    SetKey,
    SetKeys,
    SetShot,
    SetShotTrack,
    SetTrack,
    ShiftKey,
)
from .aimed import AimAt
from .cut import CutTo
from .hinged import KeyProxy, OpenOn
from .limits import KeepWithin
from .ready import ReadyMoves
from .steer import Steer

MoveChange = (
    SetKey | SetKeys | PutShot | SetShotTrack | ShiftKey | RetimeKeys | DeleteKey | Drive | SetFrame
    | SetShot | SetTrack | ReadyMoves | Steer | AimAt | OpenOn | KeyProxy | PutTracks | HoldStill
    | CutTo
    | KeepWithin
)  # fmt: skip
