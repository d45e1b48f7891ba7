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

    def deep(self, plate: Plate) -> Any:
        """A plate's pixels with the depth and alpha that its file keeps (see `picture.deep`)."""

    def there(self, digest: str) -> bool:
        """Whether a picture is kept."""

    def bring(self, pixels: NDArray[np.uint8]) -> str:
        """Keep a new picture (H, W, 3), and return its digest. It stays when the edit that it was
        made for is kept."""


def pictures_in(scene: Scene) -> set[str]:
    """The digests of all pictures that a scene needs."""
    plates = [scene.plate]
    for lantern in scene.lanterns:
        plates += [p for p in (lantern.plate, *lantern.earlier, lantern.mask) if p is not None]
    bent = {p.flattened.digest for p in plates if p.flattened is not None}
    return {p.digest for p in plates} | bent
