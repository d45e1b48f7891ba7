"""The blocking drawn at each frame of a shot."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..begin.drawing import drawings
from ..move.frames import RenderRequest
from ..picture import png
from ..scene.model import Scene
from ..scene.moment import at
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera


def shot_drawings(scene: Scene, asked: RenderRequest) -> Iterator[list[tuple[str, bytes]]]:
    """The drawings of each frame, by name a PNG in a folder of its own (see `drawings`). Raises
    Refusal where there is no camera, or nothing stands."""
    sighted = required_camera(scene)
    numbers = np.arange(asked.first, asked.last + 1)
    cameras = shot_cameras(scene, numbers.astype(float), sighted)
    for number, camera in zip(numbers.tolist(), cameras, strict=True):
        made = drawings(at(scene, float(number)), asked.frame.of(camera))
        shown = scene.move.first + number
        yield [(f"{name}/{name}.{shown:05d}.png", png(one)) for name, one in made.items()]
