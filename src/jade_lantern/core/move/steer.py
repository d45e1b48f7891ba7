"""Moving the shot camera by hand, in its own view."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera, focal_35mm, rotation_of, tilt_roll_yaw, world_size
from ..refusal import Refusal
from ..scene.edits import Edit, SetKey
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..scene.shot import driven, key_from, shot_camera, shot_keys
from ..scene.timed import Key
from ..sight.measure import required_camera
from ..track import Ease
from ..value import Number, Point3, Value

STEEPEST_DEG = 88.0  # nearer to straight up or down a level horizon has no direction
LEAST_AMOUNT = 0.05  # a move that is made by less cannot be keyed through


class SteerStep(Value):
    """A movement of the camera: first round a place (arc_deg about the upright through it, over_deg
    up over it), then a step in its own axes and along a direction in the world, then turned where
    it stands. turn_deg is to the right; the horizon stays as level as it was but for roll_deg. zoom
    multiplies the focal length."""

    right_m: Number = 0.0
    up_m: Number = 0.0
    forward_m: Number = 0.0
    along: Point3 | None = None
    along_m: Number = 0.0
    turn_deg: Number = 0.0
    tilt_deg: Number = 0.0
    roll_deg: Number = 0.0
    zoom: Annotated[float, Field(gt=0.01, lt=100)] = 1.0
    about: Point3 | None = None
    arc_deg: Number = 0.0
    over_deg: Number = 0.0

    def moved(self, camera: Camera) -> Camera:
        """A camera after it."""
        tilt, roll, yaw = tilt_roll_yaw(camera.rotation)
        position = camera.position
        if self.about is not None:
            over = float(np.clip(tilt - self.over_deg, -STEEPEST_DEG, STEEPEST_DEG))
            before = rotation_of(tilt, 0.0, yaw)
            after = rotation_of(over, 0.0, yaw - self.arc_deg)
            own = before @ (position - np.array(self.about))  # stays as it is in the camera's axes
            position = np.array(self.about) + after.T @ own
            tilt, yaw = over, yaw - self.arc_deg
        axes = rotation_of(tilt, roll, yaw)
        position = position + axes.T @ np.array([self.right_m, self.up_m, -self.forward_m])
        if self.along is not None:
            way = np.array(self.along)
            position = position + self.along_m * way / max(float(np.linalg.norm(way)), 1e-12)
        tilt = float(np.clip(tilt + self.tilt_deg, -STEEPEST_DEG, STEEPEST_DEG))
        turn = rotation_of(tilt, roll + self.roll_deg, yaw + self.turn_deg)
        return replace(
            camera, position=position, rotation=turn, focal_px=camera.focal_px * self.zoom
        )


class Steer(Gesture):
    """A key at a frame, where the shot camera is at that frame already, or after some steps from
    there."""

    verb: Literal["Steer"] = "Steer"
    frame: Annotated[int, Field(ge=0, le=100_000)]
    steps: Annotated[tuple[SteerStep, ...], Field(max_length=400)] = ()
    ease: Ease = "both"

    def edit(self, scene: Scene) -> Edit:
        sighted = required_camera(scene)
        kept = next((k for k in shot_keys(scene, sighted) if k.frame == self.frame), None)
        there = shot_camera(scene, self.frame, sighted)
        if kept is not None and not self.steps:
            return SetKey(key=kept)
        distance = aim_distance(sighted)
        if kept is not None:
            distance = float(np.linalg.norm(np.subtract(kept.aim, kept.position)))
        for step in self.steps:
            there = step.moved(there)
        made = _undriven(there, sighted, scene.move.amount)
        mm = focal_35mm(made.focal_px, made.width, made.height)
        if not 2 <= mm <= 2000:
            raise Refusal("A focal length goes from 2 to 2,000 mm, in 35 mm terms.")
        key = key_from(made, self.frame, distance, mm)
        return SetKey(key=key.model_copy(update={"ease": kept.ease if kept else self.ease}))


def _undriven(camera: Camera, sighted: Camera, amount: float) -> Camera:
    """The camera that keys have to say, for a move made by an amount to be at the given one."""
    if amount == 1.0:
        return camera
    if amount < LEAST_AMOUNT:
        raise Refusal(
            f"The move is driven to {100 * amount:.0f} %, where its keys do next to nothing. Drive "
            "it further before keying."
        )
    place, turn, focal = driven(
        sighted, 1.0 / amount, camera.position[None], camera.rotation[None],
        np.array([camera.focal_px]),
    )  # fmt: skip
    return replace(camera, position=place[0], rotation=turn[0], focal_px=float(focal[0]))


def aim_distance(camera: Camera) -> float:
    """How far ahead an aim is put that nobody has placed: a few eye heights."""
    return 4.0 * world_size(camera)


def shifted(key: Key, by: Floats) -> Key:
    """A key with its camera and aim moved by (3,) metres."""
    x, y, z = (np.array(key.position) + by).tolist()
    ax, ay, az = (np.array(key.aim) + by).tolist()
    return key.model_copy(update={"position": (x, y, z), "aim": (ax, ay, az)})
