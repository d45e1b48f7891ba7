"""Marbles: small balls let fall in the scene, to see where they come to rest and where they
escape: the quickest test whether walls and floor really meet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices32
from ..camera import Camera, world_size
from ..mesh import joined, nearest_triangle
from ..refusal import Refusal
from ..scene.model import Scene
from ..threads import in_threads

RADIUS = 0.03  # of a marble, relative to the world's size
HIGH = 0.6  # starting height above the surface below, relative to the world's size
STEP_S, SECONDS, SHOWN_S = 1 / 240, 5.0, 1 / 30
GRAVITY = 9.81
BOUNCE, GRIP = 0.25, 0.985
TINY = 1e-300  # in place of a divisor that is zero for a triangle without extent
REST = 0.02  # speed below which a marble is at rest, world sizes per second


@dataclass(frozen=True)
class Fall:
    """places: (T, N, 3) where the marbles are, 30 times a second. escaped: (N,) which of them fell
    out of the scene. resting: (N,) which of them lie still at the end. radius_m: how big they
    are."""

    places: Floats
    escaped: Flags
    resting: Flags
    radius_m: float


def let_fall(scene: Scene, camera: Camera, count: int = 240, seed: int = 1) -> Fall:
    """Let marbles fall over what the lens sees near it. Raises Refusal where nothing is there."""
    proxies = tuple(p for p in scene.proxies if not p.hidden and p.stands)
    corners, _, _ = joined([p.mesh(camera) for p in proxies])
    if not len(corners):
        raise Refusal("There is nothing to let marbles fall on. Stand a proxy first.")
    size = world_size(camera)
    start = _starts(corners, camera, count, HIGH * size, seed)
    if not len(start):
        raise Refusal("The lens sees no proxy near it that marbles could fall on.")
    return fallen(corners, start, size)


def fallen(corners: Floats, start: Floats, size: float, seconds: float = SECONDS) -> Fall:
    """Marbles let go at places (N, 3) over triangles (M, 3, 3). size: the world's."""
    radius = RADIUS * size
    low = float(corners[..., 1].min()) - 2 * size
    # gravity for a scene of this size, so that a doll's house falls as a house does in a picture
    steps, every = round(seconds / STEP_S), round(SHOWN_S / STEP_S)
    places = np.empty((steps // every + 1, len(start), 3))
    speed = np.zeros(len(start))
    grid = _grid(corners, radius)
    in_threads(
        len(start),
        lambda first, end: _fall(
            corners, *grid, start, radius, GRAVITY * size / 1.6, STEP_S, steps, every, low, places,
            speed, first, end,
        ),
    )  # fmt: skip
    escaped = places[-1, :, 1] <= low + 1e-9
    return Fall(places, escaped, (speed < REST * size) & ~escaped, radius)


def _starts(corners: Floats, camera: Camera, count: int, high: float, seed: int) -> Floats:
    """(N, 3) places above what the lens sees, the near and lower part of the picture first."""
    rng = np.random.default_rng(seed)
    out: list[Floats] = []
    farthest = 20 * world_size(camera)
    for _ in range(3 * count):
        pixel = rng.uniform([0, 0.25 * camera.height], [camera.width, camera.height])
        ray = camera.rays(pixel)
        ray = ray / np.linalg.norm(ray)
        far, triangle = nearest_triangle(corners, camera.position, ray)
        if triangle < 0 or far > farthest:
            continue
        a, b, c = corners[triangle]
        normal = np.cross(b - a, c - a)
        normal = normal / np.linalg.norm(normal) * -np.sign(float(normal @ ray))
        out.append(camera.position + far * ray + [0.0, high, 0.0] + 0.15 * high * normal)
        if len(out) == count:
            break
    return np.array(out).reshape(-1, 3)


def _grid(corners: Floats, radius: float) -> tuple[Floats, float, Indices32, Indices32, Indices32]:
    """Triangles by the cells of a level grid that their bounds touch: its corner (2,), a cell's
    side, how many cells (2,), where each cell's triangles start, and the triangles."""
    low = corners[..., [0, 2]].min(axis=(0, 1)) - radius
    high = corners[..., [0, 2]].max(axis=(0, 1)) + radius
    side = max(float((high - low).max()) / 128, 4 * radius)
    cells = np.maximum(np.ceil((high - low) / side), 1).astype(np.int32)
    a = np.floor((corners[..., [0, 2]].min(axis=1) - radius - low) / side).astype(int)
    b = np.floor((corners[..., [0, 2]].max(axis=1) + radius - low) / side).astype(int)
    a, b = np.clip(a, 0, cells - 1), np.clip(b, 0, cells - 1)
    lists: list[list[int]] = [[] for _ in range(int(cells[0] * cells[1]))]
    for i in range(len(corners)):
        for x in range(a[i, 0], b[i, 0] + 1):
            for z in range(a[i, 1], b[i, 1] + 1):
                lists[x * int(cells[1]) + z].append(i)
    start = np.concatenate([[0], np.cumsum([len(c) for c in lists])]).astype(np.int32)
    flat = np.array([i for c in lists for i in c], np.int32)
    return low, side, cells, start, flat


@njit(cache=True, nogil=True, inline="always")
def _nearest_on_triangle(
    corners: Floats, t: int, px: float, py: float, pz: float
) -> tuple[float, float, float]:
    """The place on triangle t nearest to a place (Ericson 2005, 5.1.5). In single numbers: an array
    made for each triangle and step took ten times as long as the sums."""
    ax, ay, az = corners[t, 0, 0], corners[t, 0, 1], corners[t, 0, 2]
    bx, by, bz = corners[t, 1, 0], corners[t, 1, 1], corners[t, 1, 2]
    cx, cy, cz = corners[t, 2, 0], corners[t, 2, 1], corners[t, 2, 2]
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - ax, cy - ay, cz - az
    d1 = ux * (px - ax) + uy * (py - ay) + uz * (pz - az)
    d2 = vx * (px - ax) + vy * (py - ay) + vz * (pz - az)
    if d1 <= 0 and d2 <= 0:
        return ax, ay, az
    d3 = ux * (px - bx) + uy * (py - by) + uz * (pz - bz)
    d4 = vx * (px - bx) + vy * (py - by) + vz * (pz - bz)
    if d3 >= 0 and d4 <= d3:
        return bx, by, bz
    vc = d1 * d4 - d3 * d2
    if vc <= 0 and d1 >= 0 and d3 <= 0:
        k = d1 / max(d1 - d3, TINY)
        return ax + ux * k, ay + uy * k, az + uz * k
    d5 = ux * (px - cx) + uy * (py - cy) + uz * (pz - cz)
    d6 = vx * (px - cx) + vy * (py - cy) + vz * (pz - cz)
    if d6 >= 0 and d5 <= d6:
        return cx, cy, cz
    vb = d5 * d2 - d1 * d6
    if vb <= 0 and d2 >= 0 and d6 <= 0:
        k = d2 / max(d2 - d6, TINY)
        return ax + vx * k, ay + vy * k, az + vz * k
    va = d3 * d6 - d5 * d4
    if va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        k = (d4 - d3) / max((d4 - d3) + (d5 - d6), TINY)
        return bx + (cx - bx) * k, by + (cy - by) * k, bz + (cz - bz) * k
    total = max(va + vb + vc, TINY)
    k, n = vb / total, vc / total
    return ax + ux * k + vx * n, ay + uy * k + vy * n, az + uz * k + vz * n


@njit(cache=True, nogil=True)
def _fall(
    corners: Floats, low: Floats, side: float, cells: Indices32, start: Indices32,
    triangles: Indices32, begin: Floats, radius: float, gravity: float, dt: float, steps: int,
    every: int, floor: float, places: Floats, speed: Floats, first: int, end: int,
) -> None:  # fmt: skip
    """Let the marbles from first to end fall."""
    for m in range(first, end):
        px, py, pz = begin[m, 0], begin[m, 1], begin[m, 2]
        vx, vy, vz = 0.0, 0.0, 0.0
        places[0, m, 0], places[0, m, 1], places[0, m, 2] = px, py, pz
        for s in range(1, steps + 1):
            if py > floor:
                vy -= gravity * dt
                # never further in a step than half its size, so that it passes through nothing
                fast = np.sqrt(vx * vx + vy * vy + vz * vz)
                if fast * dt > 0.5 * radius:
                    slower = 0.5 * radius / (fast * dt)
                    vx, vy, vz = vx * slower, vy * slower, vz * slower
                px, py, pz = px + vx * dt, py + vy * dt, pz + vz * dt
                x = int(np.floor((px - low[0]) / side))
                z = int(np.floor((pz - low[1]) / side))
                if 0 <= x < cells[0] and 0 <= z < cells[1]:
                    cell = x * cells[1] + z
                    for k in range(start[cell], start[cell + 1]):
                        nx, ny, nz = _nearest_on_triangle(corners, triangles[k], px, py, pz)
                        nx, ny, nz = px - nx, py - ny, pz - nz
                        away = np.sqrt(nx * nx + ny * ny + nz * nz)
                        if 1e-12 < away < radius:
                            nx, ny, nz = nx / away, ny / away, nz / away
                            out = radius - away
                            px, py, pz = px + nx * out, py + ny * out, pz + nz * out
                            into = vx * nx + vy * ny + vz * nz
                            if into < 0:
                                back = (1 + BOUNCE) * into
                                vx = (vx - back * nx) * GRIP
                                vy = (vy - back * ny) * GRIP
                                vz = (vz - back * nz) * GRIP
            else:
                py = floor
                vx, vy, vz = 0.0, 0.0, 0.0
            if s % every == 0:
                at = s // every
                places[at, m, 0], places[at, m, 1], places[at, m, 2] = px, py, pz
        speed[m] = np.sqrt(((places[-1, m] - places[-8, m]) ** 2).sum()) / (7 * every * dt)
