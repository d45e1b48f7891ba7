"""From a place picked in a view to a place in the world.

A picked place is a ray: a pixel of the plate seen from the sighted camera, or a ray given
outright, as the walk view does.
"""

from __future__ import annotations

import numpy as np

from .arrays import Floats
from .camera import Camera
from .refusal import Refusal
from .value import Point2, Point3, Value

LEVEL_SLOPE = 1e-5  # a ray sinking less than this, as a share of its length, never meets the ground


class Ray(Value):
    """A ray in the world, as a view other than the lens picks it."""

    origin: Point3
    direction: Point3


Pick = Point2 | Ray


def ray_of(camera: Camera, pick: Pick) -> tuple[Floats, Floats]:
    """Origin (3,) and direction (3,) of a picked place."""
    if isinstance(pick, Ray):
        return np.array(pick.origin, float), np.array(pick.direction, float)
    return camera.position, camera.rays(np.array(pick, float))


def on_level(camera: Camera, pick: Pick, level_m: float = 0.0) -> Floats:
    """The point (3,) where a picked place meets the ground, or a level above it.

    Raises Refusal where the place is above the horizon, or so near it that it shows no ground.
    """
    origin, ray = ray_of(camera, pick)
    drop = float(origin[1]) - level_m
    if drop == 0 or -ray[1] * np.sign(drop) <= LEVEL_SLOPE * np.linalg.norm(ray):
        raise Refusal("This point is above the horizon, so it is not on the ground.")
    out: Floats = origin + ray * (drop / -ray[1])
    return out


def height_over(camera: Camera, feet: Floats, top: Pick) -> float:
    """How high a picked place lies over whichever of the feet (N, 3) has its upright pass nearest
    to it, metres; negative below the foot.

    Raises Refusal where the picked place's ray comes near no upright.
    """
    origin, ray = ray_of(camera, top)
    flat = ray[[0, 2]]
    square = float(flat @ flat)
    along = (feet - origin)[:, [0, 2]] @ flat / square if square > 1e-12 else np.zeros(len(feet))
    ahead = along > 0
    if not ahead.any():
        raise Refusal("This point does not lie above the foot. Pick the top of the same thing.")
    feet, along = feet[ahead], along[ahead]
    nearest = origin + along[:, None] * ray
    aside = np.hypot(nearest[:, 0] - feet[:, 0], nearest[:, 2] - feet[:, 2]) / along
    best = int(np.argmin(aside))
    return float(nearest[best, 1] - feet[best, 1])
