"""Another picture in the place of a still."""

from __future__ import annotations

from typing import Literal

import cv2

from ..refusal import Refusal
from ..scene.edits import ReplaceStill
from ..scene.model import Scene
from ..scene.pictures import Pictures, brought, require_one_picture
from ..scene.plate import Plate
from ..scene.restill import Fit, around_fit, same_shape, whole_fit, within_fit

# What a picture of another shape shows: more than the still did, a part of it, or the same, pulled.
Shows = Literal["more", "part", "pulled"]


def replacing(scene: Scene, plate: Plate, shows: Shows | None, pictures: Pictures) -> ReplaceStill:
    """The edit that puts a plate in the place of the still. pictures: where the plate's is, and one
    that is pulled is kept.

    Raises Refusal where it is of another shape and nothing is said of what it shows, and where
    something that is drawn would be outside of it.
    """
    old = scene.plate
    if plate.digest == old.digest:
        raise Refusal("This is the very picture that is there already.")
    if same_shape(old, plate):
        return _put(plate, whole_fit(old, plate))
    if shows is None:
        raise Refusal(
            f"{plate.name} is {plate.width} × {plate.height}, of another shape than the frame's "
            f"{old.width} × {old.height}. Say whether it shows more than the frame, a part of it, "
            "or is to be pulled to it. Nothing was changed."
        )
    if shows == "pulled":
        require_one_picture(plate, "pulling")
        scale = max(plate.width / old.width, plate.height / old.height)
        size = max(round(old.width * scale), 1), max(round(old.height * scale), 1)
        pulled = cv2.resize(pictures.deep(plate), size, interpolation=cv2.INTER_CUBIC)
        made = brought(pictures, plate.name, pulled)
        return _put(made, whole_fit(old, made))
    fit = around_fit(old, plate) if shows == "more" else within_fit(old, plate)
    if shows == "part":
        outside = sum(_outside(fit.point(p), plate) for p in _drawn(scene))
        if outside:
            raise Refusal(
                f"{outside} points that are drawn would lie outside of {plate.name}, so it was not "
                "taken as a part of the frame. Say that it shows more, or delete them first."
            )
    return _put(plate, fit)


def _put(plate: Plate, fit: Fit) -> ReplaceStill:
    return ReplaceStill(plate=plate, scale=fit.scale, left=fit.left, top=fit.top)


def _drawn(scene: Scene) -> list[tuple[float, float]]:
    """The points that are drawn over the still."""
    out: list[tuple[float, float]] = []
    kept = [k.sighting for k in scene.kept_sightings]
    for one in (scene.sighting, *kept, *([] if scene.built_on is None else [scene.built_on])):
        lines = [t.points for t in one.traces] + [r.points for r in one.rectangles]
        for points in [*lines, *(t.points for t in one.tapes)]:
            out += list(points)
        out += [] if one.datum is None else [one.datum]
    return out


def _outside(p: tuple[float, float], plate: Plate) -> bool:
    return not (-1 <= p[0] <= plate.width + 1 and -1 <= p[1] <= plate.height + 1)
