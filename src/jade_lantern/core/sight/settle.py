"""A change of zero, size or the headings' ways, with everything that stands in the world carried
along."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..refusal import Refusal
from ..scene.edits import Edit, Resettle, SettleEdit, SetWays, apply
from ..scene.gesture import Gesture
from ..scene.model import Scene
from .lens import Unsettled
from .measure import placement
from .sighted import lens_of, lens_of_scene


def settled(scene: Scene, edit: SettleEdit) -> Edit:
    """The edit to keep: the same, or one that also carries proxies and keys.

    Raises Refusal where the new zero or size cannot be, for example a datum above the horizon.
    """
    if scene.sighting.given is not None:
        raise Refusal(
            "The camera was brought in with its place, so zero and size are its file's. Let it go "
            "first, or bring it in again at another eye height."
        )
    after = apply(scene, edit)
    lens, before = lens_of_scene(after), lens_of_scene(scene)
    if isinstance(lens, Unsettled) or isinstance(before, Unsettled):
        return edit
    new = placement(lens, after.sighting)
    old = placement(before, scene.sighting)
    if new is None:
        if _stands(scene):
            raise Refusal(
                "Proxies stand on this zero and size, so it was kept. Give another in its place, "
                "or delete the proxies first."
            )
        return edit
    if old is None or not _stands(scene):
        return edit
    turn = lens.rotation.T @ before.rotation
    angle = round(float(np.degrees(np.arctan2(turn[0, 2], turn[0, 0]))) / 90) * 90.0
    a = np.radians(angle)
    about_up = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
    scale = new.eye_height_m / old.eye_height_m
    x, y, z = new.position - scale * (about_up @ old.position)
    return Resettle(change=edit, scale=scale, shift=(float(x), float(y), float(z)), turn_deg=angle)


def _stands(scene: Scene) -> bool:
    """Whether anything has its place in the world."""
    views = any(lantern.view is not None for lantern in scene.lanterns)
    return bool(scene.proxies or scene.move.keyed or scene.labels or views)


class TurnWays(Gesture):
    """Turn which way Across and Away run: a quarter to the left or right seen from above, half
    round, or swapped so that Away goes on running into the picture."""

    verb: Literal["TurnWays"] = "TurnWays"
    by: Literal["left", "right", "round", "swap"]

    def edit(self, scene: Scene) -> Edit:
        sighting = scene.sighting
        if sighting.by_eye is not None:
            turn = {"left": 90.0, "right": -90.0, "round": 180.0, "swap": 90.0}[self.by]
            yaw = (sighting.by_eye.yaw_deg + turn + 180) % 360 - 180
            return settled(scene, SetWays(swap=False, backward=False, yaw_deg=yaw))
        if self.by == "round":
            return settled(scene, SetWays(swap=False, backward=not sighting.backward))
        plain = SetWays(swap=True, backward=False)
        if self.by == "swap":
            return settled(scene, plain)
        now = lens_of_scene(scene)
        then = lens_of(apply(scene, plain).sighting, scene.plate.width, scene.plate.height)
        if isinstance(now, Unsettled) or isinstance(then, Unsettled):
            raise Refusal("There is no camera yet, so there is nothing to turn.")
        s = 1.0 if self.by == "left" else -1.0
        quarter = np.array([[0.0, 0, s], [0, 1, 0], [-s, 0, 0]])
        as_wanted = float(np.trace(then.rotation.T @ now.rotation @ quarter)) > 1
        return settled(scene, SetWays(swap=True, backward=not as_wanted))
