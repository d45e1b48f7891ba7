"""The tones (r, g, b) in which pictures say what is wrong and what is whose, the same as on screen.
Patterns say it too, for eyes that do not tell the tones apart."""

from __future__ import annotations

import colorsys

LEAK = GONE = (255, 143, 107)  # nothing to land on; to be painted out
SPILL = (230, 138, 165)
STRETCH = CRACK = (255, 209, 102)
REVEAL = (111, 201, 216)
OWN, GRID = (79, 197, 154), (148, 168, 160)  # the wire of what takes a plate, and a grid

GOLDEN = 0.6180339887  # of a turn from one hue to the next


def told_apart(number: int) -> tuple[int, int, int]:
    """A colour for each of many things: any few of them are told apart."""
    red, green, blue = colorsys.hsv_to_rgb((GOLDEN * number) % 1.0, 0.65, 0.95)
    return round(255 * red), round(255 * green), round(255 * blue)
