"""What a changed sighting does to a built scene: how far each proxy now misses its picture."""

from __future__ import annotations

import numpy as np

from ..camera import Camera, tilt_roll_yaw
from ..refusal import Refusal
from ..scene.model import Backdrop, Plane, Point2, Scene, Sighting, Value
from ..sight.measure import camera_of
from .shape import mesh

CLIP_M = 0.05


class Miss(Value):
    """How far, px, the farthest point of a proxy that is in the picture has moved in it."""

    id: str
    px: float


class Changed(Value):
    """The sighting against the one that the proxies were stood under."""

    misses: tuple[Miss, ...]
    focal_px_before: float | None = None
    tilt_deg_before: float | None = None
    roll_deg_before: float | None = None


def camera_under(scene: Scene, sighting: Sighting) -> Camera | None:
    """The camera that another sighting would give the scene, or None."""
    try:
        return camera_of(scene.model_copy(update={"sighting": sighting}))
    except Refusal:
        return None


def changed_under(scene: Scene) -> Changed | None:
    """What has changed since the proxies were stood, or None where nothing has."""
    if scene.built_on is None or not scene.proxies:
        return None
    then, now = camera_under(scene, scene.built_on), camera_under(scene, scene.sighting)
    if then is None or now is None:
        return Changed(misses=())
    misses = []
    for proxy in scene.proxies:
        if isinstance(proxy, Backdrop):
            continue  # it hangs before whatever lens there is
        points = mesh(proxy, then).points
        a, depth = then.project(points)
        b, now_depth = now.project(points)
        seen = (
            (depth > CLIP_M) & (a >= 0).all(axis=1) & (a <= [then.width, then.height]).all(axis=1)
        )
        if not seen.any():
            seen = depth > CLIP_M
        off = np.hypot(*(b - a).T)
        off = np.where(now_depth > CLIP_M, off, float(max(now.width, now.height)))
        if seen.any():
            misses.append(Miss(id=proxy.id, px=float(off[seen].max())))
    tilt, roll, _ = tilt_roll_yaw(then.rotation)
    return Changed(
        misses=tuple(misses), focal_px_before=then.focal_px, tilt_deg_before=tilt,
        roll_deg_before=roll,
    )  # fmt: skip


def plane_under(scene: Scene, camera: Camera, pixel: Point2) -> Plane:
    """The plane of the proxy's face that a pixel shows, in the unit camera's frame.

    Raises Refusal where the pixel shows no proxy.
    """
    ray = camera.rays(np.asarray(pixel, float))
    best, found = np.inf, None
    for proxy in scene.proxies:
        if proxy.hidden or isinstance(proxy, Backdrop):
            continue
        body = mesh(proxy, camera)
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
