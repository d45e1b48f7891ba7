"""Maps of where the trick would show, as pictures to lay over a frame."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..arrays import Bytes
from ..picture import tones
from ..render.diagnose import Diagnosis

MapName = Literal["leak", "spill", "stretch", "reveal"]
# tone, and alpha where the map's pattern is drawn; between its strokes it is a quarter of that
DRAWN: dict[MapName, tuple[tuple[int, int, int], int]] = {
    "leak": (tones.LEAK, 235), "spill": (tones.SPILL, 215), "stretch": (tones.STRETCH, 190),
    "reveal": (tones.REVEAL, 225),
}  # fmt: skip


def map_picture(diagnosis: Diagnosis, which: set[str]) -> Bytes:
    """Maps (H, W, 4) over one another: leak hatched one way and reveal the other, spill dotted,
    stretch full. which: the names of those that are drawn."""
    height, width = diagnosis.leak.shape
    y, x = np.mgrid[:height, :width]
    pattern = {
        "leak": (x + y) % 6 < 3, "reveal": (x - y) % 6 < 3,
        "spill": (x % 4 < 2) & (y % 4 < 2), "stretch": np.ones_like(diagnosis.leak),
    }  # fmt: skip
    out = np.zeros((height, width, 4), np.uint8)
    for name, (tone, strength) in DRAWN.items():
        if name in which:
            where = diagnosis.maps[name]
            out[where] = (*tone, strength // 4)
            out[where & pattern[name]] = (*tone, strength)
    return out
