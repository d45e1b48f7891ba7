"""Laying a tape: a known length in the picture."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from ..camera import Camera
from ..refusal import Refusal
from ..scene.edits import AddTape, Edit
from ..scene.gesture import Gesture
from ..scene.model import Plane, Scene
from ..value import Length, Point2
from .measure import required_camera
from .settle import settled


class LayTape(Gesture):
    """Lay a tape with its measured length: on the ground, upright from its first point's foot, or
    on the proxy that its first point shows."""

    verb: Literal["LayTape"] = "LayTape"
    points: tuple[Point2, Point2]
    length_m: Length
    on_: Literal["ground", "up", "proxy"] = Field(default="ground", alias="on")

    def edit(self, scene: Scene) -> Edit:
        plane = None
        if self.on_ == "proxy":
            plane = plane_under(scene, required_camera(scene), self.points[0])
        tape = AddTape(points=self.points, length_m=self.length_m, on=self.on_, plane=plane)
        return settled(scene, tape)


def plane_under(scene: Scene, camera: Camera, pixel: Point2) -> Plane:
    """The plane of the proxy's face that a pixel shows, in the unit camera's frame.

    Raises Refusal where the pixel shows no proxy.
    """
    ray = camera.rays(np.asarray(pixel, float))
    best, found = np.inf, None
    for proxy in scene.proxies:
        if proxy.hidden or not proxy.stands:
            continue
        body = proxy.mesh(camera)
        for a, b, c in body.points[body.triangles]:
            normal = np.cross(b - a, c - a)
            slope = float(normal @ ray)
            if abs(slope) < 1e-12:
                continue
            t = float(normal @ (a - camera.position)) / slope
            if not 0 < t < best:
                continue
            at = camera.position + t * ray
            inside = [
                float(np.cross(q - p, at - p) @ normal) >= -1e-9 * float(normal @ normal)
                for p, q in ((a, b), (b, c), (c, a))
            ]
            if all(inside):
                best, found = t, (normal / np.linalg.norm(normal), at)
    if found is None:
        raise Refusal("There is no proxy here to lay a tape on.")
    normal, at = found
    size = float(camera.position[1])
    unit = (at - camera.position) / size + [0.0, 1.0, 0.0]
    x, y, z = (float(v) for v in normal)
    return Plane(normal=(x, y, z), offset=float(normal @ unit))
