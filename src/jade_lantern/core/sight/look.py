"""A plate as the sighting looks at it: its lightness and colours, and the edges in them."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from ..arrays import Floats
from .edges import Found, found_in
from .sorting import Sorting, sort_edges

Plane = NDArray[np.uint8]


RIM_PX = 4  # how near to what is clear an edge is taken for its rim
MOST_BESIDE = 0.5  # of an edge


def _beside(clear: NDArray[np.bool_], ends: Floats) -> Floats:
    """(E,) the share of each edge, ends (E, 4) px, that runs beside what is clear."""
    wide = cv2.dilate(clear.astype(np.uint8), np.ones((2 * RIM_PX + 1,) * 2, np.uint8))
    t = np.linspace(0.05, 0.95, 19)[:, None]
    x, y = (ends[:, k] * (1 - t) + ends[:, k + 2] * t for k in (0, 1))
    rows, columns = (
        np.clip(v.astype(int), 0, most - 1) for v, most in zip((y, x), clear.shape, strict=True)
    )
    out: Floats = wide[rows, columns].mean(axis=0)
    return out


class Look:
    """What is seen in a plate's pixels (H, W, 3) uint8, worked out when it is first asked for.
    told_mm: the focal length, in 35 mm terms, that its file tells. clear: (H, W) where the plate
    has no picture; the rim of that is no edge in the world."""

    def __init__(
        self,
        pixels: NDArray[np.uint8],
        told_mm: float | None = None,
        clear: NDArray[np.bool_] | None = None,
    ) -> None:
        self.pixels, self.told_mm, self.clear = pixels, told_mm, clear

    @cached_property
    def lightness(self) -> Plane:
        return np.asarray(cv2.cvtColor(self.pixels, cv2.COLOR_RGB2GRAY))

    @cached_property
    def planes(self) -> tuple[Plane, Plane, Plane]:
        """Lightness, red against green, and blue against yellow (H, W) uint8: an edge between two
        colours of one lightness shows in one of the others."""
        r, g, b = (self.pixels[..., i] for i in range(3))
        red = cv2.addWeighted(r, 0.5, g, -0.5, 128)
        blue = cv2.addWeighted(b, 0.5, cv2.addWeighted(r, 0.5, g, 0.5, 0), -0.5, 128)
        return self.lightness, np.asarray(red), np.asarray(blue)

    @cached_property
    def found(self) -> Found:
        """The straight edges that are proposed."""
        found = found_in(self.lightness)
        if self.clear is not None:
            along = _beside(self.clear, found.ends) < MOST_BESIDE
            found = replace(found, ends=found.ends[along], strength=found.strength[along])
        return replace(found, told_mm=self.told_mm)

    @cached_property
    def sorting(self) -> Sorting:
        """Those edges sorted by which way they run, and the camera that they agree on."""
        return sort_edges(self.found)
