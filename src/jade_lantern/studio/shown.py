"""What a client draws: derived from a scene, never stored. Parts that a try does not touch are
left out, so that a drag carries little."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from pydantic import BaseModel

from ..core.block.miss import Changed, changed_under
from ..core.block.shape import handles, mesh
from ..core.camera import Camera
from ..core.move.path import shot_cameras
from ..core.refusal import Refusal
from ..core.scene.model import Backdrop, Proxy, Scene
from ..core.sight.measure import camera_of
from ..core.sight.reading import Reading, reading


class HandleShown(BaseModel):
    role: str
    at: tuple[float, float, float]


class ProxyShown(BaseModel):
    """A proxy's mesh, flat: points x y z, triangles and wire as indices, and its handles."""

    id: str
    points: list[float]
    triangles: list[int]
    wire: list[int]
    handles: list[HandleShown]


class ShotShown(BaseModel):
    """The shot camera at every frame: position, rotation rows (world to camera), focal in px."""

    position: list[tuple[float, float, float]]
    rotation: list[list[float]]
    focal_px: list[float]


class KeptShown(BaseModel):
    """What a sighting that was put by comes to."""

    id: str
    reading: Reading


class Shown(BaseModel):
    """None where a part is as it was before."""

    reading: Reading | None = None
    proxies: list[ProxyShown] | None = None
    shot: ShotShown | None = None
    changed: Changed | None = None
    kept: list[KeptShown] | None = None


def shown(scene: Scene, before: Scene | None = None) -> Shown:
    """All that follows from a scene; or only what differs from the scene before it."""
    moved = before is None or before.sighting is not scene.sighting
    out = Shown()
    if moved:
        out.reading = reading(scene)
        if scene.built_on is not None:
            out.changed = changed_under(scene)
    if before is None and scene.kept_sightings:
        out.kept = [
            KeptShown(id=k.id, reading=reading(scene.model_copy(update={"sighting": k.sighting})))
            for k in scene.kept_sightings
        ]
    if not moved and before and before.proxies == scene.proxies and before.move == scene.move:
        return out
    try:
        camera = camera_of(scene)
    except Refusal:
        camera = None
    if camera is None:
        return out if before is not None else out.model_copy(update={"proxies": []})
    old = {p.id: p for p in before.proxies} if before is not None and not moved else {}
    if moved or before is None or before.proxies != scene.proxies:
        out.proxies = [_proxy(p, camera) for p in scene.proxies if old.get(p.id) is not p]
    if moved or before is None or before.move != scene.move:
        out.shot = _shot(scene, camera)
    return out


def _proxy(proxy: Proxy, camera: Camera) -> ProxyShown:
    if isinstance(proxy, Backdrop):
        return _built(proxy, camera)
    return _stood(proxy)


@lru_cache(maxsize=512)
def _stood(proxy: Proxy) -> ProxyShown:
    """What stands in the world does not depend on the camera."""
    anywhere = Camera.centred(2, 2, 1.0, np.eye(3), np.zeros(3))
    return _built(proxy, anywhere)


def _built(proxy: Proxy, camera: Camera) -> ProxyShown:
    made = mesh(proxy, camera)
    return ProxyShown(
        id=proxy.id,
        points=made.points.ravel().tolist(),
        triangles=made.triangles.ravel().tolist(),
        wire=made.wire().ravel().tolist(),
        handles=[HandleShown(role=h.role, at=h.at) for h in handles(proxy)],
    )


def _shot(scene: Scene, camera: Camera) -> ShotShown:
    cameras = shot_cameras(scene, np.arange(scene.move.frames, dtype=float), camera)
    return ShotShown(
        position=[
            (float(c.position[0]), float(c.position[1]), float(c.position[2])) for c in cameras
        ],
        rotation=[c.rotation.ravel().tolist() for c in cameras],
        focal_px=[c.focal_px for c in cameras],
    )
