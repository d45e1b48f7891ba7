"""Frames of a shot as they will be, one at a time and in any order, for a preview."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..arrays import Bytes
from ..camera import Camera
from ..cast.ofscene import Known, Pixels, targets, throwers
from ..dress.grade import graded, of_frame, tone_of, toned_guests
from ..dress.guests import GuestsOverTime, no_files
from ..dress.ofscene import dress_of_frame
from ..dress.pieces import Files
from ..dress.relief import with_relief
from ..move.frames import render_request
from ..picture.eight import in_eight_bit, over_black
from ..render.dressing import GAMMA
from ..render.film import Plane, film
from ..render.land import Cast
from ..render.pyramid import Pyramid
from ..scene.model import Scene
from ..scene.moment import at
from ..scene.shot import shot_camera
from ..sight.measure import required_camera

Only = Literal["darkening"]


class Preview:
    """What a scene casts, made ready once for all frames of whatever shot goes through it."""

    def __init__(self, scene: Scene, pixels: Pixels, files: Files = no_files) -> None:
        self.sighted, self.pixels = required_camera(scene), pixels
        self._still = {id(proxy) for proxy in scene.proxies}
        self._scene = scene  # held, so that the identities above stay its proxies'
        self._known: Known = {}
        self._plates: dict[tuple[object, ...], Pyramid] = {}
        self._last: tuple[Scene, Cast, Camera] | None = None
        self._guests = GuestsOverTime(pixels, files)

    def frame(self, scene: Scene, number: int, width: int, only: Only | None = None) -> Bytes:
        """(H, W, 3) a frame as it is delivered, but so wide and over black. scene: the one that
        this was made for, but for the shot and what the tracks do over time. only: what is seen by
        itself, on white. Raises Refusal for a frame that the shot does not have."""
        asked = render_request(scene, width, number, number)
        shot = shot_camera(scene, number, self.sighted)
        camera: Camera = asked.frame.of(shot)
        moment = at(scene, float(number))
        dress = dress_of_frame(moment, self._guests.files)
        if only is not None:
            planes: tuple[Plane, ...] = (only,)
            dark = film(self._cast(moment, shot), camera, planes, dress=dress).darkening
            assert dark is not None
            grey = (255 * dark ** (1 / GAMMA) + 0.5).astype(np.uint8)
            return np.repeat(grey[..., None], 3, axis=2)
        made = film(self._cast(moment, shot), camera, dress=dress).beauty
        made = in_eight_bit(graded(made, of_frame(moment.look), number, self._guests.files))
        return over_black(np.ascontiguousarray(made[..., :3]), made[..., 3])

    def _cast(self, moment: Scene, shot: Camera) -> Cast:
        faces = any(one.facing for one in moment.guests)
        last = self._last
        if last is None or last[0] is not moment or (faces and last[2] != shot):
            there = targets(moment, self.sighted, self._known)
            self._known = {key: one for key, one in self._known.items() if key in self._still}
            there += self._guests.targets(moment, shot)
            files, standing = self._guests.files, self._plates
            owners = self._guests.owners(moment)
            laid = toned_guests(moment, self._guests.pictures(moment), owners, files)
            thrown = throwers(
                moment, self.sighted, self.pixels, standing=standing, laid=laid,
                tone=tone_of(moment, files),
            )  # fmt: skip
            thrown = with_relief(moment, thrown, self.pixels, files)
            last = self._last = moment, Cast(there, thrown), shot
        return last[1]

    @property
    def nbytes(self) -> int:
        """About, of its plates."""
        return sum(plate.pixels.nbytes for plate in self._plates.values())
