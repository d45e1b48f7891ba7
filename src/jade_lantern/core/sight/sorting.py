"""Assignment of the found edges to headings and bearings, and the camera they determine.

A heading is claimed where its evidence exceeds chance (see `evidence`). Further level directions of
enough evidence become bearings. Where the remaining edges run to a point that is not orthogonal to
the other headings, the picture is cropped.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ..arrays import Floats, Indices
from ..camera import tilt_roll_yaw
from ..deadline import check_time
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
    best_turn,
    directions,
    likeliest,
    likely_cameras,
    log_usual,
    named,
    refined,
    solved_from,
)
from .solve import HELD_BEND, HELD_CENTRE

TESTS_UP, TESTS_LEVEL = 1e4, 2e4  # how many points are tested
TESTS_TURN = 400  # how many bearings can be told apart
USUAL_TILT, USUAL_ROLL = 20.0, 8.0  # degrees, standard deviations
BENT = 0.05  # k1 of the bent lenses that are tried beside a straight one
STEPS = 4  # rounds of assigning and solving
MOST_BEARINGS = 4
BEARING_APART = math.radians(4.0)
LEAST_FAMILY = 12  # edges to one point that are needed to show a crop
FOLLOWED = 0.25  # change of the log focal length beyond which a solution is not accepted
UPRIGHT = 0.6  # cosine of the largest roll that is considered
RIVAL = 6.0  # nats by which the best camera has to exceed any other
_TWO = "They fit two cameras about as well: give a focal length, or sort a few by hand."
_FEW = "That is not enough for a camera: take two edges of another heading by hand."
_OPEN = "They leave the focal length open: take edges of a third heading, or give a focal length."


@dataclass(frozen=True)
class Sorting:
    """which: (E,) each edge's direction: 0 Across, 1 Up, 2 Away, 3 and more the bearings in order,
    -1 for none. evidence: of each direction, nats. bearings: turns from Across towards Away,
    degrees. lens: Unsettled where the claimed headings do not determine one."""

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
        check_time()
        focal, rotation = refined(found, lines, *camera)
        if rotation[1, 1] < UPRIGHT or not WIDEST < focal / lines.size < LONGEST:
            continue
        rated.append(_settled(found, focal, rotation))
    if not rated:
        return Sorting(Unsettled(_FEW), nothing)
    best = max(rated, key=lambda view: view.total)
    rival = any(
        view.total > best.total - RIVAL and abs(math.log(view.focal / best.focal)) > FOLLOWED
        for view in rated
    )
    sorting = _claimed(found, lines, best)
    return replace(sorting, lens=Unsettled(_TWO)) if rival else sorting


@dataclass(frozen=True)
class _View:
    """The edges under a camera: evidence of each direction, which edge runs along which, the turns
    of bearings, and how likely all of it is, nats."""

    focal: float
    rotation: Floats
    evidence: tuple[float, ...]
    which: Indices
    turns: tuple[float, ...]
    total: float
    lens: Lens | None = None  # as it was solved from what was seen a step before

    @property
    def headings(self) -> int:
        """How many of Across, Up and Away are claimed."""
        return sum((self.which == h).any() for h in range(3))


def _settled(found: Found, focal: float, rotation: Floats) -> _View:
    """A camera solved again from all the edges that it explains, as long as the evidence grows. It
    is started from a straight lens and from lenses bent either way, because under a straight lens
    the edges of a bent one look like bearings."""
    size = found.longer / 2
    best = None
    for k1 in (0.0, -BENT, BENT):
        lines = Lines.of(found, found.middle, k1 * (size / focal) ** 2)
        view = _viewed(lines, focal, rotation, k1)
        if best is None or view.total > best.total:
            best = view
    assert best is not None
    for _ in range(STEPS):
        if best.headings < 2:
            break
        lens = solved_from(found, best.which, best.rotation, best.focal, bearings=best.turns)
        if isinstance(lens, Unsettled) or abs(math.log(lens.focal_px / best.focal)) > FOLLOWED:
            break
        k1 = lens.small_bend
        lines = Lines.of(found, lens.centre, k1 * (size / lens.focal_px) ** 2)
        off = math.dist(lens.centre, found.middle) / (HELD_CENTRE * found.longer)
        view = _viewed(lines, lens.focal_px, lens.rotation, k1, off)
        if best.lens is not None and view.total <= best.total:
            break
        best = replace(view, lens=lens)
    return best


def _viewed(
    lines: Lines, focal: float, rotation: Floats, k1: float = 0.0, off: float = 0.0
) -> _View:
    """The headings of enough evidence under a camera, and bearings among the remaining edges. Where
    there are only bearings, the first becomes Across. k1: by which the edges were straightened.
    off: the principal point's distance from the middle, in standard deviations."""
    sigma = lines.coarser(SEEN_AT)
    for again in (True, False):
        points = directions(focal, rotation)
        which = likeliest(shares(lines.m, lines.d, lines.length, sigma, points)[0])
        # edges of one heading are no evidence for or against another
        each = []
        for h in range(3):
            open_ = (which == h) | (which < 0)
            m, d, length = lines.m[open_], lines.d[open_], lines.length[open_]
            each.append(evidence_for(m, d, length, sigma[open_], points[h]))
        for h in range(3):
            if not stands_out(each[h], TESTS_UP if h == 1 else TESTS_LEVEL):
                which[which == h] = -1
        turns, which, more = _bearings(lines, sigma, focal, rotation, which)
        if not again or not turns or (which == 0).any() or (which == 2).any():
            break
        rotation = _turned(rotation, turns[0])
    claimed = [h for h in range(3) if (which == h).any()]
    kept = directions(focal, rotation, turns)[[*claimed, *range(3, 3 + len(turns))]]
    total = shares(lines.m, lines.d, lines.length, sigma, kept)[1]
    tilt, roll, _ = tilt_roll_yaw(rotation)
    total += log_usual(focal, lines) - math.log(TESTS_TURN) * len(turns)
    total -= 0.5 * ((tilt / USUAL_TILT) ** 2 + (roll / USUAL_ROLL) ** 2)
    total -= 0.5 * ((k1 / HELD_BEND) ** 2 + off**2)
    return _View(focal, rotation, (*each, *more), which, turns, total)


