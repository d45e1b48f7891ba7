"""The camera that a scene's sighting carries, by traces or by eye."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..cache import Cache
from ..camera import rotation_of
from ..refusal import Refusal
from ..scene.model import ByEye, Given, Scene, Sighting
from .lens import Lens, Unsettled
from .solve import solve

BY_EYE_FOCAL, BY_EYE_RADIANS = 0.15, math.radians(1.5)  # how well an eye sets them: sigmas
# How truly a trace's points lie, px: a hand's, and those on a found edge, which a long one leaves
# by a share of its length.
BY_HAND_PX, ON_EDGE_PX, CROOKED = 1.0, 0.5, 0.001

# The sighting is stored beside its answer, so that its identity is not given to another object.
_recent: Cache[int, tuple[Sighting, int, int, Lens | Unsettled]] = Cache(
    8 << 20, lambda known: sighting_weight(known[0])
)


def sighting_weight(sighting: Sighting) -> int:
    """About how many bytes a sighting takes with its answer. To weigh all that it holds takes
    longer than to solve it."""
    drawn = len(sighting.traces) + len(sighting.tapes) + len(sighting.rectangles)
    return 4_096 + 1_024 * drawn


def lens_of(sighting: Sighting, width: int, height: int) -> Lens | Unsettled:
    """The camera that a sighting's traces carry, or what is missing.

    Cached by object identity, not equality: scenes are immutable and share unchanged sightings, so
    `is` finds every repeat without comparing.
    """
    known = _recent.get(id(sighting))
    if known and known[0] is sighting and known[1:3] == (width, height):
        return known[3]
    answer = _answer(sighting, width, height)
    _recent.put(id(sighting), (sighting, width, height, answer))
    return answer


def lens_of_scene(scene: Scene) -> Lens | Unsettled:
    return lens_of(scene.sighting, scene.plate.width, scene.plate.height)


def _answer(sighting: Sighting, width: int, height: int) -> Lens | Unsettled:
    if sighting.given is not None:
        return _given(sighting.given, width, height)
    if sighting.by_eye is not None:
        return _by_eye(sighting.by_eye, width, height)
    try:
        lens = _traced(sighting, width, height)
    except Refusal as error:
        return Unsettled(str(error))
    if sighting.backward and isinstance(lens, Lens):
        return replace(lens, rotation=lens.rotation * np.array([-1.0, 1.0, -1.0]))
    return lens


def _traced(sighting: Sighting, width: int, height: int) -> Lens | Unsettled:
    return solve(
        [(t.heading, t.points) for t in sighting.traces],
        width,
        height,
        (sighting.focal.value, sighting.focal.sigma) if sighting.focal else None,
        trust=_weights(sighting),
        principal=sighting.principal,
        bend=sighting.bend
        if sighting.bend is None or sighting.bend == "solve"
        else (sighting.bend.k1, sighting.bend.k2),
        rectangles=sighting.rectangles,
        level=sighting.level,
        exact=sighting.made == "render",
    )


def _weights(sighting: Sighting) -> list[float] | None:
    """How much each trace counts: its trust, and how truly its points lie, those of the truest
    counting in full; None where all count alike. What lies on a found edge lies truer than a hand
    sets it, but for what is built not being quite straight; a renderer's edges are."""
    plain = not any(t.on_edge or t.trust != 1 for t in sighting.traces) and not sighting.trust
    if plain or not sighting.traces:
        return None
    by_heading = {t.heading: t.trust for t in sighting.trust}
    crooked = CROOKED if sighting.made == "photo" else 0.0
    variances = []
    for t in sighting.traces:
        (ax, ay), (bx, by) = t.points[0], t.points[-1]
        along = crooked * math.hypot(bx - ax, by - ay)
        variances.append(ON_EDGE_PX**2 + along**2 if t.on_edge else BY_HAND_PX**2)
    least = min(variances)
    return [
        t.trust * by_heading.get(t.heading, 1.0) * least / v
        for t, v in zip(sighting.traces, variances, strict=True)
    ]


def _given(known: Given, width: int, height: int) -> Lens:
    """A camera that was known before, which is certain."""
    none = np.zeros((8, 8))
    return Lens(
        known.focal_px, np.array(known.axes), none, none, 0.0, np.zeros(0), np.zeros(0),
        np.zeros((0, 8)), 1.0, width, height, known.centre,
    )  # fmt: skip


def _by_eye(seen: ByEye, width: int, height: int) -> Lens:
    """A camera set by hand, with the uncertainty that an eye has."""
    spread = np.zeros((8, 8))
    spread[0, 0] = BY_EYE_FOCAL**2
    spread[1:4, 1:4] = np.eye(3) * BY_EYE_RADIANS**2
    return Lens(
        seen.focal_px, rotation_of(seen.tilt_deg, seen.roll_deg, seen.yaw_deg), spread, spread, 0.0,
        np.zeros(0), np.zeros(0), np.zeros((0, 8)), 1.0, width, height, (width / 2, height / 2),
    )  # fmt: skip
