"""Something done in a view, which becomes an edit."""

from __future__ import annotations

from ..value import Value
from .edits import Edit
from .model import Scene
from .pictures import Pictures


class Gesture(Value):
    """Picked places or pulled handles; what they come to is worked out from the scene."""

    def edit(self, scene: Scene) -> Edit:
        raise NotImplementedError


class PictureGesture(Value):
    """A gesture that also looks at pictures, or brings new ones."""

    def memory_bytes(self, scene: Scene) -> float:
        """About how much memory it takes beside the plate, where that is much."""
        return 0.0

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        raise NotImplementedError
