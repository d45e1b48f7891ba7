"""Where the shot camera is at each frame, from its keys."""

from __future__ import annotations

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Floats
from ..camera import Camera, focal_px_from_35mm, rotation_of, tilt_roll_yaw
from ..track import eased
from .model import Key, Scene


def attitude(key: Key) -> Floats:
    """(3, 3) world-to-camera rotation of a key: looking at its aim, rolled."""
    direction = np.subtract(key.aim, key.position)
    direction = direction / np.linalg.norm(direction)
    tilt = np.degrees(np.arcsin(np.clip(direction[1], -1, 1)))
    yaw = np.degrees(np.arctan2(direction[0], -direction[2]))
    return rotation_of(float(tilt), key.roll_deg, float(yaw))


def key_from(camera: Camera, frame: int, aim_distance_m: float, focal_mm: float) -> Key:
    """The key that puts the shot camera exactly where another camera is."""
    aim = camera.position + camera.forward * aim_distance_m
    _, roll, _ = tilt_roll_yaw(camera.rotation)
    return Key(
        frame=frame,
        position=_point(camera.position),
        aim=_point(aim),
        focal_mm=focal_mm,
        roll_deg=roll,
    )


def shot_camera(scene: Scene, frame: float, sighted: Camera) -> Camera:
    """The shot camera at a frame, of the plate's size. Without keys it is the sighted camera."""
    return shot_cameras(scene, np.array([frame], float), sighted)[0]


def shot_cameras(scene: Scene, frames: Floats, sighted: Camera) -> list[Camera]:
    """The shot camera at each of some frames.

    Position runs along a cubic through the keys that never leaves the span between two of them,
    so that it holds where two keys are equal (Fritsch & Butland 1984). The log of the focal length
    runs straight between keys. The direction turns from each key's own to the next, so that a
    camera that passes its aim does not flip over. An ease makes the speed zero at its end of a
    stretch.
    """
    keys = scene.move.keys
    if not keys:
        return [sighted for _ in frames]
    times = np.array([k.frame for k in keys], float)
    positions = np.array([k.position for k in keys])
    logs = np.log([k.focal_mm for k in keys])
    turns = scipy.spatial.transform.Rotation.from_matrix(np.array([attitude(k) for k in keys]))
    if len(keys) == 1:
        at = np.repeat(positions, len(frames), axis=0)
        rotations = np.repeat(turns.as_matrix(), len(frames), axis=0)
        focal = np.repeat(logs, len(frames))
    else:
        warped = eased(times, [k.ease for k in keys], np.clip(frames, times[0], times[-1]))
        at = scipy.interpolate.PchipInterpolator(times, positions)(warped)
        rotations = scipy.spatial.transform.Slerp(times, turns)(warped).as_matrix()
        focal = np.interp(warped, times, logs)
    w, h = sighted.width, sighted.height
    return [
        Camera(w, h, focal_px_from_35mm(float(np.exp(f)), w, h), r, p, sighted.cx, sighted.cy)
        for f, r, p in zip(focal, rotations, at, strict=True)
    ]


def _point(p: Floats) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])
