"""Set-up of triangles for rasterisation: culling, near-plane clipping, projection and binning into
tiles.

Everything that a pixel needs of a triangle is linear in the pixel: three edge functions (Pineda
1988), and the inverse depth of its plane. Coplanar triangles of a face form one surface, so that
they share one homography and one depth to the last bit.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from ..camera import Camera
from ..mesh import Triangles
from ..threads import in_threads

TILE = 64
FEW = 20_000  # triangles that are set up on one thread
THIN = 1.5  # px; a narrower triangle can pass between pixel centres, so it is sampled
EDGE_ON_ALONG = 1e-9  # the same, seen along parallel rays: of the length of a normal
EDGE_ON = 1e-6  # of the near plane's distance: a plane that passes the eye closer is not visible


Planes = tuple[Floats, Floats]  # of triangles, and twice their areas: see `planes_and_areas`


@dataclass(frozen=True)
class Screen:
    """Triangles (T) set up for one camera, and the surfaces (S) that they are parts of.

    edges: (T, 3, 3) coefficients of a x + b y + c >= 0 inside, in pixels. box: (T, 4) bounds
    x0 y0 x1 y1. surface: (T,). thin: (T,) narrower than THIN. inverse_depth: (S, 3) linear in
    (x, y, 1). plane: (S, 4) n and n.p in the world. owner: (S,) index of the mesh. eldest: (S,) the
    first surface of the same mesh. triangle: (S,) the largest triangle of each, by its index among
    those given. bin_start: (tiles + 1,) where each
    tile's part of bin_triangles begins; tiles are counted row by row, `across` to a row.
    """

    edges: Floats
    box: Floats
    surface: Indices
    inverse_depth: Floats
    plane: Floats
    owner: Indices
    eldest: Indices
    triangle: Indices
    thin: Flags
    bin_start: Indices
    bin_triangles: Indices
    across: int
    down: int

    @property
    def arrays(self) -> ScreenArrays:
        return ScreenArrays(
            self.edges, self.box, self.surface, self.inverse_depth, self.plane, self.owner,
            self.eldest, self.thin, self.bin_start, self.bin_triangles, self.across, self.down,
        )  # fmt: skip


class ScreenArrays(NamedTuple):
    """The arrays of a `Screen` that compiled code reads."""

    edges: Floats
    box: Floats
    surface: Indices
    inverse_depth: Floats
    plane: Floats
    owner: Indices
    eldest: Indices
    thin: Flags
    bin_start: Indices
    bin_triangles: Indices
    across: int
    down: int


def screen(
    triangles: Triangles, camera: Camera, near_m: float, planes: Planes | None = None,
    fronts: Flags | None = None,
) -> Screen:  # fmt: skip
    """Set triangles up for a camera. What is nearer than near_m along its axis is clipped away.
    planes: the triangles', where they are known already. fronts: (M,) those that count; None for
    all."""
    corners, owner, flat = triangles
    projection = camera.projection()
    h, shows = _projected(
        np.ascontiguousarray(corners), camera.position, projection, camera.width, camera.height,
        near_m,
    )  # fmt: skip
    triangle = np.nonzero(shows if fronts is None else shows & fronts)[0]
    if len(triangle) < len(corners):
        corners, owner, flat = corners[triangle], owner[triangle], flat[triangle]
        h = h[triangle]
    if planes is None:
        plane, area = _planes(corners)
    else:
        plane, area = (planes if len(triangle) == len(planes[1]) else
                       (planes[0][triangle], planes[1][triangle]))  # fmt: skip
    shows = (area > 0) & (np.abs(_before(plane, camera)) > EDGE_ON * near_m)
    if not shows.all():
        owner, flat, triangle, h = owner[shows], flat[shows], triangle[shows], h[shows]
        plane, area = plane[shows], area[shows]
    surface, largest = _surfaces(flat, area)
    inverse_depth = inverse_depth_of(plane[largest], camera)
    points, source = _clipped(np.ascontiguousarray(h), near_m)
    edges, box, thin, keep = _edges_of(points, camera.width, camera.height)
    if not keep.all():
        edges, box, thin, source = edges[keep], box[keep], thin[keep], source[keep]
    size = camera.width, camera.height
    pieces = edges, box, thin, surface[source]
    return _binned_screen(pieces, inverse_depth, plane, owner, triangle, largest, size)


def screen_along(triangles: Triangles, onto: Floats, width: int, height: int) -> Screen:
    """Set triangles up as they are seen along parallel rays. onto: (3, 4) from the world to pixels
    and nearness, which is linear in the pixel and has to be positive: it stands where inverse
    depth does."""
    corners, owner, flat = triangles
    plane, area = _planes(np.ascontiguousarray(corners))
    shows = (area > 0) & (np.abs(_along(plane, onto)[:, 2]) > EDGE_ON_ALONG)
    triangle = np.nonzero(shows)[0]
    corners, owner, flat, plane, area = (
        a[shows] for a in (corners, owner, flat, plane, area)
    )  # fmt: skip
    surface, largest = _surfaces(flat, area)
    points = corners @ onto[:2, :3].T + onto[:2, 3]
    edges, box, thin, keep = _edges_of(points, width, height)
    pieces = edges[keep], box[keep], thin[keep], surface[keep]
    nearness = nearness_along(plane[largest], onto)
    return _binned_screen(pieces, nearness, plane, owner, triangle, largest, (width, height))


def _binned_screen(
    pieces: tuple[Floats, Floats, Flags, Indices], inverse_depth: Floats, plane: Floats, owner:
    Indices, triangle: Indices, largest: Indices, size: tuple[int, int],
) -> Screen:  # fmt: skip
    """pieces: edges, box, thin and surface of the triangles that are drawn. largest: (S,) which of
    the others stands for each surface."""
    edges, box, thin, surface = pieces
    across, down = -(-size[0] // TILE), -(-size[1] // TILE)
    start, binned = binned_by(edges, box, across, down, TILE)
    owner = owner[largest]
    eldest = np.searchsorted(owner, owner).astype(np.int64)  # surfaces are in the order of meshes
    return Screen(
        edges, box, surface, inverse_depth, plane[largest], owner, eldest, triangle[largest], thin,
        start, binned, across, down,
    )  # fmt: skip


def _before(plane: Floats, camera: Camera) -> Floats:
    """(N,) how far planes (N, 4) lie before a camera along their normals."""
    out: Floats = plane[:, 3] - plane[:, :3] @ camera.position
    return out


def inverse_depth_of(plane: Floats, camera: Camera) -> Floats:
    """(N, 3) the inverse depth of planes (N, 4), linear in a camera's pixel (x, y, 1); zero for a
    plane that the camera lies in."""
    off = _before(plane, camera)[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        out = plane[:, :3] @ camera.unprojection() / off
    return np.asarray(out if off.all() else np.where(off != 0, out, 0.0), float)


def _along(plane: Floats, onto: Floats) -> Floats:
    """(N, 3) the normals of planes (N, 4) in the frame that `onto` takes the world to, not of unit
    length."""
    return np.asarray(np.linalg.solve(onto[:, :3].T, plane[:, :3].T).T, float)


def nearness_along(plane: Floats, onto: Floats) -> Floats:
    """(N, 3) the nearness of planes (N, 4), linear in the pixel of what is seen along parallel
    rays (see `screen_along`); zero for a plane that is seen edge-on."""
    m = _along(plane, onto)
    edge_on = np.abs(m[:, 2]) <= EDGE_ON_ALONG
    over = np.where(edge_on, np.inf, m[:, 2])[:, None]
    rest = plane[:, 3] + m @ onto[:, 3]
    return np.stack([-m[:, 0], -m[:, 1], rest], axis=1) / over


@njit(cache=True, nogil=True)
def _surfaces(flat: Indices, area: Floats) -> tuple[Indices, Indices]:
    """Number the flat pieces that occur, in order of first occurrence. Returns (M,) the number of
    each triangle's, and (S,) the largest triangle of each, whose plane is known best."""
    number = np.full(flat.max() + 1 if len(flat) else 0, -1)
    surface, largest = np.empty(len(flat), np.int64), np.empty(len(flat), np.int64)
    count = 0
    for i in range(len(flat)):
        s = number[flat[i]]
        if s < 0:
            s = number[flat[i]] = count
            largest[s] = i
            count += 1
        elif area[i] > area[largest[s]]:
            largest[s] = i
        surface[i] = s
    return surface, largest[:count]


