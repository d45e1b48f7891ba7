"""A frame: what the shot camera sees of the plate thrown onto the proxies."""

from __future__ import annotations

import numpy as np

from ..arrays import Bytes, Floats
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from .film import expose
from .pyramid import Pyramid
from .visibility import Screen, screen


def mappings(seen: Screen, shot: Camera, lantern: Camera) -> Floats:
    """(S, 3, 3) shot pixel to plate pixel for each surface. A plane seen by two cameras is a
    homography (Hartley & Zisserman 2004, ch. 13); scaled so that w is positive before the lantern.
    """
    inverse = np.linalg.inv(shot.projection())
    normal, offset = seen.plane[:, :3], seen.plane[:, 3]
    off = offset - normal @ shot.position
    apart = shot.position - lantern.position
    inner = apart[None, :, None] * normal[:, None, :] / off[:, None, None] + np.eye(3)
    out: Floats = lantern.projection() @ inner @ inverse
    return out


def render(
    meshes: list[Mesh], shot: Camera, lantern: Camera, plate: Pyramid, hold: bool = False
) -> Bytes:
    """One frame (H, W, 4) uint8, straight alpha, of the shot camera's size.

    hold: past the plate's edge its last pixels go on, instead of stopping.
    """
    corners, owner = joined(meshes)
    out = np.zeros((shot.height, shot.width), np.uint32)
    if len(corners):
        seen = screen(corners, owner, shot, NEAREST * world_size(lantern))
        fitted = lantern.resized(plate.width, plate.height)
        expose(
            out, seen.edges, seen.box, seen.surface, seen.inverse_depth,
            mappings(seen, shot, fitted), seen.owner, seen.thin, seen.bin_start, seen.bin_triangles,
            seen.across, seen.down, plate.pixels, plate.start, plate.stride, plate.scale,
            float(plate.width), float(plate.height), hold,
        )  # fmt: skip
    return out.view(np.uint8).reshape(shot.height, shot.width, 4)
