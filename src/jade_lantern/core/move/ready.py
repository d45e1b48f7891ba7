"""Ready moves: a whole shot from one word."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..block.surfaces import meshes
from ..camera import NEAREST, Camera, focal_35mm, world_size
from ..refusal import Refusal
from ..scene.edits import Edit, SetKey, SetKeys
from ..scene.gesture import Gesture
from ..scene.model import Key, Scene
from ..scene.shot import key_from, shot_camera, shot_keys
from ..sight.measure import required_camera
from ..track import Ease
from ..value import Length


class Push(Gesture):
    """From the sighted camera straight in, level with the ground, over the whole shot."""

    verb: Literal["Push"] = "Push"
    distance_m: Length | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        forward = camera.forward * [1, 0, 1]
        forward = forward / max(float(np.linalg.norm(forward)), 1e-9)
        distance = self.distance_m or 0.35 * nearest_depth(scene, camera)
        if scene.move.frames < 2:
            raise Refusal("A push needs at least two frames. Make the shot longer first.")
        first = key_from(camera, 0, aim_distance(camera), _focal_mm(camera))
        shift = forward * distance
        last = first.model_copy(
            update={
                "frame": scene.move.frames - 1,
                "position": _plus(first.position, shift),
                "aim": _plus(first.aim, shift),
            }
        )
        return SetKeys(keys=(first, last), called=f"Push {distance:.2f} m")


class KeyHere(Gesture):
    """A key at a frame, where the shot camera is at that frame already or moved by a step in its
    own axes: right, up and forward, in metres."""

    verb: Literal["KeyHere"] = "KeyHere"
    frame: int
    right_m: float = 0.0
    up_m: float = 0.0
    forward_m: float = 0.0
    turn_deg: float = 0.0
    tilt_deg: float = 0.0
    ease: Ease = "both"

    def edit(self, scene: Scene) -> Edit:
        sighted = required_camera(scene)
        kept: Key | None = next(
            (k for k in shot_keys(scene, sighted) if k.frame == self.frame), None
        )
        camera = shot_camera(scene, self.frame, sighted)
        distance = aim_distance(sighted)
        if kept is None:
            kept = key_from(camera, max(self.frame, 0), distance, _focal_mm(camera))
            kept = kept.model_copy(update={"ease": self.ease})
        step = camera.rotation.T @ [self.right_m, self.up_m, -self.forward_m]
        position = _plus(kept.position, step)
        toward = np.subtract(kept.aim, kept.position)
        length = float(np.linalg.norm(toward))
        yaw = np.arctan2(toward[0], -toward[2]) + np.radians(self.turn_deg)
        tilt = np.clip(np.arcsin(toward[1] / length) + np.radians(self.tilt_deg), -1.55, 1.55)
        ahead = length * np.array(
            [np.sin(yaw) * np.cos(tilt), np.sin(tilt), -np.cos(yaw) * np.cos(tilt)]
        )
        key = kept.model_copy(update={"position": position, "aim": _plus(position, ahead)})
        return SetKey(key=key)


def aim_distance(camera: Camera) -> float:
    """How far ahead an aim is put that nobody has placed: a few eye heights."""
    return 4.0 * world_size(camera)


def nearest_depth(scene: Scene, camera: Camera) -> float:
    """The nearest proxy's depth in the middle of the view, at least two eye heights."""
    depths = []
    for mesh in meshes(scene, camera):
        pixels, depth = camera.project(mesh.points)
        ahead = depth > NEAREST * world_size(camera)
        centre = np.abs(pixels[ahead, 0] / camera.width - 0.5) < 0.5
        depths += depth[ahead][centre].tolist()
    least = 2.0 * world_size(camera)
    return max(min(depths, default=3 * least), least)


def _focal_mm(camera: Camera) -> float:
    return focal_35mm(camera.focal_px, camera.width, camera.height)


def _plus(p: tuple[float, float, float], by: np.ndarray) -> tuple[float, float, float]:
    return float(p[0] + by[0]), float(p[1] + by[1]), float(p[2] + by[2])
