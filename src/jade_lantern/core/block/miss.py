"""What a changed sighting does to a built scene: how far each proxy now misses its picture."""

from __future__ import annotations

import numpy as np

from ..camera import NEAREST, Camera, tilt_roll_yaw, world_size
from ..refusal import Refusal
from ..scene.model import Scene, Sighting
from ..sight.measure import camera_of
from ..value import Value


class Miss(Value):
    """How far, px, the farthest point of a proxy that is in the picture has moved in it."""

    id: str
    px: float


class Misses(Value):
    """The sighting against the one that the proxies were stood under."""

    of: tuple[Miss, ...]
    focal_px_before: float | None = None
    tilt_deg_before: float | None = None
    roll_deg_before: float | None = None


def camera_under(scene: Scene, sighting: Sighting) -> Camera | None:
    """The camera that another sighting would give the scene, or None."""
    try:
        return camera_of(scene.model_copy(update={"sighting": sighting}))
    except Refusal:
        return None


def misses_under(scene: Scene) -> Misses | None:
    """What has changed since the proxies were stood, or None where nothing has."""
    if scene.built_on is None or not scene.proxies:
        return None
    then, now = camera_under(scene, scene.built_on), camera_under(scene, scene.sighting)
    if then is None or now is None:
        return Misses(of=())
    near, misses = NEAREST * world_size(then), []
    for proxy in scene.proxies:
        if not proxy.stands:
            continue  # it hangs before whatever lens there is
        points = proxy.mesh(then).points
        a, depth = then.project(points)
        b, now_depth = now.project(points)
        seen = (depth > near) & (a >= 0).all(axis=1) & (a <= [then.width, then.height]).all(axis=1)
        if not seen.any():
            seen = depth > near
        off = np.hypot(*(b - a).T)
        off = np.where(now_depth > near, off, float(max(now.width, now.height)))
        if seen.any():
            misses.append(Miss(id=proxy.id, px=float(off[seen].max())))
    tilt, roll, _ = tilt_roll_yaw(then.rotation)
    return Misses(
        of=tuple(misses), focal_px_before=then.focal_px, tilt_deg_before=tilt,
        roll_deg_before=roll,
    )  # fmt: skip
