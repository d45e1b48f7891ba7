"""Pictures at hand for gestures, without a folder of plates."""

from __future__ import annotations

import hashlib
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jade_lantern.core.picture.eight import eight_bit
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.sight.look import Look


class AtHand:
    """One plate to look at, and whatever is brought. first: the plate's digest, where it is to be
    there again after another has taken its place."""

    def __init__(self, look: Look, first: str = "") -> None:
        self._look = look
        self.brought: dict[str, NDArray[Any]] = {first: look.pixels} if first else {}

    def look(self, plate: Plate) -> Look:
        brought = self.brought.get(plate.digest)
        if brought is None or brought is self._look.pixels:
            return self._look
        return Look(np.ascontiguousarray(eight_bit(brought)[..., :3]))

    def deep(self, plate: Plate) -> NDArray[Any]:
        return self.brought.get(plate.digest, self._look.pixels)

    def file(self, digest: str) -> bytes:
        raise Refusal("This file is not here.")

    def there(self, digest: str) -> bool:
        return digest in self.brought

    def bring(self, pixels: NDArray[Any]) -> str:
        digest = hashlib.sha256(pixels.tobytes()).hexdigest()
        self.brought[digest] = pixels
        return digest
