"""Detection of a heading whose traces run two ways, some of them along a bearing."""

from __future__ import annotations

import numpy as np

from ..arrays import Floats
from ..scene.model import Heading, Sighting
from ..value import Id, Value
from .lens import Lens
from .lines import HEADING_INDEX, LETTERS
from .sighted import lens_of

BETTER = 2.0  # factor by which the fit has to improve, where no trace was left out as gross
LEAST_TURN = 2.0  # least angle, degrees, between the bearing and the heading,
CLEAR = 4.0  # and in standard deviations
LEAST_EACH = 2  # traces on either side


class HeadingSplit(Value):
    """The traces of a heading that are better taken as a bearing of their own, and its letter."""

    heading: Heading
    traces: tuple[Id, ...]
    letter: str
    turn_deg: float


def seems_split(sighting: Sighting, lens: Lens) -> HeadingSplit | None:
    """The traces of a level heading that are better taken as a bearing; None where there are
    none."""
    if sighting.by_eye is not None or lens.laid is None:
        return None
    taken = {t.heading for t in sighting.traces}
    letter = next((c for c in LETTERS if c not in taken), None)
    if letter is None:
        return None
    for heading in ("across", "away"):
        for moved in _parts(sighting, lens, heading):
            split = _tried(sighting, lens, heading, moved, letter)
            if split is not None:
                return split
    return None


def _parts(sighting: Sighting, lens: Lens, heading: Heading) -> list[list[int]]:
    """Index lists of traces that might run another way: those that were left out as gross, and
    those on either side of the widest gap between the directions of single traces."""
    mine = [i for i, t in enumerate(sighting.traces) if t.heading == heading and t.trust > 0]
    if len(mine) < 2 * LEAST_EACH:
        return []
    off = [i for i in mine if lens.disagrees[i]]
    turns = _turns(sighting, lens, mine, heading)
    order = np.argsort(turns)
    gaps = np.diff(turns[order])[LEAST_EACH - 1 : len(mine) - LEAST_EACH]
    cut = int(np.argmax(gaps)) + LEAST_EACH
    low, high = ([mine[k] for k in side] for side in (order[:cut], order[cut:]))
    sides = [min(low, high, key=len), max(low, high, key=len)]
    return [p for p in [off, *sides] if LEAST_EACH <= len(p) <= len(mine) - LEAST_EACH]


def _turns(sighting: Sighting, lens: Lens, which: list[int], heading: Heading) -> Floats:
    """How far each trace's own level direction is turned from its heading, degrees (-90 to 90):
    where the plane through the eye and the trace meets the level."""
    ends = np.array([[sighting.traces[i].points[0], sighting.traces[i].points[-1]] for i in which])
    x = (ends - lens.centre) / lens.focal_px * [1.0, -1.0]
    rays = np.concatenate([x, -np.ones((*x.shape[:2], 1))], axis=-1)
    level = np.cross(np.cross(rays[:, 0], rays[:, 1]), lens.rotation[:, 1])
    world = level @ lens.rotation
    turned = np.degrees(np.arctan2(-world[:, 2], world[:, 0]))
    base = 90.0 * (HEADING_INDEX[heading] == 2)
    out: Floats = (turned - base + 90.0) % 180.0 - 90.0
    return out


def _tried(
    sighting: Sighting, lens: Lens, heading: Heading, moved: list[int], letter: str
) -> HeadingSplit | None:
    traces = tuple(
        t.model_copy(update={"heading": letter}) if i in moved else t
        for i, t in enumerate(sighting.traces)
    )
    new = lens_of(sighting.model_copy(update={"traces": traces}), lens.width, lens.height)
    if not isinstance(new, Lens) or new.laid is None:
        return None
    mine = [i for i, t in enumerate(sighting.traces) if t.heading == heading]
    if new.disagrees[mine].any() or new.disagrees.sum() > lens.disagrees.sum():
        return None
    gross = lens.disagrees[moved].sum() >= LEAST_EACH
    if not gross and new.fit_px * BETTER > lens.fit_px:
        return None
    turn, sigma = new.bearings[letter]
    known = [0.0, 90.0, *(t for way, (t, _) in new.bearings.items() if way != letter)]
    apart = min(abs((turn - t + 90.0) % 180.0 - 90.0) for t in known)
    if apart < max(LEAST_TURN, CLEAR * sigma):
        return None
    ids = tuple(sighting.traces[i].id for i in moved)
    return HeadingSplit(heading=heading, traces=ids, letter=letter, turn_deg=turn)