@njit(cache=True, nogil=True, error_model="numpy")
def _planes(corners: Floats) -> tuple[Floats, Floats]:
    """Planes (M, 4) of triangles as n and n.p, the largest component of n being positive, so that
    both windings give the same plane; and twice the triangles' areas (M,), 0 where degenerate."""
    out = np.empty((len(corners), 4))
    area = np.empty(len(corners))
    n = np.empty(3)
    for i in range(len(corners)):
        a, b, c = corners[i, 0], corners[i, 1], corners[i, 2]
        for k in range(3):
            j, m = (k + 1) % 3, (k + 2) % 3
            n[k] = (b[j] - a[j]) * (c[m] - a[m]) - (b[m] - a[m]) * (c[j] - a[j])
        length = np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
        longest = 0.0
        for k in range(3):
            longest = max(longest, abs(b[k] - a[k]), abs(c[k] - a[k]))
        area[i] = length if length > 1e-12 * longest * longest else 0.0
        biggest = 0
        for k in range(1, 3):
            if abs(n[k]) > abs(n[biggest]):
                biggest = k
        way = (-1.0 if n[biggest] < 0 else 1.0) / (length if area[i] > 0.0 else 1.0)
        offset = 0.0
        for k in range(3):
            out[i, k] = n[k] * way
            offset += out[i, k] * (a[k] + b[k] + c[k]) / 3.0
        out[i, 3] = offset
    return out, area


