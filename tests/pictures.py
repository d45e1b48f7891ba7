"""Pictures at hand for gestures, without a folder of plates."""

from __future__ import annotations

import hashlib

import numpy as np
from numpy.typing import NDArray

from jade_lantern.core.scene.model import Plate
from jade_lantern.core.sight.look import Look


class AtHand:
    """One plate to look at, and whatever is brought."""

    def __init__(self, look: Look) -> None:
        self._look = look
        self.brought: dict[str, NDArray[np.uint8]] = {}

    def look(self, plate: Plate) -> Look:
        return self._look

    def deep(self, plate: Plate) -> NDArray[np.uint8]:
        return self._look.pixels

    def there(self, digest: str) -> bool:
        return digest in self.brought

    def bring(self, pixels: NDArray[np.uint8]) -> str:
        digest = hashlib.sha256(pixels.tobytes()).hexdigest()
        self.brought[digest] = pixels
        return digest
