"""What traces lack to carry a camera, in words."""

from __future__ import annotations

from collections.abc import Sequence

from ..arrays import Floats
from ..scene.model import Rectangle
from .lens import NAMES
from .lines import HEADINGS, TraceSet


def missing(laid: TraceSet, focal_known: bool, rectangles: Sequence[Rectangle]) -> str | None:
    """Words for a set of traces too small to say anything, or None."""
    counts = [0] * (3 + len(laid.bearings))
    for heading, trust in zip(laid.heading.tolist(), laid.trust.tolist(), strict=True):
        counts[heading] += int(trust > 0)
    used = sum(int(c > 0) for c in counts)
    proportions = sum(1 for r in rectangles if r.aspect)
    if len(laid) and not sum(counts):
        return "No trace is trusted. Trust at least two headings."
    if sum(counts) == 0:
        return (
            "Nothing is traced yet: take edges that were found, or draw two of one heading and two "
            "of another."
        )
    if not counts[0] and not counts[2] and any(counts[3:]):
        return (
            "Only bearings are traced, and none of Across or Away, which the world is laid out by: "
            "give the traces of one bearing a heading."
        )
    if used == 1:
        return (
            "All traces run one way. One heading alone cannot tell where the camera looks: "
            "trace edges of a second heading."
        )
    turns = sum(int(c > 0) for c in counts[3:])  # each bearing brings an unknown of its own
    if sum(counts) + proportions < (3 if focal_known else 4) + turns:
        return "One more trace is needed before a camera can be found."
    if not focal_known and not proportions and sum(int(c >= 2) for c in counts) < 2:
        return "Two headings need two traces each before the focal length can be found."
    if not focal_known and not proportions and not counts[1] and not (counts[0] and counts[2]):
        return (
            "Level traces at no right angle to each other leave the focal length open: trace Up, "
            "or give a focal length."
        )
    return None


def open_reason(laid: TraceSet, rotation: Floats) -> str:
    """Why the focal length stays open, in words."""
    counts = [int(((laid.heading == h) & (laid.trust > 0)).sum()) for h in range(3)]
    flat = [NAMES[HEADINGS[h]] for h in range(3) if counts[h] >= 2 and abs(rotation[2, h]) < 0.06]
    ways = "trace a third heading, lay a rectangle of known proportions, or give a focal length."
    if flat:
        return (
            f"{' and '.join(flat)} traces run parallel in the picture, so the focal length stays "
            f"open: {ways}"
        )
    thin = [NAMES[HEADINGS[h]] for h in range(3) if 0 < counts[h] < 3]
    where = f" ({' and '.join(thin)})" if thin else ""
    return (
        f"These traces leave the focal length open: add longer ones, further apart{where}, "
        "lay a rectangle of known proportions, or give a focal length."
    )
