"""The shot camera as numbers in JSON, for whoever reads no GLB or USD; with its plate beside it."""

from __future__ import annotations

import json
import shutil
import zipfile
from collections.abc import Callable
from typing import BinaryIO, Literal

import numpy as np

from ..arrays import Floats
from ..move.rate import exact_rate
from ..refusal import Refusal
from ..scene.model import Scene
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera

Up = Literal["y", "z"]
TO_Z_UP = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])


def plate_name(scene: Scene) -> str:
    """What the plate's file is called beside the camera."""
    plate = scene.plate
    name = plate.name.replace("\\", "/").rsplit("/", 1)[-1].strip(". ") or "plate"
    return f"{name}.zip" if plate.format == "sequence" and not name.endswith(".zip") else name


def require_picture(scene: Scene) -> None:
    """Raises Refusal where there is no picture yet."""
    if scene.plate.awaited:
        raise Refusal("There is no picture yet that could lie beside the camera.")


def camera_zip(
    scene: Scene, opened: Callable[[str], BinaryIO], to: BinaryIO, up: Up = "y", unit_m: float = 1.0
) -> None:
    """Write the camera's JSON and the plate's file, as it came, as a ZIP. opened: a kept file by
    its digest. Raises Refusal where there is no camera, or no picture yet."""
    told = camera_json(scene, up, unit_m)
    require_picture(scene)
    with zipfile.ZipFile(to, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("camera.json", told)
        with (
            opened(scene.plate.digest) as plate,
            archive.open(plate_name(scene), "w", force_zip64=True) as into,
        ):
            shutil.copyfileobj(plate, into, 1 << 20)


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
        "plate": plate_name(scene),
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
