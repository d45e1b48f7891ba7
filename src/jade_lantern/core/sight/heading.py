"""How well each heading is known."""

from __future__ import annotations

from ..scene.model import Heading, Sighting, Way
from ..value import Value
from .lens import Lens

ORDER: tuple[Heading, ...] = ("across", "up", "away")


class HeadingReading(Value):
    """One heading or bearing: how many traces, how well they agree, how much they pin down (0 to
    1), and where they meet, as homogeneous pixels. turn: of a bearing, from Across towards Away."""

    heading: Way
    count: int
    fit_px: float | None
    strength: float
    vanishing: tuple[float, float, float] | None
    turn_deg: float | None = None
    turn_sigma_deg: float | None = None


def counted(heading: Way, sighting: Sighting) -> HeadingReading:
    """A heading or bearing while there is no camera."""
    count = sum(t.heading == heading for t in sighting.traces)
    count += sum(2 for r in sighting.rectangles if heading in r.headings)
    return HeadingReading(
        heading=heading, count=count, fit_px=None, strength=min(count / 6, 0.5), vanishing=None
    )


def ways_in(sighting: Sighting) -> tuple[Way, ...]:
    """The headings, and the bearings that traces belong to."""
    return (*ORDER, *sorted({t.heading for t in sighting.traces} - set(ORDER)))


def headings_of(lens: Lens) -> tuple[HeadingReading, ...]:
    """The reading of each heading, Across, Up and Away, and of each bearing."""
    ways = (*ORDER, *lens.bearings)
    return tuple(
        _heading(way, numbers, lens) for way, numbers in zip(ways, lens.headings, strict=True)
    )


def _heading(way: Way, numbers: list[float], lens: Lens) -> HeadingReading:
    count, fit, strength, x, y, w = numbers
    if not count:
        return HeadingReading(heading=way, count=0, fit_px=None, strength=0, vanishing=None)
    turn, sigma = lens.bearings.get(way, (None, None))
    return HeadingReading(
        heading=way, count=int(count), fit_px=fit, strength=strength, vanishing=(x, y, w),
        turn_deg=turn, turn_sigma_deg=sigma,
    )  # fmt: skip
