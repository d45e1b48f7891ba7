"""Tests for a principal point off the middle, and for a bent lens."""

from __future__ import annotations

import math

from ..scene.model import Sighting
from .consensus import LEAST_SIGMA_PX
from .lens import Lens, Unsettled
from .sighted import lens_of

CLEAR = 3.0  # standard deviations off the middle from which a principal point counts as off it,
OFF = 0.02  # and share of the longer side
SURE = 12.0  # F ratio from which freeing it is advised, and the least degrees of freedom
LEAST_SPARE = 3
FARTHEST = 0.35  # of the longer side; further off, wrong headings are likelier than a crop


def is_off_middle(lens: Lens) -> bool:
    """Whether a principal point that was let go is carried, and tells a crop or a shift."""
    if lens.held or not lens.freed:
        return False
    off = math.hypot(lens.centre[0] - lens.width / 2, lens.centre[1] - lens.height / 2)
    longer = max(lens.width, lens.height)
    return max(CLEAR * max(lens.centre_sigma), OFF * longer) < off < FARTHEST * longer


def seems_cropped(sighting: Sighting, lens: Lens) -> bool:
    """Whether the traces agree so much better with the principal point let go that it cannot be
    chance."""
    if sighting.principal is not None or sighting.by_eye is not None:
        return False
    freed = lens_of(sighting.model_copy(update={"principal": "solve"}), lens.width, lens.height)
    plain = _plain(sighting, lens)
    return isinstance(freed, Lens) and is_off_middle(freed) and _better(plain, freed, 2)


def seems_bent(sighting: Sighting, lens: Lens) -> bool:
    """Whether the traces agree so much better under a bent lens that it cannot be chance."""
    if sighting.bend is not None or sighting.by_eye is not None:
        return False
    freed = lens_of(sighting.model_copy(update={"bend": "solve"}), lens.width, lens.height)
    if isinstance(freed, Unsettled) or abs(freed.bend[0]) < CLEAR * freed.bend_sigma[0]:
        return False
    return _better(_plain(sighting, lens), freed, 1)


def _plain(sighting: Sighting, lens: Lens) -> Lens:
    """The camera with the principal point and the bending held in place."""
    plain = lens_of(sighting.model_copy(update={"made": "render"}), lens.width, lens.height)
    return plain if isinstance(plain, Lens) else lens


def _better(lens: Lens, freed: Lens, more: int) -> bool:
    """An F test: whether so many more free parameters are worth their cost."""
    sound = freed.kept > 0
    held, let_go = (float((x.misfits[sound] ** 2).sum()) for x in (lens, freed))
    spare = int(sound.sum()) - 4 - more
    if spare < LEAST_SPARE:
        return False
    return (held - let_go) / more > SURE * max(let_go / spare, LEAST_SIGMA_PX**2)
