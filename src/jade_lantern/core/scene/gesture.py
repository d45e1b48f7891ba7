"""Something done in a view, which becomes an edit."""

from __future__ import annotations

from typing import Any

from .edits import Edit
from .model import Scene, Value


class Gesture(Value):
    """Picked places or pulled handles; what they come to is worked out from the scene."""

    def edit(self, scene: Scene) -> Edit:
        raise NotImplementedError


class PictureGesture(Value):
    """A gesture that also looks at the plate's pixels (see `sight.look`)."""

    def edit_on(self, scene: Scene, look: Any) -> Edit:
        raise NotImplementedError
