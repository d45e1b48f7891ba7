"""Pictures that a painter lays over a plate: the wire of what stands there, and a grid."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np

from ..arrays import Bytes, Floats
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from ..picture import tones
from ..render.see import see

GRID_REACH = 40  # of the spacing, either way


def wire_guide(camera: Camera, own: list[Mesh], gone: list[Mesh]) -> Bytes:
    """(H, W, 4) the edges of what takes a plate, and of what is to be painted out of it."""
    out = _clear(camera)
    for meshes, colour in ((own, tones.OWN), (gone, tones.GONE)):
        for mesh in meshes:
            _draw(out, camera, mesh.points[mesh.wire], colour)
    return out


def grid_guide(camera: Camera) -> Bytes:
    """(H, W, 4) the ground's grid, a line every metre, or more where the place is large."""
    spacing = 10.0 ** np.floor(np.log10(max(world_size(camera), 1e-3) / 0.8))
    foot = np.round(camera.position[[0, 2]] / spacing) * spacing
    at = np.arange(-GRID_REACH, GRID_REACH + 1) * spacing
    far = GRID_REACH * spacing
    ends = [((foot[0] + k, 0, foot[1] - far), (foot[0] + k, 0, foot[1] + far)) for k in at]
    ends += [((foot[0] - far, 0, foot[1] + k), (foot[0] + far, 0, foot[1] + k)) for k in at]
    out = _clear(camera)
    _draw(out, camera, np.array(ends), tones.GRID)
    return out


def blocking_from(meshes: list[Mesh], camera: Camera, near_m: float) -> tuple[Bytes, Bytes]:
    """The blocking as a camera sees it, (H, W, 3) in plain shades, and (H, W, 3) its inverse depth,
    the nearest white; black where nothing is."""
    seen = see(joined(meshes), camera, near_m)
    rows, columns = np.nonzero(seen.surface >= 0)
    grey = np.zeros((camera.height, camera.width), np.uint8)
    depth = np.zeros_like(grey)
    if len(rows):
        surface = seen.surface[rows, columns].astype(np.int64)
        at = np.stack([columns + 0.5, rows + 0.5], axis=1)
        inverse = seen.inverse_depth_at(surface, at)
        rays = camera.rays(at)
        facing = np.abs((rays * seen.screen.plane[surface, :3]).sum(axis=1))
        facing /= np.linalg.norm(rays, axis=1)
        grey[rows, columns] = 56 + 158 * facing
        depth[rows, columns] = 255 * inverse / inverse.max()
    return tuple(np.repeat(p[..., None], 3, axis=2) for p in (grey, depth))  # type: ignore[return-value]


def _clear(camera: Camera) -> Bytes:
    return np.zeros((camera.height, camera.width, 4), np.uint8)


def _draw(out: Bytes, camera: Camera, ends: Floats, colour: tuple[int, int, int]) -> None:
    """Lines (N, 2, 3) in the world, as far as they lie before the camera."""
    if not len(ends):
        return
    wide = max(round(max(camera.width, camera.height) / 1400), 1)
    near = NEAREST * world_size(camera)
    depth = (ends - camera.position) @ camera.forward
    mask = np.zeros(out.shape[:2], np.uint8)
    for (a, b), (da, db) in zip(ends, depth, strict=True):
        if max(da, db) <= near:
            continue
        if da < near:
            a = a + (b - a) * (near - da) / (db - da)
        elif db < near:
            b = b + (a - b) * (near - db) / (da - db)
        for p, q in _cut(camera.project(np.stack([a, b]))[0], camera.width, camera.height):
            cv2.line(mask, p, q, 255, wide, cv2.LINE_AA, 4)
    over = mask > out[..., 3]
    out[over, :3] = colour
    out[over, 3] = mask[over]


def _cut(line: Floats, width: int, height: int) -> Iterable[tuple[list[int], list[int]]]:
    """What of a line in pixels lies in the picture, in sixteenths."""
    low, high = 0.0, 1.0
    step = line[1] - line[0]
    for axis, size in ((0, width), (1, height)):
        for sign, room in ((-1, line[0][axis] + 8), (1, size + 8 - line[0][axis])):
            along = sign * step[axis]
            if along == 0:
                if room < 0:
                    return
            elif along > 0:
                high = min(high, room / along)
            else:
                low = max(low, room / along)
    if low < high:
        ends = [np.round((line[0] + t * step - 0.5) * 16).astype(int).tolist() for t in (low, high)]
        yield ends[0], ends[1]