def _turned(rotation: Floats, turn: float) -> Floats:
    """The same camera in a world whose Across is a bearing of this one."""
    a = math.radians(turn)
    across = rotation[:, 0] * math.cos(a) - rotation[:, 2] * math.sin(a)
    up = rotation[:, 1]
    return named(np.stack([across, up, np.cross(across, up)], axis=1))


def _claimed(found: Found, lines: Lines, view: _View) -> Sorting:
    """What can be said of the edges by the likeliest camera."""
    if view.headings < 2:
        return Sorting(Unsettled(_FEW), view.which, view.evidence, view.turns)
    lens: Lens | Unsettled = view.lens or Unsettled(_OPEN)
    if isinstance(lens, Lens):
        freed = _uncropped(found, lines, view, lens)
        if freed is not None:
            return freed
    return Sorting(lens, view.which, view.evidence, view.turns)


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
    if seen.total < view.total:
        return None
    return Sorting(lens, seen.which, seen.evidence, seen.turns)


def _bearings(
    lines: Lines,
    sigma: Floats,
    focal: float,
    rotation: Floats,
    which: Indices,
    known_turns: tuple[float, ...] = (),
) -> tuple[tuple[float, ...], Indices, list[float]]:
    """Level directions that what is left over runs along: their turns behind those that are known,
    the edges sorted by them too, and the evidence for each new one."""
    turns = list(known_turns)
    evidence: list[float] = []
    which = which.copy()
    while len(evidence) < MOST_BEARINGS:
        left = which < 0
        if left.sum() < 3:
            break
        m, d, length = lines.m[left], lines.d[left], lines.length[left]
        known = np.radians([0.0, 90.0, *turns])
        turn = best_turn(m, d, length, sigma[left], rotation, focal, known, BEARING_APART)
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
    standing_out = [NAMES[h] for i, h in enumerate(HEADINGS) if (sorting.which == i).any()]
    more = len(sorting.bearings)
    if more:
        standing_out.append("a bearing" if more == 1 else f"{more} bearings")
    names = " and ".join(
        [", ".join(standing_out[:-1]), standing_out[-1]] if len(standing_out) > 1 else standing_out
    )
    out = f"{count} straight edges were found" if count > 1 else "One straight edge was found"
    if not standing_out:
        return f"{out}; no heading stands out from chance."
    out = f"{out}; {names} {'stands' if len(standing_out) == 1 and not more > 1 else 'stand'} out."
    return out if isinstance(sorting.lens, Lens) else f"{out} {sorting.lens.reason}"


def headings_under(found: Found, lens: Lens) -> Indices:
    """Each edge's heading or bearing under a camera that is known, -1 for none."""
    turns = tuple(turn for turn, _ in lens.bearings.values())
    return _under(Lines.of(found, lens.centre), lens, turns)


def directions_under(found: Found, lens: Lens) -> tuple[Indices, tuple[float, ...]]:
    """The same with the bearings that edges show and nobody has taken; and all bearings' turns,
    degrees: the camera's own first."""
    lines = Lines.of(found, lens.centre)
    known = tuple(turn for turn, _ in lens.bearings.values())
    which = _under(lines, lens, known)
    turns, which, _ = _bearings(
        lines, lines.coarser(SEEN_AT), lens.focal_px, lens.rotation, which, known
    )
    return which, turns


def _under(lines: Lines, lens: Lens, turns: tuple[float, ...]) -> Indices:
    if not len(lines.length):
        return np.zeros(0, np.int64)
    points = directions(lens.focal_px, lens.rotation, turns)
    part, _ = shares(lines.m, lines.d, lines.length, lines.coarser(0.5), points)
    return likeliest(part)
