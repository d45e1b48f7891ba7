"""What a camera sees: triangles clipped, projected, and sorted into tiles.

All that a pixel needs of a triangle is linear in the pixel: three edge functions, and its plane's
inverse depth. Planes are gathered into surfaces, so that neighbouring triangles of one flat face
share one mapping and one depth to the last bit.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit, prange

from ..arrays import Flags, Floats, Indices
from ..camera import Camera

TILE = 64
THIN = 1.5  # px: what is narrower can pass between pixel centres, so its share is counted
APART = np.sqrt(13.0) * 1e4  # for the key of triangles that are kept apart
KEY = np.sqrt([2.0, 3.0, 5.0, 7.0, 11.0]) * [1e3, 1e3, 1e3, 1.0, 1e5]


@dataclass(frozen=True)
class Screen:
    """Triangles as a camera sees them.

    edges: (T, 3, 3) a x + b y + c >= 0 inside, in units of pixels. box: (T, 4) x0 y0 x1 y1.
    surface: (T,). inverse_depth: (S, 3) linear in (x, y, 1). plane: (S, 4) n and n.p of each
    surface, in the world. owner: (S,) which mesh. triangle: (S,) one of each, by its place among
    those that were given. thin: (T,) triangles so narrow that they can
    pass between pixel centres. bins: (first, triangles) of each tile.
    """

    edges: Floats
    box: Floats
    surface: Indices
    inverse_depth: Floats
    plane: Floats
    owner: Indices
    triangle: Indices
    thin: Flags
    bin_start: Indices
    bin_triangles: Indices
    across: int
    down: int

    @property
    def laid(self) -> Laid:
        return Laid(
            self.edges, self.box, self.surface, self.inverse_depth, self.plane, self.owner,
            self.thin, self.bin_start, self.bin_triangles, self.across, self.down,
        )  # fmt: skip


class Laid(NamedTuple):
    """What compiled code needs of a `Screen`."""

    edges: Floats
    box: Floats
    surface: Indices
    inverse_depth: Floats
    plane: Floats
    owner: Indices
    thin: Flags
    bin_start: Indices
    bin_triangles: Indices
    across: int
    down: int


def screen(
    corners: Floats, owner: Indices, camera: Camera, near_m: float, apart: Indices | None = None
) -> Screen:
    """corners: (M, 3, 3) world triangles. owner: (M,) which mesh each belongs to. What is nearer
    than near_m along the axis is cut away. apart: (M,) triangles of one plane with different
    numbers are different surfaces all the same."""
    projection = camera.projection()
    h, shows = _seen_from(
        np.ascontiguousarray(corners), camera.position, projection, camera.width, camera.height,
        near_m,
    )  # fmt: skip
    triangle = np.nonzero(shows)[0]
    if len(triangle) < len(corners):
        corners, owner, h = corners[triangle], owner[triangle], h[triangle]
    plane, shows = _planes(corners)
    off = plane[:, 3] - plane[:, :3] @ camera.position
    shows &= np.abs(off) > 1e-9  # a plane through the eye is seen edge on: nothing of it shows
    if not shows.all():
        owner, plane, off, h = owner[shows], plane[shows], off[shows], h[shows]
        triangle = triangle[shows]
    # triangles of one plane and one mesh have the same key; one number sorts quicker than five
    key = np.column_stack([np.round(plane, 6) + 0.0, owner]) @ KEY
    if apart is not None:
        key += apart[triangle] * APART
    _, first, surface = np.unique(key, return_index=True, return_inverse=True)
    surface = surface.astype(np.int64)
    inverse_depth = plane[first, :3] @ np.linalg.inv(projection) / off[first, None]
    points, source = _clipped(h, near_m)
    edges, box, thin, keep = _edges(np.ascontiguousarray(points), camera.width, camera.height)
    if not keep.all():
        edges, box, thin, source = edges[keep], box[keep], thin[keep], source[keep]
    across, down = -(-camera.width // TILE), -(-camera.height // TILE)
    start, triangles = _binned(edges, box, across, down)
    return Screen(
        edges, box, surface[source], inverse_depth, plane[first], owner[first], triangle[first],
        thin, start, triangles, across, down,
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _planes(corners: Floats) -> tuple[Floats, Flags]:
    """(M, 4) unit normals, turned one way round, with their offsets; and which have an area."""
    out = np.empty((len(corners), 4))
    sound = np.empty(len(corners), np.bool_)
    n = np.empty(3)
    for i in range(len(corners)):
        a, b, c = corners[i, 0], corners[i, 1], corners[i, 2]
        for k in range(3):
            j, m = (k + 1) % 3, (k + 2) % 3
            n[k] = (b[j] - a[j]) * (c[m] - a[m]) - (b[m] - a[m]) * (c[j] - a[j])
        length = np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
        sound[i] = length > 1e-12
        biggest = 0
        for k in range(1, 3):
            if abs(n[k]) > abs(n[biggest]):
                biggest = k
        way = (-1.0 if n[biggest] < 0 else 1.0) / (length if sound[i] else 1.0)
        offset = 0.0
        for k in range(3):
            out[i, k] = n[k] * way
            offset += out[i, k] * (a[k] + b[k] + c[k]) / 3.0
        out[i, 3] = offset
    return out, sound


def planes_of(corners: Floats) -> Floats:
    """(M, 4) the planes of triangles (M, 3, 3), as those of a screen's surfaces."""
    return _planes(corners)[0]


