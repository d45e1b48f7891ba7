"""What is said of a sighting: the verdict with its reason, what is out of the ordinary, and what
to do next."""

from __future__ import annotations

from typing import Literal

from ..scene.model import Sighting, called
from .heading import HeadingReading
from .lens import Lens
from .lines import HEADINGS
from .measure import Placement

Verdict = Literal["Open", "Rough", "Fair", "True"]

MANY_GROSS = 0.2  # share of gross traces above which they are no slips of the hand
FEW = 0.4  # strength below which a heading is pointed out
WIDE_MM, LONG_MM, WIDE_PORTRAIT_MM = 14.0, 200.0, 20.0
LOW_EYE_M, HIGH_EYE_M = 0.3, 3.5


def verdict_of(
    lens: Lens, sighting: Sighting, headings: tuple[HeadingReading, ...]
) -> tuple[Verdict, str]:
    """The verdict and its reason."""
    if sighting.given is not None:
        return "True", f"It is {sighting.given.name}, as its file has it. Check with grid and box."
    if sighting.by_eye is not None:
        return "Rough", "Set by eye: nothing in the picture holds it. Check with grid and figures."
    share = lens.focal_sigma / lens.focal_px
    scale = max(lens.width, lens.height) / 1920
    fit = lens.fit_px / max(scale, 0.25)
    weak, strength = weakest(headings)
    gross = int(lens.disagrees.sum())
    note = ""
    if gross:
        which = f"{gross} edges disagree" if gross > 1 else "One edge disagrees"
        left = "were" if gross > 1 else "was"
        note = f"{which} with the rest and {left} left out. "
    against = _disagreeing_heading(lens)
    if against:
        return "Rough", (
            f"Most of {against} disagrees with the other headings: see under Trust what each two "
            "headings say, and trust some less."
        )
    if gross > max(2, MANY_GROSS * int((lens.kept > 0).sum() + gross)):
        return "Rough", (
            f"{gross} edges disagree with the rest, too many for slips: see under Trust what each "
            "two headings say, and trust some less."
        )
    if share > 0.06:
        return "Rough", (
            f"{note}The focal length is not known well, ± {share:.0%}; {weak} is the weak one."
        )
    if fit > 4:
        return "Rough", (
            f"{note}The traces disagree by {lens.fit_px:.1f} px: see under Trust what each two "
            "headings say, and trust some less; or the picture is cropped or bent: see under Lens."
        )
    absent = [called(h.heading) for h in headings if not h.count]
    if absent and share <= 0.02 and fit <= 1.6:
        return "Fair", f"{note}Nothing is traced along {absent[0]}, so nothing checks the rest."
    if share > 0.02 or fit > 1.6:
        return "Fair", f"{note}Good enough to block; {weak} is the weak one."
    if strength < FEW:
        return "True", f"{note}The numbers are well pinned down, but {weak} rests on little."
    return "True", f"{note}Every heading is well pinned down."


def _disagreeing_heading(lens: Lens) -> str | None:
    """The heading half of whose traces were left out, three at the least: that is no slip."""
    if lens.laid is None:
        return None
    for i, way in enumerate((*HEADINGS, *lens.laid.bearings)):
        mine = lens.disagrees[lens.laid.heading == i]
        if mine.sum() >= 3 and mine.mean() >= 0.5:
            return called(way)
    return None


def weakest(headings: tuple[HeadingReading, ...]) -> tuple[str, float]:
    """The name and strength of the heading that is pinned down least."""
    least = min((h for h in headings[:3] if h.count), key=lambda h: h.strength, default=None)
    return (called(least.heading), least.strength) if least else ("Across", 0.0)


def odd_numbers(lens: Lens, where: Placement | None) -> list[str]:
    """Words for numbers that are out of the ordinary."""
    mm, out = lens.focal_35mm, []
    if lens.height > lens.width and WIDE_MM <= mm < WIDE_PORTRAIT_MM:
        out.append(f"A focal length of {mm:.0f} mm is very wide for an upright picture.")
    if mm < WIDE_MM:
        out.append(f"A focal length of {mm:.0f} mm is extremely wide: check the headings.")
    if mm > LONG_MM:
        out.append(f"A focal length of {mm:.0f} mm is very long: check the headings.")
    if where and not LOW_EYE_M <= where.eye_height_m <= HIGH_EYE_M:
        which = "low" if where.eye_height_m < LOW_EYE_M else "high"
        out.append(
            f"An eye height of {where.eye_height_m:.2f} m is {which}: check the known lengths."
        )
    if abs(lens.numbers[1]) > 12:
        out.append(f"A roll of {abs(lens.numbers[1]):.0f}° is large.")
    return out


def next_step(
    lens: Lens,
    sighting: Sighting,
    verdict: Verdict,
    headings: tuple[HeadingReading, ...],
    where: Placement | None,
) -> str:
    if lens.disagrees.any():
        return "Look at what is marked first in the list: it disagrees with all the others."
    if lens.bend != (0.0, 0.0):
        return "The lens bends the picture. Flatten the plate before going on."
    if sighting.given is not None:
        return "Check with the grid and the test box; then on to Block."
    if sighting.datum is None:
        return "Pick the datum: a corner on the ground that becomes the world's zero."
    if not (sighting.eye_height_m or sighting.distance_m or sighting.tapes):
        return "Give the size: an eye height, a distance, or a tape along a length you know."
    if where is not None and where.lengths_disagree and not sighting.locked:
        return (
            "The known lengths do not agree with each other: see under Zero and size which is off."
        )
    if verdict == "Rough" and sighting.by_eye is None:
        return f"{weakest(headings)[0]} is the weak one. Add a long edge far from its others."
    if not sighting.locked:
        return "Check with the grid and the test box; then lock the sighting and go on to Block."
    return "Locked. On to Block."
