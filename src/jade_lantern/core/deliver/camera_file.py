"""The shot camera as numbers in JSON, for whoever reads no GLB or USD."""

from __future__ import annotations

import json
from typing import Literal

import numpy as np

from ..arrays import Floats
from ..move.rate import exact_rate
from ..scene.model import Scene
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera

Up = Literal["y", "z"]
TO_Z_UP = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])


def camera_json(scene: Scene, up: Up = "y", unit_m: float = 1.0) -> str:
    """The shot camera at each frame. up: which axis of the file's world is up. unit_m: what one of
    its units is, metres.

    position is in the world; axes are the camera's own in the world, one a row: right, up and back
    (it looks along minus the third). Pixels have their origin at the picture's top-left corner.
    Raises Refusal where there is no camera.
    """
    sighted = required_camera(scene)
    move = scene.move
    frames = np.arange(move.frames if move.keyed else 1, dtype=float)
    turn: Floats = np.eye(3) if up == "y" else TO_Z_UP
    rate = exact_rate(move.fps)
    told = {
        "what": "camera",
        "name": "shot camera",
        "plate": scene.plate.name,
        "width_px": sighted.width,
        "height_px": sighted.height,
        "principal_px": [sighted.cx, sighted.cy],
        "unit_m": unit_m,
        "up": up,
        "rate": float(rate),
        "rate_exact": [rate.numerator, rate.denominator],
        "first": move.first,
        "frames": [
            {
                "frame": move.first + k,
                "position": (turn @ one.position / unit_m).tolist(),
                "axes": (one.rotation @ turn.T).tolist(),
                "focal_px": one.focal_px,
                "focal_mm_in_36": one.focal_px * 36.0 / sighted.width,
            }
            for k, one in enumerate(shot_cameras(scene, frames, sighted))
        ],
    }
    return json.dumps(told, indent=1)
