"""Lights by hand: a lamp that is picked out of the picture or carried along, and a sun that is
aimed by a shadow."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from ..arrays import Bytes, Floats
from ..block.under import under
from ..camera import world_size
from ..pick import Pick, Ray, ray_of
from ..picture.eight import in_eight_bit
from ..refusal import Refusal
from ..scene.dressing import Lamp, Sun
from ..scene.edits import AddLight, AlterLight, Edit
from ..scene.edits.dress import facts_of
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture, PictureGesture
from ..scene.model import Scene
from ..scene.pictures import Pictures
from ..sight.measure import required_camera
from ..value import NEW_ID, Id

BEFORE = 0.3  # of the world's size: how far before the picked surface a lamp is put
RADIUS, REACH = 0.02, 1.2  # of a picked lamp, of the world's size
SEEN = 6  # px of the still each way, that a lamp's colour is taken from
LEAST_SLOPE = 0.01  # sine of the angle at which a ray still meets a plane


class PickLamp(PictureGesture):
    """Put a lamp where something is picked, a little before it, in the colour of the still there:
    that of its brightest pixels, for a lamp in a picture has a dark rim."""

    verb: Literal["PickLamp"] = "PickLamp"
    at: Pick

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        sighted = required_camera(scene)
        found = under(scene, sighted, self.at)
        if found is None:
            raise Refusal("Nothing stands there, so there is no telling how far away the lamp is.")
        size = world_size(sighted)
        x, y, z = (found.point + BEFORE * size * found.normal).tolist()
        colour = (1.0, 1.0, 1.0)
        pixel, depth = sighted.project(found.point)
        if depth > 0:
            still = in_eight_bit(np.asarray(pictures.deep(scene.plate)))
            colour = _colour_at(still, pixel)
        return AddLight(
            light=Lamp(
                id=NEW_ID, name="lamp", colour=colour, x=x, level_m=y, z=z, reach_m=REACH * size,
                radius_m=RADIUS * size,
            )
        )  # fmt: skip


def _colour_at(still: Bytes, pixel: Floats) -> tuple[float, float, float]:
    """The colour of the brightest quarter of the pixels about a place, as bright as can be; white
    beside the picture."""
    x, y = int(pixel[0]), int(pixel[1])
    part = still[max(y - SEEN, 0) : max(y + SEEN, 0), max(x - SEEN, 0) : max(x + SEEN, 0), :3]
    if not part.size:
        return 1.0, 1.0, 1.0
    pixels = part.reshape(-1, 3).astype(float)
    brightest = pixels[np.argsort(pixels.sum(axis=1))[-max(len(pixels) // 4, 1) :]].mean(axis=0)
    if brightest.max() < 1.0:
        return 1.0, 1.0, 1.0
    red, green, blue = (brightest / brightest.max()).round(3).tolist()
    return red, green, blue


class CarryLamp(Gesture):
    """Carry a lamp to under the pointer: aside, as it is looked at, or on its own level. ahead: the
    way that the view looks, which aside is square to."""

    verb: Literal["CarryLamp"] = "CarryLamp"
    light: Id
    to: Ray
    way: Literal["aside", "level"] = "aside"
    ahead: tuple[float, float, float] = (0.0, 0.0, -1.0)

    def edit(self, scene: Scene) -> Edit:
        lamp = the_one(scene.lights, self.light, "light")
        if not isinstance(lamp, Lamp):
            raise Refusal(f"{lamp.name} stands nowhere, so it cannot be carried.")
        place = np.array([lamp.x, lamp.level_m, lamp.z])
        normal = np.array([0.0, 1.0, 0.0] if self.way == "level" else self.ahead)
        origin, ray = ray_of(required_camera(scene), self.to)
        slope = float(normal @ ray)
        scale = float(np.linalg.norm(ray) * np.linalg.norm(normal))
        far = float(normal @ (place - origin)) / slope if abs(slope) > LEAST_SLOPE * scale else -1.0
        if far <= 0:
            raise Refusal("The lamp cannot be carried there: that is past its level's horizon.")
        x, y, z = (origin + far * ray).round(6).tolist()
        return AlterLight(light=lamp.id, to=facts_of({"x": x, "level_m": y, "z": z}))


class AimSun(Gesture):
    """Turn a sun so that the shadow of one picked place falls on another."""

    verb: Literal["AimSun"] = "AimSun"
    light: Id
    tip: Pick
    shadow: Pick

    def edit(self, scene: Scene) -> Edit:
        sun = the_one(scene.lights, self.light, "light")
        if not isinstance(sun, Sun):
            raise Refusal(f"{sun.name} is no sun, so it cannot be turned by its shadow.")
        sighted = required_camera(scene)
        tip, shadow = under(scene, sighted, self.tip), under(scene, sighted, self.shadow)
        if tip is None or shadow is None:
            raise Refusal("Nothing stands there: pick a place on a thing, and one on what is lit.")
        way = tip.point - shadow.point
        length = float(np.linalg.norm(way))
        if length < 1e-6 * world_size(sighted):
            raise Refusal("Both places are one, so they say no direction.")
        x, y, z = (way / length).tolist()
        turn, height = math.degrees(math.atan2(x, z)), math.degrees(math.asin(y))
        to = {"turn_deg": round(turn, 4), "height_deg": round(height, 4)}
        return AlterLight(light=sun.id, to=facts_of(to))
