"""A drum shaped by its outline in the picture."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..pick import Pick, ray_of
from ..proxy import Drum
from ..refusal import Refusal
from ..scene.edits import Edit, altered
from ..scene.model import Scene
from ..value import Id
from .gestures import OfStood


class ShapeDrum(OfStood):
    """Give a drum as many rings as its outline needs: rim is picked along its side in the picture,
    and every place gives the radius at its height. A place at the foot sets the foot's radius, the
    highest one its lip and its height."""

    verb: Literal["ShapeDrum"] = "ShapeDrum"
    proxy: Id
    rim: Annotated[tuple[Pick, ...], Field(min_length=1, max_length=60)]

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        if not isinstance(proxy, Drum):
            raise Refusal(f"A {proxy.kind} has no rings. Choose a drum.")
        found = []
        for pick in self.rim:
            origin, ray = ray_of(camera, pick)
            flat = ray[[0, 2]]
            square = float(flat @ flat)
            if square < 1e-12:
                raise Refusal("From straight above no outline shows. Pick from the side.")
            to = (proxy.foot - origin)[[0, 2]]
            # the ray grazes the round side, so its distance from the axis is the radius there
            t = float(to @ flat) / square
            radius = abs(float(to[0] * flat[1] - to[1] * flat[0])) / np.sqrt(square)
            height = float(origin[1] + t * ray[1]) - proxy.level_m
            if t <= 0 or radius < 1e-4:
                raise Refusal("This place is not beside the drum's middle. Pick on its outline.")
            found.append((height, float(radius)))
        found.sort()
        foot = proxy.radius_m
        if found[0][0] <= 0.03 * max(found[-1][0], 1e-9):
            foot, found = found[0][1], found[1:]
        if not found or found[-1][0] <= 0:
            raise Refusal("Pick at least one place above the drum's foot.")
        height, lip = found[-1]
        rings = tuple((h / height, r) for h, r in found[:-1] if 1e-3 < h / height < 0.999)
        return altered(proxy.id, radius_m=foot, height_m=height, lip_m=lip, rings=rings)
