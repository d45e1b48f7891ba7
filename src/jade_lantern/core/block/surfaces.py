"""The surfaces of a scene, for whoever casts on them."""

from __future__ import annotations

from ..camera import Camera
from ..mesh import Mesh
from ..scene.model import Scene


def meshes(scene: Scene, camera: Camera) -> list[Mesh]:
    """The meshes of all proxies that are not hidden, in the scene's order. camera: the sighted
    one."""
    return [p.mesh(camera) for p in scene.proxies if not p.hidden]
