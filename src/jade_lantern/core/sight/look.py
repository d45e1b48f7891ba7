"""A plate as the sighting looks at it: its lightness and colours, and the edges in them."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from .edges import Found, found_in
from .sorting import Sorting, sort_edges

Plane = NDArray[np.uint8]


class Look:
    """What is seen in a plate's pixels (H, W, 3) uint8, worked out when it is first asked for.
    told_mm: the focal length, in 35 mm terms, that its file tells."""

    def __init__(self, pixels: NDArray[np.uint8], told_mm: float | None = None) -> None:
        self.pixels, self.told_mm = pixels, told_mm

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
        return replace(found_in(self.lightness), told_mm=self.told_mm)

    @cached_property
    def sorting(self) -> Sorting:
        """Those edges sorted by which way they run, and the camera that they agree on."""
        return sort_edges(self.found)
