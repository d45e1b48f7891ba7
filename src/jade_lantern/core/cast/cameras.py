"""Cameras of a GLB, as places that lanterns are thrown from."""

from __future__ import annotations

import math

import numpy as np
from pydantic import ValidationError

from ..camera import focal_35mm, tilt_roll_yaw
from ..outside.cameras import GlbCamera, read_cameras
from ..outside.process import read_apart
from ..refusal import Refusal
from ..scene.model import LanternView
from ..scene.plate import Plate
from ..value import name_of

LEVEL = 1e-4  # cosine between a turned camera's axes, past which it is bent and no camera any more


def cameras_of(data: bytes, plate: Plate) -> list[tuple[str, LanternView]]:
    """The perspective cameras of a GLB with their names, as they stand at its first moment. Their
    frames are as wide as the plate. One whose frame is wider than its picture gives the whole
    frame. A camera whose numbers cannot be a lantern's is left out.

    Raises Refusal where it cannot be read, or has no such camera.
    """
    every = [(name_of(c.name, "camera"), _view(c, plate)) for c in read_apart(read_cameras, data)]
    out = [(name, view) for name, view in every if view is not None]
    if not out:
        raise Refusal("There is no perspective camera in this GLB.")
    return out


def _view(camera: GlbCamera, plate: Plate) -> LanternView | None:
    lengths = np.linalg.norm(camera.matrix[:3, :3], axis=0)
    if not np.isfinite(camera.matrix).all() or lengths.min() < 1e-9:
        return None
    axes = camera.matrix[:3, :3] / lengths
    if np.abs(axes.T @ axes - np.eye(3)).max() > LEVEL or np.linalg.det(axes) < 0:
        return None
    aspect = camera.aspect or plate.width / plate.height
    width, height = plate.width, max(round(plate.width / aspect), 2)
    focal = height / 2 / math.tan(camera.fov / 2)
    tilt, roll, yaw = tilt_roll_yaw(axes.T)
    x, y, z = camera.matrix[:3, 3].tolist()
    try:
        return LanternView(
            position=(x, y, z), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw, width=width,
            height=height, focal_mm=focal_35mm(focal, width, height),
        )  # fmt: skip
    except ValidationError:
        return None
