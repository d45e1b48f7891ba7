"""The sky: half a sphere round the lens, going on a little below the horizon."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..mesh import Mesh
from ..value import Length
from .kind import Kind, Numbers

AROUND, UP = 72, 18
BELOW = np.radians(12.0)


class Dome(Kind):
    """Its own frame is the world's, for it stands round the sighted camera."""

    stands: ClassVar[bool] = False

    kind: Literal["dome"] = "dome"
    distance_m: Length

    def own_mesh(self, camera: Camera) -> Mesh:
        points, triangles, faces = _unit()
        return Mesh(camera.position + points * self.distance_m, triangles, faces)

    def frame(self) -> tuple[Floats, Floats]:
        return np.eye(3), np.zeros(3)

    def copied(self) -> Numbers:
        return {"distance_m": self.distance_m * 1.1}


@lru_cache(maxsize=1)
def _unit() -> tuple[Floats, np.ndarray, np.ndarray]:
    """Points, triangles and faces of a dome of one metre, seen from inside."""
    angle = np.arange(AROUND) * 2 * np.pi / AROUND
    height = np.linspace(-BELOW, np.pi / 2, UP + 1)[:-1]
    c, s = np.cos(height)[:, None], np.sin(height)[:, None]
    rings = np.stack([c * np.cos(angle), s + 0 * angle, -c * np.sin(angle)], axis=-1)
    points = np.concatenate([rings.reshape(-1, 3), [[0.0, 1.0, 0.0]]])
    i, j = np.arange(AROUND), (np.arange(AROUND) + 1) % AROUND
    triangles = []
    for ring in range(UP - 1):
        low, high = ring * AROUND, (ring + 1) * AROUND
        triangles += [np.stack([low + j, low + i, high + i], axis=1)]
        triangles += [np.stack([low + j, high + i, high + j], axis=1)]
    last = (UP - 1) * AROUND
    triangles.append(np.stack([last + j, last + i, np.full(AROUND, UP * AROUND)], axis=1))
    every = np.concatenate(triangles).astype(np.int32)
    return points, every, np.zeros(len(every), np.int32)
