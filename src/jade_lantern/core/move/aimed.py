"""What the shot camera is aimed at, from a frame on: a picked place, a proxy that is followed, or
the direction in which it looks there."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..block.under import under
from ..pick import Pick
from ..refusal import Refusal
from ..scene.edits import Edit, SetShotTrack
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..scene.shot import shot_camera
from ..sight.measure import required_camera
from ..track import AimKey, Ease
from ..value import Id


class AimAt(Gesture):
    """Aim the camera at something from a frame on. at: a picked place. proxy: one that is followed
    wherever it goes, by its middle. Without either, the way that it looks at that frame.
    throughout: all other keys of the aim go, so that it is aimed at for the whole shot."""

    verb: Literal["AimAt"] = "AimAt"
    frame: Annotated[int, Field(ge=0, le=100_000)]
    at: Pick | None = None
    proxy: Id | None = None
    throughout: bool = False
    ease: Ease = "both"

    def edit(self, scene: Scene) -> Edit:
        key = self._key(scene)
        others = () if self.throughout else scene.move.aim
        keys = [*(k for k in others if k.frame != self.frame), key]
        return SetShotTrack(of="aim", keys=tuple(sorted(keys, key=lambda k: k.frame)))

    def _key(self, scene: Scene) -> AimKey:
        sighted = required_camera(scene)
        if self.proxy is not None:
            points = the_one(scene.proxies, self.proxy, "proxy").full_mesh(sighted).points
            x, y, z = ((points.min(axis=0) + points.max(axis=0)) / 2).tolist()
            return AimKey(frame=self.frame, at=(x, y, z), ease=self.ease, proxy=self.proxy)
        if self.at is not None:
            found = under(scene, sighted, self.at)
            if found is None:
                raise Refusal("Nothing stands where was picked, so it cannot be aimed at.")
            x, y, z = found.point.tolist()
            return AimKey(frame=self.frame, at=(x, y, z), ease=self.ease)
        x, y, z = np.round(shot_camera(scene, self.frame, sighted).forward, 9).tolist()
        return AimKey(frame=self.frame, at=(x, y, z), ease=self.ease, way=True)