def planes_and_areas(corners: Floats) -> Planes:
    """The planes (M, 4) of triangles (M, 3, 3), as in `Screen.plane`, and twice their areas."""
    return _planes(np.ascontiguousarray(corners))


def planes_of(corners: Floats) -> Floats:
    """(M, 4) the planes of triangles (M, 3, 3), n and n.p as in `Screen.plane`."""
    return _planes(corners)[0]


@njit(cache=True, nogil=True)
def _projected(
    corners: Floats, place: Floats, projection: Floats, width: int, height: int, near_m: float
) -> tuple[Floats, Flags]:
    """(M, 3, 3) homogeneous pixels of triangles' corners, w being the depth; and (M,) which
    triangles are not wholly in front of the near plane or beyond one side of the frame."""
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


@njit(cache=True, nogil=True, error_model="numpy")
def _clipped(h: Floats, near_m: float) -> tuple[Floats, Indices]:
    """Clip homogeneous triangles (M, 3, 3) at the near plane. Returns pixels (T, 3, 2), and (T,)
    the triangle that each piece is of: first the whole ones, then those that one corner is left of,
    then the two pieces of those that two are left of."""
    many = np.zeros(4, np.int64)
    kind = np.empty(len(h), np.int64)
    for i in range(len(h)):
        kind[i] = 0
        for j in range(3):
            kind[i] += h[i, j, 2] > near_m
        many[kind[i]] += 1
    out = np.empty((many[3] + many[1] + 2 * many[2], 3, 2))
    source = np.empty(len(out), np.int64)
    at = np.array([0, many[3], many[3] + many[1], 0])
    piece = np.empty((4, 3))
    for i in range(len(h)):
        count = kind[i]
        if count == 0:
            continue
        n = at[count]
        at[count] += 1
        if count == 3:
            for j in range(3):
                out[n, j, 0], out[n, j, 1] = h[i, j, 0] / h[i, j, 2], h[i, j, 1] / h[i, j, 2]
            source[n] = i
            continue
        odd = 0  # the corner that is alone on its side
        while (h[i, odd, 2] > near_m) != (count == 1):
            odd += 1
        a, b, c = h[i, odd], h[i, (odd + 1) % 3], h[i, (odd + 2) % 3]
        ab = a + (b - a) * ((near_m - a[2]) / (b[2] - a[2]))
        ac = a + (c - a) * ((near_m - a[2]) / (c[2] - a[2]))
        if count == 1:
            piece[0], piece[1], piece[2] = a, ab, ac
            _onto_screen(piece, 0, 1, 2, out[n])
            source[n] = i
            continue
        piece[0], piece[1], piece[2], piece[3] = ab, b, c, ac
        _onto_screen(piece, 0, 1, 2, out[n])
        _onto_screen(piece, 0, 2, 3, out[n + many[2]])
        source[n] = source[n + many[2]] = i
    return out, source


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _onto_screen(corners: Floats, i: int, j: int, k: int, out: Floats) -> None:
    """Three homogeneous corners as pixels (3, 2)."""
    for to, of in enumerate((i, j, k)):
        out[to, 0], out[to, 1] = corners[of, 0] / corners[of, 2], corners[of, 1] / corners[of, 2]


