"""Where the trick would show over a shot, frame by frame."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..block.surfaces import meshes
from ..cast.diagnose import Diagnosis, Thrown
from ..move.path import shot_cameras
from ..scene.model import Scene
from ..sight.measure import required_camera
from .frames import Delivery

FINER = 4  # times a frame's width that the lantern's own view is worked out at


def diagnosed(scene: Scene, asked: Delivery) -> Iterator[tuple[int, Diagnosis]]:
    """Each frame's number and its diagnosis, in order, worked out when it is asked for."""
    lantern = required_camera(scene)
    thrown = Thrown(meshes(scene, lantern), lantern, FINER * asked.width)
    numbers = np.arange(asked.first, asked.last + 1)
    for number, camera in zip(
        numbers, shot_cameras(scene, numbers.astype(float), lantern), strict=True
    ):
        yield int(number), thrown.from_(camera.resized(asked.width, asked.height))


def line_of(scene: Scene, number: int, told: Diagnosis) -> dict[str, object]:
    """A frame's diagnosis as it is written out: shares of the frame, in all and by proxy."""
    shown = [p for p in scene.proxies if not p.hidden]
    by = {p.name: told.shares_of(i) for i, p in enumerate(shown)}
    return {
        "frame": number, **told.shares(),
        "by_proxy": {name: s for name, s in by.items() if any(s.values())},
    }  # fmt: skip
