"""The found edges sorted by which way they run: what can be claimed of them.

A heading is claimed where its evidence stands out from chance (see `evidence`). Level directions
that are left over and stand out are bearings. Where edges that are left over run to a point of
their own, at which no right angle to the other headings can be, the picture is cropped.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ..arrays import Floats, Indices
from .crop import is_off_middle
from .edges import Found
from .evidence import evidence_for, shares, stands_out
from .lens import NAMES, Lens, Unsettled
from .lines import HEADINGS
from .search import (
    LIKELY,
    LONGEST,
    SEEN_AT,
    WIDEST,
    Lines,
    best_crossing,
    directions,
    likeliest,
    likely_cameras,
    log_usual,
    named,
    refined,
    solved_from,
)

TESTS_UP, TESTS_LEVEL = 1e4, 2e4  # how many points are looked at
MOST_BEARINGS = 4
BEARING_APART = math.radians(4.0)
LEAST_FAMILY = 12  # edges that run to one point before they show a crop,
CROP_COSTS = 4.0  # and nats by which it must be likelier than bearings
FOLLOWED = 0.25  # of the log focal length: a solution further off has left the evidence behind
UPRIGHT = 0.6  # cosine of the lean of Up in the picture: nobody holds a camera more askew
RIVAL = 6.0  # nats by which one camera must be likelier than any other one
_TWO = "They fit two cameras about as well: give a focal length, or sort a few by hand."
_FEW = "That is not enough for a camera: take two edges of another heading by hand."
_OPEN = "They leave the focal length open: take edges of a third heading, or give a focal length."


@dataclass(frozen=True)
class Sorting:
    """which: (E,) each edge's direction: 0 Across, 1 Up, 2 Away, 3 and more the bearings in their
    order, -1 for none. evidence: of each direction, nats. bearings: their turns from Across
    towards Away, degrees. lens is Unsettled where the claimed headings carry none."""

    lens: Lens | Unsettled
    which: Indices
    evidence: tuple[float, ...] = (0.0, 0.0, 0.0)
    bearings: tuple[float, ...] = ()


def sort_edges(found: Found) -> Sorting:
    """Sort a picture's edges, and find the camera that they agree on."""
    nothing = np.full(len(found.ends), -1, np.int64)
    if len(found.ends) < 4:
        return Sorting(Unsettled("Too few straight edges were found to tell a camera by."), nothing)
    lines = Lines.of(found, found.middle)
    rated = []
    for camera in likely_cameras(lines):
        focal, rotation = refined(found, lines, *camera)
        if rotation[1, 1] < UPRIGHT or not WIDEST < focal / lines.size < LONGEST:
            continue
        view = _viewed(lines, focal, rotation)
        rated.append((view.total, (focal, rotation), view))
    if not rated:
        return Sorting(Unsettled(_FEW), nothing)
    best, (focal, rotation), view = max(rated, key=lambda r: r[0])
    rival = any(
        total > best - RIVAL and abs(math.log(other / focal)) > FOLLOWED
        for total, (other, _), _ in rated
    )
    sorting = _claimed(found, lines, focal, rotation, view)
    return replace(sorting, lens=Unsettled(_TWO)) if rival else sorting


@dataclass(frozen=True)
class _View:
    """The edges under a camera: evidence of each direction, which edge runs along which, the turns
    of bearings, and how likely all of it is, nats."""

    evidence: tuple[float, ...]
    which: Indices
    turns: tuple[float, ...]
    total: float


def _viewed(lines: Lines, focal: float, rotation: Floats) -> _View:
    """The headings that stand out under a camera, and bearings among what is left."""
    sigma = lines.coarser(SEEN_AT)
    points = directions(focal, rotation)
    each = [evidence_for(lines.m, lines.d, lines.length, sigma, p) for p in points]
    which = likeliest(shares(lines.m, lines.d, lines.length, sigma, points)[0])
    for h in range(3):
        if not stands_out(each[h], TESTS_UP if h == 1 else TESTS_LEVEL):
            which[which == h] = -1
    turns, which, more = _bearings(lines, sigma, focal, rotation, which)
    claimed = [h for h in range(3) if (which == h).any()]
    kept = directions(focal, rotation, turns)[[*claimed, *range(3, 3 + len(turns))]]
    total = shares(lines.m, lines.d, lines.length, sigma, kept)[1]
    total += log_usual(focal, lines.size) - math.log(TESTS_LEVEL) * len(turns)
    return _View((*each, *more), which, turns, total)


def _claimed(found: Found, lines: Lines, focal: float, rotation: Floats, view: _View) -> Sorting:
    """What can be said of the edges by the likeliest camera."""
    which, each = view.which, view.evidence
    claimed = [bool((which == h).any()) for h in range(3)]
    if sum(claimed) < 2:
        return Sorting(Unsettled(_FEW), which, each, view.turns)
    lens = solved_from(found, which, rotation, focal)
    if isinstance(lens, Lens):
        lens = replace(lens, rotation=named(lens.rotation))
        freed = _uncropped(found, lines, view, lens)
        if freed is not None:
            return freed
        if abs(math.log(lens.focal_px / focal)) > FOLLOWED:
            return Sorting(Unsettled(_OPEN), which, each, view.turns)
    return Sorting(lens, which, each, view.turns)