def _edges_of(p: Floats, width: int, height: int) -> tuple[Floats, Floats, Flags, Flags]:
    """Edge functions (T, 3, 3) of pixel triangles (T, 3, 2), positive inside for either winding;
    bounds (T, 4); which are narrower than THIN; and which overlap the frame."""
    count = len(p)
    made = (
        np.empty((count, 3, 3)), np.empty((count, 4)), np.empty(count, bool), np.empty(count, bool)
    )  # fmt: skip
    given = np.ascontiguousarray(p), width, height, *made
    if count < FEW:
        _edges(*given, 0, count)
    else:
        in_threads(count, lambda begin, end: _edges(*given, begin, end))
    return made


@njit(cache=True, nogil=True, error_model="numpy")
def _edges(
    p: Floats, width: int, height: int, edges: Floats, box: Floats, thin: Flags, keep: Flags, begin:
    int, end: int,
) -> None:  # fmt: skip
    for i in range(begin, end):
        least, most = np.inf, 0.0
        for k in range(3):
            a, b, third = p[i, k], p[i, (k + 1) % 3], p[i, (k + 2) % 3]
            # Ends in one order for both triangles that share an edge, so that both compute the same
            # coefficients and no pixel falls between them.
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


@njit(cache=True, nogil=True)
def binned_by(
    edges: Floats, box: Floats, across: int, down: int, side: int
) -> tuple[Indices, Indices]:
    """Bin triangles by the tiles of `side` pixels, grown by a pixel, that they overlap. Returns
    starts (tiles + 1,) and the triangles of all tiles, in their order. Two passes: count, then
    fill."""
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
            x0 = max(int(box[i, 0] - 2) // side, 0)
            y0 = max(int(box[i, 1] - 2) // side, 0)
            x1 = min(int(min(box[i, 2] + 2, 1e8)) // side, across - 1)
            y1 = min(int(min(box[i, 3] + 2, 1e8)) // side, down - 1)
            for ty in range(y0, y1 + 1):
                for tx in range(x0, x1 + 1):
                    touches = True
                    for k in range(3):
                        a, b, c = edges[i, k, 0], edges[i, k, 1], edges[i, k, 2]
                        fx = tx * side + (side + 2 if a > 0 else -2)
                        fy = ty * side + (side + 2 if b > 0 else -2)
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
