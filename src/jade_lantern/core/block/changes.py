"""What a client may ask for in Block."""

from __future__ import annotations

from ..scene.edits import AlterProxy, DeleteProxy, DuplicateProxy
from .gestures import (
    Hang,
    HangDome,
    LayGround,
    PullCorner,
    Raise,
    Reach,
    Slide,
    Stand,
    Swing,
    TurnAlong,
)
from .sheets import CutOutline, RaiseWall

BlockChange = (
    Stand
    | LayGround
    | Hang
    | HangDome
    | CutOutline
    | RaiseWall
    | Reach
    | Slide
    | PullCorner
    | Raise
    | Swing
    | TurnAlong
    | AlterProxy
    | DeleteProxy
    | DuplicateProxy
)
