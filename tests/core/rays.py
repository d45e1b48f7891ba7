"""What rays meet, by a ray caster of others' making, and what a frame shows by them."""

from __future__ import annotations

import numpy as np
import trimesh
from trimesh.ray.ray_pyembree import RayMeshIntersector

from jade_lantern.core.camera import Camera
from jade_lantern.core.mesh import Mesh, joined


class Rays:
    """Rays cast on meshes, in single precision."""

    def __init__(self, meshes: list[Mesh]) -> None:
        corners, self.owner, _ = joined(meshes)
        whole = trimesh.Trimesh(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3),
                                process=False)  # fmt: skip
        self.tracer = RayMeshIntersector(whole)

    def first(self, origin, rays):
        """(N,) which mesh each ray meets first, -1 for none, and (N, 3) where."""
        at, which, triangle = self.tracer.intersects_location(
            np.broadcast_to(origin, rays.shape), rays, multiple_hits=False
        )
        owner, place = np.full(len(rays), -1), np.full(rays.shape, np.inf)
        owner[which], place[which] = self.owner[triangle], at
        return owner, place

    def wrong(
        self, lens: Camera, shot: Camera, places: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray]:
        """(N,) leak and reveal at places (N, 2) of a shot's frame, px, where all takes the picture
        that the lens took."""
        owner, place = self.first(shot.position, shot.rays(places))
        there = owner >= 0
        at, depth = lens.project(np.where(there[:, None], place, 0.0))
        inside = there & (depth > 0) & (at >= 0).all(axis=1)
        inside &= (at < [lens.width, lens.height]).all(axis=1)
        towards = np.where(there[:, None], place, 1.0) - lens.position
        _, hit = self.first(lens.position, towards)
        nearer = np.linalg.norm(hit - lens.position, axis=1)
        blocked = nearer < np.linalg.norm(towards, axis=1) * (1 - 1e-4)
        return ~there, there & (blocked | ~inside)


def jittered(width: int, height: int, across: int, seed: int = 1) -> np.ndarray:
    """(N, 2) places in a frame, one at random in each cell of a grid of so many columns."""
    down = round(across * height / width)
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.arange(across), np.arange(down))
    cells = np.stack([x, y], axis=-1).reshape(-1, 2) + rng.random((across * down, 2))
    return cells * [width / across, height / down]
