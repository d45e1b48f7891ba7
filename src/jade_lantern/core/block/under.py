"""What a picked place stands on: the ground, or whatever proxy is under the pointer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Floats
from ..camera import Camera, world_size
from ..mesh import joined, nearest_triangle
from ..pick import Pick, ray_of
from ..proxy import Proxy, Stood
from ..scene.model import Scene
from ..value import FARTHEST
from .parts import face_at

LEVEL = 0.999  # cosine of the slope up to which a surface counts as level
AS_GROUND = 1e-3  # height, relative to the world's size, below which a surface is the ground


@dataclass(frozen=True)
class Under:
    """point: (3,) in the world. normal: (3,), towards where it is looked at from. proxy: the id of
    what it is on, None for the ground. face: which of the proxy's faces, where it has some.
    distance: from where it is looked at, metres."""

    point: Floats
    normal: Floats
    proxy: str | None
    distance: float
    face: int | None = None


def under(scene: Scene, camera: Camera, pick: Pick) -> Under | None:
    """The nearest surface along a picked place's ray; None where there is none."""
    origin, ray = ray_of(camera, pick)
    ray = ray / np.linalg.norm(ray)
    hit = nearest_along(tuple(p for p in scene.proxies if not p.hidden), camera, origin, ray)
    if origin[1] != 0 and ray[1] * np.sign(origin[1]) < -1e-9:
        far = float(-origin[1] / ray[1])
        up = np.array([0.0, np.sign(origin[1]), 0.0])
        if hit is None or far <= hit.distance * (1 - 1e-9):
            hit = Under(origin + far * ray, up, None, far)
    return hit if hit is None or np.abs(hit.point).max() <= FARTHEST else None


class Surfaces:
    """Some proxies as the camera stands them, for as many rays as are asked."""

    def __init__(self, proxies: tuple[Proxy, ...], camera: Camera) -> None:
        self.proxies, self.camera = proxies, camera
        self.corners, self.owner, _ = joined([p.mesh(camera) for p in proxies])

    def nearest(self, origin: Floats, ray: Floats, beyond: float = 0.0) -> Under | None:
        """The nearest surface along a ray (3,) from a place (3,); beyond so many lengths of it.
        None where there is none."""
        length = float(np.linalg.norm(ray))
        ray = ray / length
        start = origin + beyond * length * ray
        far, triangle = nearest_triangle(self.corners, start, ray)
        if triangle < 0:
            return None
        a, b, c = self.corners[triangle]
        normal = np.cross(b - a, c - a)
        normal = normal / np.linalg.norm(normal)
        normal = -normal if normal @ ray > 0 else normal
        mine = int(self.owner[triangle])
        proxy, own = self.proxies[mine], int(triangle - np.searchsorted(self.owner, mine))
        face = face_at(proxy, self.camera, own) if isinstance(proxy, Stood) else None
        return Under(start + far * ray, normal, proxy.id, far + beyond * length, face)


def nearest_along(
    proxies: tuple[Proxy, ...], camera: Camera, origin: Floats, ray: Floats, beyond: float = 0.0
) -> Under | None:
    """See `Surfaces.nearest`."""
    return Surfaces(proxies, camera).nearest(origin, ray, beyond)


def level_under(scene: Scene, camera: Camera, pick: Pick) -> float:
    """The level that something stood at a picked place stands on: that of a level surface under
    it, else the ground's."""
    on = under(scene, camera, pick)
    if on is None or on.proxy is None or on.normal[1] < LEVEL:
        return 0.0
    level = float(on.point[1])
    return 0.0 if abs(level) < AS_GROUND * world_size(camera) else round(level, 9)
