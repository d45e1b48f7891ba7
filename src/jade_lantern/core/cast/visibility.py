"""What a camera sees: triangles clipped, projected, and sorted into tiles.

All that a pixel needs of a triangle is linear in the pixel: three edge functions, and its plane's
inverse depth. Planes are gathered into surfaces, so that neighbouring triangles of one flat face
share one mapping and one depth to the last bit.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from ..camera import Camera

TILE = 64
KEY = np.sqrt([2.0, 3.0, 5.0, 7.0, 11.0]) * [1e3, 1e3, 1e3, 1.0, 1e5]


@dataclass(frozen=True)
class Screen:
    """Triangles as a camera sees them.

    edges: (T, 3, 3) a x + b y + c >= 0 inside, in units of pixels. box: (T, 4) x0 y0 x1 y1.
    surface: (T,). inverse_depth: (S, 3) linear in (x, y, 1). plane: (S, 4) n and n.p of each
    surface, in the world. owner: (S,) which mesh. bins: (first, triangles) of each tile.
    """

    edges: Floats
    box: Floats
    surface: Indices
    inverse_depth: Floats
    plane: Floats
    owner: Indices
    bin_start: Indices
    bin_triangles: Indices
    across: int
    down: int


def screen(corners: Floats, owner: Indices, camera: Camera, near_m: float) -> Screen:
    """corners: (M, 3, 3) world triangles. owner: (M,) which mesh each belongs to. What is nearer
    than near_m along the axis is cut away."""
    plane, sound = _planes(corners)
    corners, owner, plane = corners[sound], owner[sound], plane[sound]
    off = plane[:, 3] - plane[:, :3] @ camera.position
    facing = np.abs(off) > 1e-9  # a plane through the eye is seen edge on: nothing of it shows
    corners, owner, plane, off = corners[facing], owner[facing], plane[facing], off[facing]
    # triangles of one plane and one mesh have the same key; one number sorts quicker than five
    key = np.column_stack([np.round(plane, 6) + 0.0, owner]) @ KEY
    _, first, surface = np.unique(key, return_index=True, return_inverse=True)
    surface = surface.astype(np.int64)
    inverse = np.linalg.inv(camera.projection())
    inverse_depth = plane[first, :3] @ inverse / off[first, None]
    h = (corners - camera.position) @ camera.projection().T
    points, source = _clipped(h, near_m)
    edges, box, keep = _edges(points, camera.width, camera.height)
    edges, box, source = edges[keep], box[keep], source[keep]
    across, down = -(-camera.width // TILE), -(-camera.height // TILE)
    start, triangles = _binned(edges, box, across, down)
    return Screen(
        edges, box, surface[source], inverse_depth, plane[first], owner[first],
        start, triangles, across, down,
    )  # fmt: skip


def _planes(corners: Floats) -> tuple[Floats, Flags]:
    """(M, 4) unit normals, turned one way round, with their offsets; and which have an area."""
    n = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(n, axis=1)
    sound = length > 1e-12
    n = n / np.where(sound, length, 1.0)[:, None]
    biggest = np.take_along_axis(n, np.abs(n).argmax(axis=1)[:, None], axis=1)
    n = n * np.sign(biggest + (biggest == 0))
    return np.column_stack([n, np.einsum("ij,ij->i", n, corners.mean(axis=1))]), sound


def _clipped(h: Floats, near_m: float) -> tuple[Floats, Indices]:
    """Clip homogeneous triangles (M, 3, 3) at the near plane. Returns pixels (T, 3, 2) and which
    triangle each piece came from."""
    w = h[..., 2]
    inside = w > near_m
    count = inside.sum(axis=1)
    whole = np.nonzero(count == 3)[0]
    pieces = [h[whole]]
    sources = [whole]
    for wanted in (1, 2):
        rows = np.nonzero(count == wanted)[0]
        if not len(rows):
            continue
        odd = np.argmax(inside[rows] == (wanted == 1), axis=1)
        a, b, c = (h[rows, (odd + k) % 3] for k in range(3))
        ab = a + (b - a) * ((near_m - a[:, 2]) / (b[:, 2] - a[:, 2]))[:, None]
        ac = a + (c - a) * ((near_m - a[:, 2]) / (c[:, 2] - a[:, 2]))[:, None]
        if wanted == 1:
            pieces.append(np.stack([a, ab, ac], axis=1))
            sources.append(rows)
        else:
            pieces += [np.stack([ab, b, c], axis=1), np.stack([ab, c, ac], axis=1)]
            sources += [rows, rows]
    out = np.concatenate(pieces)
    return out[..., :2] / out[..., 2:], np.concatenate(sources).astype(np.int64)


def _edges(p: Floats, width: int, height: int) -> tuple[Floats, Floats, Flags]:
    """Edge functions of pixel triangles (T, 3, 2), positive inside whichever way they wind."""
    a, b = p, np.roll(p, -1, axis=1)
    # the same two ends give the same numbers from either side, so that neighbours leave no crack
    flip = (a[..., 0] > b[..., 0]) | ((a[..., 0] == b[..., 0]) & (a[..., 1] > b[..., 1]))
    lo, hi = np.where(flip[..., None], b, a), np.where(flip[..., None], a, b)
    nx, ny = lo[..., 1] - hi[..., 1], hi[..., 0] - lo[..., 0]
    length = np.hypot(nx, ny)
    safe = np.where(length > 0, length, 1.0)
    nx, ny = nx / safe, ny / safe
    c = -(nx * lo[..., 0] + ny * lo[..., 1])
    third = np.roll(p, 1, axis=1)
    value = nx * third[..., 0] + ny * third[..., 1] + c
    side = np.where(value >= 0, 1.0, -1.0)
    edges = np.stack([nx * side, ny * side, c * side], axis=-1)
    box = np.column_stack([p[..., 0].min(1), p[..., 1].min(1), p[..., 0].max(1), p[..., 1].max(1)])
    keep = (
        (box[:, 0] < width) & (box[:, 2] > 0) & (box[:, 1] < height) & (box[:, 3] > 0)
        & (np.abs(value).max(axis=1) > 1e-9)
    )  # fmt: skip
    return edges, box, keep


@njit(cache=True, nogil=True)
def _binned(edges: Floats, box: Floats, across: int, down: int) -> tuple[Indices, Indices]:
    """Which triangles touch each tile (grown by a pixel), in their order."""
    tiles = across * down
    start = np.zeros(tiles + 1, np.int64)
    out = np.empty(0, np.int64)
    for fill in range(2):
        if fill == 1:
            for t in range(tiles):
                start[t + 1] += start[t]
            out = np.empty(start[tiles], np.int64)
        cursor = start[:-1].copy()
        for i in range(len(box)):
            x0 = max(int(box[i, 0] - 2) // TILE, 0)
            y0 = max(int(box[i, 1] - 2) // TILE, 0)
            x1 = min(int(min(box[i, 2] + 2, 1e8)) // TILE, across - 1)
            y1 = min(int(min(box[i, 3] + 2, 1e8)) // TILE, down - 1)
            for ty in range(y0, y1 + 1):
                for tx in range(x0, x1 + 1):
                    touches = True
                    for k in range(3):
                        a, b, c = edges[i, k, 0], edges[i, k, 1], edges[i, k, 2]
                        fx = tx * TILE + (TILE + 2 if a > 0 else -2)
                        fy = ty * TILE + (TILE + 2 if b > 0 else -2)
                        if a * fx + b * fy + c < 0:
                            touches = False
                            break
                    if touches:
                        t = ty * across + tx
                        if fill == 0:
                            start[t + 1] += 1
                        else:
                            out[cursor[t]] = i
                            cursor[t] += 1
    return start, out
