"""A cut of the shot to another shape, where what it is about stays in it."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..camera import NEAREST, world_size
from ..scene.edits import Edit, SetFrame
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..scene.shot import shot_camera, shot_keys
from ..scene.timed import ShotFrame
from ..sight.measure import required_camera
from ..value import Share


class CutTo(Gesture):
    """Deliver the shot in a size of its own: as much of the picture as its shape holds, about where
    what the camera aims at is over the move."""

    verb: Literal["CutTo"] = "CutTo"
    width: Annotated[int, Field(ge=16, le=16_384)]
    height: Annotated[int, Field(ge=16, le=16_384)]
    overscan: Share = 0.0

    def edit(self, scene: Scene) -> Edit:
        return SetFrame(
            frame=ShotFrame(
                width=self.width, height=self.height, at=subject_at(scene), overscan=self.overscan
            )
        )


def subject_at(scene: Scene) -> tuple[float, float]:
    """Where in the picture, in widths and heights, what the camera aims at first is on average over
    its keys; the middle where it has none."""
    sighted = required_camera(scene)
    keys = shot_keys(scene, sighted)
    if not keys:
        return 0.5, 0.5
    seen = []
    for key in keys:
        pixel, depth = shot_camera(scene, key.frame, sighted).project(np.array(keys[0].aim))
        if depth > NEAREST * world_size(sighted):
            seen.append(pixel / [sighted.width, sighted.height])
    if not seen:
        return 0.5, 0.5
    x, y = np.clip(np.mean(seen, axis=0), 0.0, 1.0).round(4).tolist()
    return x, y
