"""The pictures that a scene needs, and how a gesture comes by them and brings new ones."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from .model import Plate, Scene


class Pictures(Protocol):
    """Where pictures are kept, under the digest of their file."""

    def look(self, plate: Plate) -> Any:
        """A plate as the sighting looks at it (see `sight.look`)."""

    def there(self, digest: str) -> bool:
        """Whether a picture is kept."""

    def bring(self, pixels: NDArray[np.uint8]) -> str:
        """Keep a new picture (H, W, 3), and return its digest. It stays when the edit that it was
        made for is kept."""


def pictures_in(scene: Scene) -> set[str]:
    """The digests of all pictures that a scene needs."""
    plate = scene.plate
    return {plate.digest} if plate.flattened is None else {plate.digest, plate.flattened.digest}