@njit(cache=True, nogil=True)
def _seen_from(
    corners: Floats, place: Floats, projection: Floats, width: int, height: int, near_m: float
) -> tuple[Floats, Flags]:
    """(M, 3, 3) homogeneous pixels of triangles' corners, their depth last; and which triangles
    are not wholly nearer than near_m or past one side of the frame."""
    out, shows = np.empty_like(corners), np.empty(len(corners), np.bool_)
    for i in range(len(corners)):
        left, right, above, below, near = True, True, True, True, True
        for j in range(3):
            x, y, z = (
                corners[i, j, 0] - place[0], corners[i, j, 1] - place[1],
                corners[i, j, 2] - place[2],
            )  # fmt: skip
            for k in range(3):
                out[i, j, k] = projection[k, 0] * x + projection[k, 1] * y + projection[k, 2] * z
            u, v, w = out[i, j, 0], out[i, j, 1], out[i, j, 2]
            left &= u <= 0
            right &= u >= width * w
            above &= v <= 0
            below &= v >= height * w
            near &= w <= near_m
        shows[i] = not (left or right or above or below or near)
    return out, shows


def _clipped(h: Floats, near_m: float) -> tuple[Floats, Indices]:
    """Clip homogeneous triangles (M, 3, 3) at the near plane. Returns pixels (T, 3, 2) and which
    triangle each piece came from."""
    w = h[..., 2]
    inside = w > near_m
    if inside.all():
        return h[..., :2] / h[..., 2:], np.arange(len(h))
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


@njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _edges(p: Floats, width: int, height: int) -> tuple[Floats, Floats, Flags, Flags]:
    """Edge functions of pixel triangles (T, 3, 2), positive inside whichever way they wind; their
    bounds; which are narrower than THIN; and which show at all."""
    count = len(p)
    edges, box = np.empty((count, 3, 3)), np.empty((count, 4))
    thin, keep = np.empty(count, np.bool_), np.empty(count, np.bool_)
    for i in prange(count):
        least, most = np.inf, 0.0
        for k in range(3):
            a, b, third = p[i, k], p[i, (k + 1) % 3], p[i, (k + 2) % 3]
            # the same two ends give the same numbers from either side, so that neighbours leave
            # no crack
            if a[0] > b[0] or (a[0] == b[0] and a[1] > b[1]):
                a, b = b, a
            nx, ny = a[1] - b[1], b[0] - a[0]
            length = np.hypot(nx, ny)
            if length > 0:
                nx, ny = nx / length, ny / length
            c = -(nx * a[0] + ny * a[1])
            value = nx * third[0] + ny * third[1] + c
            side = 1.0 if value >= 0 else -1.0
            edges[i, k, 0], edges[i, k, 1], edges[i, k, 2] = nx * side, ny * side, c * side
            least, most = min(least, abs(value)), max(most, abs(value))
        box[i, 0] = min(p[i, 0, 0], p[i, 1, 0], p[i, 2, 0])
        box[i, 1] = min(p[i, 0, 1], p[i, 1, 1], p[i, 2, 1])
        box[i, 2] = max(p[i, 0, 0], p[i, 1, 0], p[i, 2, 0])
        box[i, 3] = max(p[i, 0, 1], p[i, 1, 1], p[i, 2, 1])
        thin[i] = least < THIN
        keep[i] = (
            box[i, 0] < width and box[i, 2] > 0 and box[i, 1] < height and box[i, 3] > 0
            and most > 1e-9
        )  # fmt: skip
    return edges, box, thin, keep


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
