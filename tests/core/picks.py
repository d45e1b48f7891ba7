"""Gestures as a hand makes them: by pixels of the plate."""

import numpy as np

from jade_lantern.core.change import changed
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.measure import required_camera


def pixel(scene: Scene, *place: float) -> tuple[float, float]:
    """Where a place in the world is seen."""
    x, y = required_camera(scene).project(np.array([place]))[0][0]
    return float(x), float(y)


def made(scene: Scene, gesture) -> Scene:
    """The scene after a gesture."""
    return changed(scene, gesture)[1]
