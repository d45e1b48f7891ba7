"""Where the trick would show over a shot, frame by frame."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from ..arrays import Floats
from ..block.surfaces import meshes
from ..cast.diagnose import Diagnosis, Thrown
from ..move.path import shot_cameras
from ..scene.model import Scene
from ..sight.measure import required_camera
from .frames import Delivery, delivery

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


STRIP_WIDTH = 192  # px: enough for shares of a frame, for all frames at once


class Frames(NamedTuple):
    """Shares (F,) of each frame where the trick would show, and where it is worst."""

    leak: Floats
    spill: Floats
    stretch: Floats
    reveal: Floats

    @property
    def worst(self) -> int:
        return int(np.argmax(self.leak + self.spill + self.stretch + self.reveal))


def whole_move(scene: Scene) -> Frames:
    """Each frame of the shot looked at small. Frames that stand still are looked at once."""
    asked = delivery(scene, min(STRIP_WIDTH, scene.plate.width))
    lantern = required_camera(scene)
    thrown = Thrown(meshes(scene, lantern), lantern, FINER * asked.width)
    numbers = np.arange(asked.first, asked.last + 1).astype(float)
    told: dict[tuple[float, ...], tuple[float, ...]] = {}
    rows = []
    for camera in shot_cameras(scene, numbers, lantern):
        key = (*camera.position, *camera.rotation.ravel(), camera.focal_px)
        if key not in told:
            found = thrown.from_(camera.resized(asked.width, asked.height)).shares()
            told[key] = tuple(found[name] for name in Frames._fields)
        rows.append(told[key])
    return Frames(*np.array(rows).T)
