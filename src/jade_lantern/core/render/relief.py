"""Relief: what a lantern throws has heights, by which its surface answers to light as if it were
not flat. Only the normal that light falls by is another one; nothing moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numba import carray, njit
from numpy.typing import NDArray

from ..arrays import Floats32
from ..camera import Camera
from .occlusion import pointer

MOST_LEVELS = 16
# Of a lantern. place: (3,). onto: from the way from it to a place, to pixels of its plate and
# depth. rays: from pixels (x, y, 1) to rays of unit depth. address: of the slopes, float32, level
# after level; begin, wide, high: of each level. per: pixels of the plate a pixel of the first
# level. over: slopes are multiplied by this. focal: px of the plate.
RELIEF_RECORD = np.dtype([
    ("place", float, (3,)), ("onto", float, (3, 3)), ("rays", float, (3, 3)), ("address", np.int64),
    ("levels", np.int64), ("begin", np.int64, (MOST_LEVELS,)), ("wide", np.int64, (MOST_LEVELS,)),
    ("high", np.int64, (MOST_LEVELS,)), ("length", np.int64), ("per", float), ("over", float),
    ("focal", float),
])  # fmt: skip
ReliefRecord = Any


@dataclass(frozen=True, eq=False)
class Slopes:
    """levels: (h, w, 2) float32 how much higher a picture is a pixel to the right and down, in
    pixels; each level has half the pixels of the one before, and stands for the same slopes."""

    levels: tuple[Floats32, ...]

    @classmethod
    def of(cls, first: Floats32) -> Slopes:
        levels = [np.ascontiguousarray(first, np.float32)]
        while max(levels[-1].shape[:2]) > 1 and len(levels) < MOST_LEVELS:
            levels.append(_half(levels[-1]))
        return cls(tuple(levels))

    @property
    def nbytes(self) -> int:
        return sum(level.nbytes for level in self.levels)

    def packed(self) -> Floats32:
        """All levels, one after another."""
        return np.concatenate([level.ravel() for level in self.levels])


def _half(level: Floats32) -> Floats32:
    """Half as many pixels each way, rounded down, as levels of a texture have them."""
    high, wide = level.shape[:2]
    size = max(wide // 2, 1), max(high // 2, 1)
    return np.asarray(cv2.resize(level, size, interpolation=cv2.INTER_AREA), np.float32)


def relief_record(camera: Camera, slopes: Slopes, depth: float) -> tuple[NDArray[np.void], object]:
    """(1,) RELIEF_RECORD of a lantern with a camera, in pixels of its plate, and what it holds the
    address of. depth: how strong the relief is; negative turns it inside out."""
    out = np.zeros(1, RELIEF_RECORD)
    packed = slopes.packed()
    out["place"], out["onto"], out["rays"] = (
        camera.position, camera.projection(), camera.unprojection()
    )  # fmt: skip
    out["address"], out["length"], out["levels"] = (
        packed.ctypes.data,
        len(packed),
        len(slopes.levels),
    )
    begin = 0
    for k, level in enumerate(slopes.levels):
        out["begin"][0, k], out["high"][0, k], out["wide"][0, k] = begin, *level.shape[:2]
        begin += level.size
    out["per"], out["over"] = camera.width / slopes.levels[0].shape[1], depth
    out["focal"] = camera.focal_px
    return out, packed


@njit(cache=True, nogil=True, error_model="numpy")
def bent_normal(
    relief: ReliefRecord, x: float, y: float, z: float, nx: float, ny: float, nz: float, wide: float
) -> tuple[float, float, float]:  # fmt: skip
    """The normal, of length one, of a place with relief on a plane with a normal. wide: how large a
    pixel of the frame is there, metres."""
    c, to, rays = relief.place, relief.onto, relief.rays
    dx, dy, dz = x - c[0], y - c[1], z - c[2]
    depth = to[2, 0] * dx + to[2, 1] * dy + to[2, 2] * dz
    if depth <= 0.0:
        return nx, ny, nz
    px = (to[0, 0] * dx + to[0, 1] * dy + to[0, 2] * dz) / depth
    py = (to[1, 0] * dx + to[1, 1] * dy + to[1, 2] * dz) / depth
    rx, ry, rz = dx / depth, dy / depth, dz / depth
    off = nx * rx + ny * ry + nz * rz
    if abs(off) < 1e-6:
        return nx, ny, nz
    gx, gy = _slope(
        relief, px / relief.per, py / relief.per, wide * relief.focal / depth / relief.per
    )
    # along the plane, what a pixel of the plate to the right and down is, at unit depth
    s = (nx * rays[0, 0] + ny * rays[1, 0] + nz * rays[2, 0]) / off
    ux, uy, uz = rays[0, 0] - s * rx, rays[1, 0] - s * ry, rays[2, 0] - s * rz
    s = (nx * rays[0, 1] + ny * rays[1, 1] + nz * rays[2, 1]) / off
    vx, vy, vz = rays[0, 1] - s * rx, rays[1, 1] - s * ry, rays[2, 1] - s * rz
    uu, uv, vv = (
        ux * ux + uy * uy + uz * uz,
        ux * vx + uy * vy + uz * vz,
        vx * vx + vy * vy + vz * vz,
    )
    area = uu * vv - uv * uv
    if area <= 1e-30:
        return nx, ny, nz
    by = relief.over / relief.focal / area
    if off > 0.0:  # seen from behind the side that is thrown on
        by = -by
    a, b = (gx * vv - gy * uv) * by, (gy * uu - gx * uv) * by
    nx, ny, nz = nx - a * ux - b * vx, ny - a * uy - b * vy, nz - a * uz - b * vz
    over = 1.0 / np.sqrt(nx * nx + ny * ny + nz * nz)
    return nx * over, ny * over, nz * over


@njit(cache=True, nogil=True, error_model="numpy")
def _slope(relief: ReliefRecord, x: float, y: float, wide: float) -> tuple[float, float]:
    """The slopes at a place of the first level, px, seen through pixels so wide: straight between
    the pixels of two levels, and between those."""
    level = min(max(np.log2(max(wide, 1e-9)), 0.0), relief.levels - 1.0)
    k = min(int(level), relief.levels - 1)
    part = level - k
    gx, gy = _in_level(relief, k, x, y)
    if part <= 0.0:
        return gx, gy
    hx, hy = _in_level(relief, min(k + 1, relief.levels - 1), x, y)
    return gx + (hx - gx) * part, gy + (hy - gy) * part


@njit(cache=True, nogil=True, error_model="numpy")
def _in_level(relief: ReliefRecord, k: int, x: float, y: float) -> tuple[float, float]:
    data = carray(pointer(relief.address), (relief.length,), np.float32)
    wide, high, begin = relief.wide[k], relief.high[k], relief.begin[k]
    u = min(max(x * wide / relief.wide[0] - 0.5, 0.0), wide - 1.0)
    v = min(max(y * high / relief.high[0] - 0.5, 0.0), high - 1.0)
    i, j = min(int(u), max(wide - 2, 0)), min(int(v), max(high - 2, 0))
    u, v = u - i, v - j
    right, down = (2 if wide > 1 else 0), (2 * wide if high > 1 else 0)
    at = begin + 2 * (j * wide + i)
    a, b, c, d = (1.0 - v) * (1.0 - u), (1.0 - v) * u, v * (1.0 - u), v * u
    return (
        a * data[at] + b * data[at + right] + c * data[at + down] + d * data[at + down + right],
        a * data[at + 1] + b * data[at + right + 1] + c * data[at + down + 1]
        + d * data[at + down + right + 1],
    )  # fmt: skip
