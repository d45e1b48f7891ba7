"""A change of zero or size, with everything that stands in the world carried along."""

from __future__ import annotations

from ..refusal import Refusal
from ..scene.edits import Edit, Resettle, SettleEdit, apply
from ..scene.model import Scene
from .measure import stand
from .solve import Unsettled, lens_of_scene


def settled(scene: Scene, edit: SettleEdit) -> Edit:
    """The edit to keep: the same, or one that also carries proxies and keys.

    Raises Refusal where the new zero or size cannot be, for example a datum above the horizon.
    """
    after = apply(scene, edit)
    lens = lens_of_scene(after)
    if isinstance(lens, Unsettled):
        return edit
    new = stand(lens, after.sighting)
    old = stand(lens, scene.sighting)
    if new is None:
        if scene.proxies or scene.move.keys:
            raise Refusal(
                "Proxies stand on this zero and size, so it was kept. Give another in its place, "
                "or delete the proxies first."
            )
        return edit
    if old is None or not (scene.proxies or scene.move.keys):
        return edit
    scale = new.eye_height_m / old.eye_height_m
    x, y, z = new.position - scale * old.position
    return Resettle(change=edit, scale=scale, shift=(float(x), float(y), float(z)))