def _uncropped(found: Found, lines: Lines, view: _View, lens: Lens) -> Sorting | None:
    """The camera and headings with the principal point let go, where a third heading shows that
    it is not in the middle; None where none does."""
    which = view.which
    third = int(np.argmin(view.evidence[:3]))
    left = np.nonzero((which < 0) | (which == third) | (which > 2))[0]
    if len(left) < LEAST_FAMILY:
        return None
    m, d, length, sigma = lines.m[left], lines.d[left], lines.length[left], lines.sigma[left]
    evidence, *point = best_crossing(m, d, length, sigma, lines.size)
    if not stands_out(evidence, TESTS_LEVEL):
        return None
    runs = shares(m, d, length, sigma, np.array([point]))[0][:, 0] > LIKELY
    if runs.sum() < LEAST_FAMILY:
        return None
    new = np.where((which == third) | (which > 2), -1, which)
    new[left[runs]] = third
    for _ in range(3):
        freed = solved_from(found, new, lens.rotation, lens.focal_px, lens.centre, True)
        if isinstance(freed, Unsettled) or freed.held or not is_off_middle(freed):
            return None
        lens = replace(freed, rotation=named(freed.rotation))
        new = headings_under(found, lens)
    seen = _viewed(Lines.of(found, lens.centre), lens.focal_px, lens.rotation)
    if seen.total - CROP_COSTS < view.total:
        return None
    return Sorting(lens, seen.which, seen.evidence, seen.turns)


def _bearings(
    lines: Lines, sigma: Floats, focal: float, rotation: Floats, which: Indices
) -> tuple[tuple[float, ...], Indices, list[float]]:
    """Level directions that what is left over runs along: their turns, the edges sorted by them
    too, and the evidence for each."""
    turns: list[float] = []
    evidence: list[float] = []
    which = which.copy()
    grid = np.arange(0.0, 180.0, 0.5)
    while len(turns) < MOST_BEARINGS:
        left = which < 0
        if left.sum() < 3:
            break
        m, d, length = lines.m[left], lines.d[left], lines.length[left]
        wide = np.maximum(sigma[left], 0.5 * length * math.sin(math.radians(0.4)))
        known = np.radians([0.0, 90.0, *turns])
        rated = [
            evidence_for(m, d, length, wide, p)
            if np.abs(np.sin(math.radians(t) - known)).min() > math.sin(BEARING_APART)
            else 0.0
            for t, p in zip(grid, directions(focal, rotation, tuple(grid))[3:], strict=True)
        ]
        turn = float(grid[int(np.argmax(rated))])
        for step in (0.2, 0.05):
            near = tuple(turn + step * k for k in range(-3, 4))
            finer = [
                evidence_for(m, d, length, np.maximum(sigma[left], 0.5 * length * step / 57), p)
                for p in directions(focal, rotation, near)[3:]
            ]
            turn = near[int(np.argmax(finer))] % 180.0
        point = directions(focal, rotation, (turn,))[3]
        found = evidence_for(m, d, length, sigma[left], point)
        if not stands_out(found, TESTS_LEVEL):
            break
        part, _ = shares(m, d, length, sigma[left], point[None])
        mine = np.nonzero(left)[0][part[:, 0] > LIKELY]
        if len(mine) < 3:
            break
        which[mine] = 3 + len(turns)
        turns.append(turn)
        evidence.append(found)
    return tuple(turns), which, evidence


def said_of(found: Found, sorting: Sorting) -> str:
    """What is true of the found edges, in words."""
    count = len(found.ends)
    if not count:
        return "No straight edge was found."
    told = [NAMES[h] for i, h in enumerate(HEADINGS) if (sorting.which == i).any()]
    more = len(sorting.bearings)
    if more:
        told.append("a bearing" if more == 1 else f"{more} bearings")
    names = " and ".join([", ".join(told[:-1]), told[-1]] if len(told) > 1 else told)
    out = f"{count} straight edges were found" if count > 1 else "One straight edge was found"
    if not told:
        return f"{out}; no heading stands out from chance."
    out = f"{out}; {names} {'stands' if len(told) == 1 and not more > 1 else 'stand'} out."
    return out if isinstance(sorting.lens, Lens) else f"{out} {sorting.lens.reason}"


def headings_under(found: Found, lens: Lens, bearings: tuple[float, ...] = ()) -> Indices:
    """Each edge's direction under a camera that is known, -1 for none; 3 and more for bearings."""
    lines = Lines.of(found, lens.centre)
    if not len(lines.length):
        return np.zeros(0, np.int64)
    points = directions(lens.focal_px, lens.rotation, bearings)
    part, _ = shares(lines.m, lines.d, lines.length, lines.coarser(0.5), points)
    return likeliest(part)
