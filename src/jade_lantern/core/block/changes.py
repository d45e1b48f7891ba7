"""What a client may ask for in Block."""

from __future__ import annotations

from ..scene.edits import AlterProxy, DeleteProxy, DuplicateProxy
from .gestures import Hang, LayGround, PullCorner, Raise, Slide, Stand, Swing

BlockChange = (
    Stand
    | LayGround
    | Hang
    | Slide
    | PullCorner
    | Raise
    | Swing
    | AlterProxy
    | DeleteProxy
    | DuplicateProxy
)
