"""How well each heading is known."""

from __future__ import annotations

from ..scene.model import Heading, Sighting
from ..value import Value
from .lens import Lens
from .lines import HEADING_INDEX

ORDER: tuple[Heading, ...] = ("across", "up", "away")


class HeadingReading(Value):
    """One heading: how many traces, how well they agree, how much they pin down (0 to 1), and
    where they meet, as homogeneous pixels."""

    heading: Heading
    count: int
    fit_px: float | None
    strength: float
    vanishing: tuple[float, float, float] | None


def counted(heading: Heading, sighting: Sighting) -> HeadingReading:
    """A heading while there is no camera."""
    count = sum(t.heading == heading for t in sighting.traces)
    count += sum(2 for r in sighting.rectangles if heading in r.headings)
    return HeadingReading(
        heading=heading, count=count, fit_px=None, strength=min(count / 6, 0.5), vanishing=None
    )


def headings_of(lens: Lens) -> tuple[HeadingReading, ...]:
    """Each heading's reading, Across, Up and Away."""
    return tuple(_heading(h, lens) for h in ORDER)


def _heading(heading: Heading, lens: Lens) -> HeadingReading:
    count, fit, strength, x, y, w = lens.headings[HEADING_INDEX[heading]]
    if not count:
        return HeadingReading(heading=heading, count=0, fit_px=None, strength=0, vanishing=None)
    return HeadingReading(
        heading=heading, count=int(count), fit_px=fit, strength=strength, vanishing=(x, y, w)
    )
