"""Sighting by eye: horizon, its tilt, the focal length and the ground pulled over the picture."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from ..camera import Camera, focal_px_from_35mm, rotation_of, tilt_roll_yaw
from ..refusal import Refusal
from ..scene.edits import Edit, SetByEye
from ..scene.gesture import Gesture
from ..scene.model import ByEye, Scene
from ..value import Point2
from .lens import Lens, Unsettled
from .partial import partly
from .sighted import lens_of_scene

USUAL_FOCAL_MM = 35.0


class StartByEye(Gesture):
    """Set the camera by hand from where it is: from the traces' camera where there is one."""

    verb: Literal["StartByEye"] = "StartByEye"

    def edit(self, scene: Scene) -> Edit:
        lens: Lens | Unsettled | None = lens_of_scene(scene)
        plate = scene.plate
        if isinstance(lens, Unsettled) and scene.sighting.traces:
            lens = partly(scene.sighting, plate.width, plate.height)
        if lens is None or isinstance(lens, Unsettled):
            mm = plate.lens.focal_35mm or USUAL_FOCAL_MM
            focal = focal_px_from_35mm(mm, plate.width, plate.height)
            if scene.sighting.focal:
                focal = scene.sighting.focal.value
            return SetByEye(by_eye=ByEye(focal_px=focal))
        tilt, roll, yaw = tilt_roll_yaw(lens.rotation)
        return SetByEye(
            by_eye=ByEye(
                focal_px=lens.focal_px, tilt_deg=min(max(tilt, -85), 85),
                roll_deg=min(max(roll, -85), 85), yaw_deg=yaw,
            )
        )  # fmt: skip


class PullByEye(Gesture):
    """Pull at the picture: the horizon up or down through a point, one of its ends so that it
    tilts about the picture's middle, the ground sideways so that it turns under the camera, or
    the focal length by drawing a point towards the middle or away from it."""

    verb: Literal["PullByEye"] = "PullByEye"
    what: Literal["horizon", "tilt", "ground", "focal"]
    start: Point2
    end: Point2

    def edit(self, scene: Scene) -> Edit:
        seen = scene.sighting.by_eye
        if seen is None:
            raise Refusal("The sighting is by traces. Choose to sight by eye first.")
        new = getattr(self, f"_{self.what}")(seen, scene.plate.width, scene.plate.height)
        return SetByEye(by_eye=new)

    def _through(self, seen: ByEye, point: Point2, width: int, height: int) -> tuple[float, float]:
        return (point[0] - width / 2) / seen.focal_px, -(point[1] - height / 2) / seen.focal_px

    def _horizon(self, seen: ByEye, width: int, height: int) -> ByEye:
        x, y = self._through(seen, self.end, width, height)
        roll = math.radians(seen.roll_deg)
        tilt = -math.degrees(math.atan(x * math.sin(roll) + y * math.cos(roll)))
        return seen.model_copy(update={"tilt_deg": min(max(tilt, -85.0), 85.0)})

    def _tilt(self, seen: ByEye, width: int, height: int) -> ByEye:
        x, y = self._through(seen, self.end, width, height)
        roll, tilt = math.radians(seen.roll_deg), math.radians(seen.tilt_deg)
        # the horizon's own point in the picture's middle column stays
        middle = -math.tan(tilt) / max(math.cos(roll), 0.1)
        if abs(x) < 1e-6:
            return seen
        roll = math.atan(-(y - middle) / x)
        tilt = -math.atan(middle * math.cos(roll))
        return seen.model_copy(
            update={
                "roll_deg": min(max(math.degrees(roll), -85.0), 85.0),
                "tilt_deg": min(max(math.degrees(tilt), -85.0), 85.0),
            }
        )

    def _ground(self, seen: ByEye, width: int, height: int) -> ByEye:
        camera = Camera.centred(
            width, height, seen.focal_px,
            rotation_of(seen.tilt_deg, seen.roll_deg, seen.yaw_deg), np.zeros(3),
        )  # fmt: skip
        a, b = camera.rays(np.array([self.start, self.end], float))
        turn = math.degrees(math.atan2(a[0], -a[2]) - math.atan2(b[0], -b[2]))
        return seen.model_copy(update={"yaw_deg": (seen.yaw_deg + turn + 180) % 360 - 180})

    def _focal(self, seen: ByEye, width: int, height: int) -> ByEye:
        def far(p: Point2) -> float:
            return math.hypot(p[0] - width / 2, p[1] - height / 2)

        ratio = far(self.end) / max(far(self.start), 1.0)
        focal = seen.focal_px * min(max(ratio, 0.2), 5.0)
        size = max(width, height)
        return seen.model_copy(update={"focal_px": min(max(focal, size * 0.15), size * 60.0)})
