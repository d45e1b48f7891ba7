"""What a client may ask for in Block."""

from __future__ import annotations

from ..scene.edits import (
    AddProxies,
    AlterProxies,
    AlterProxy,
    DeleteLabel,
    DeleteProxies,
    DeleteProxy,
    DuplicateProxy,
    Reorder,
    Unweld,
)
from .gestures import (
    Hang,
    HangDome,
    LayGround,
    PullCorner,
    Raise,
    Slide,
    Stand,
    Swing,
    TurnAlong,
)
from .grow import GrowOutline, TraceOutline
from .hinges import SwingOnEdge, TurnOnEdge
from .labels import ReadOff
from .over import MeetEdges, RunOver
from .pull import PullPart, WeldCorners
from .reach import Reach
from .repeats import BreakOff, MirrorAcross, RowAlong
from .rims import ShapeDrum
from .sheets import CutOutline, RaiseWall
from .spans import StretchSpan
from .turning import AlignTo, SettleOnto, Turn
from .works import CloseOff, Cut, DropFaces, OpenHole, PushFace, SetIn, Thicken

BlockChange = (
    Stand
    | LayGround
    | Hang
    | HangDome
    | CutOutline
    | TraceOutline
    | GrowOutline
    | RaiseWall
    | StretchSpan
    | Reach
    | Slide
    | PullCorner
    | PullPart
    | WeldCorners
    | Unweld
    | Raise
    | Swing
    | Turn
    | TurnOnEdge
    | SwingOnEdge
    | TurnAlong
    | AlignTo
    | SettleOnto
    | ShapeDrum
    | Cut
    | PushFace
    | SetIn
    | DropFaces
    | CloseOff
    | OpenHole
    | Thicken
    | RunOver
    | MeetEdges
    | MirrorAcross
    | RowAlong
    | BreakOff
    | ReadOff
    | DeleteLabel
    | AlterProxy
    | AlterProxies
    | DeleteProxy
    | DeleteProxies
    | DuplicateProxy
    | Reorder
    | AddProxies
)
