"""Made photographs: places of boxes with painted fronts, seen by a camera that is known exactly,
with what photographs have: brick and cobbles, foliage, houses turned to each other, a lens that
bends, a principal point off the middle, blur, grain and JPEG."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from ..core.arrays import Bytes, Floats
from ..core.camera import Camera, focal_px_from_35mm, rotation_of
from ..core.sight.bend import straight

SEGMENT_M = 5.0  # a front is painted piece by piece, so that a near one can be cut
NEAREST_M = 0.6
MARGIN = 0.2  # of the picture, painted round it for a lens that bends outside in


@dataclass(frozen=True)
class Photograph:
    """pixels: (H, W, 3). camera: the true one, its principal point where it is. k1: the true first
    bending term. bearings: the turns of houses, degrees from Across towards Away."""

    pixels: Bytes
    camera: Camera
    k1: float
    bearings: tuple[float, ...]


def made_photograph(rng: np.random.Generator, longer_side: int | None = None) -> Photograph:
    camera = _camera(rng, longer_side)
    k1 = float(np.clip(rng.normal(0, 0.04), -0.1, 0.1))
    turns = tuple(float(t) for t in rng.uniform(15, 75, rng.integers(0, 3)))
    wide = _widened(camera)
    canvas = _sky(rng, wide)
    for piece in _ground(rng) + _houses(rng, camera, turns):
        piece.paint(canvas, wide)
    _foliage(rng, canvas)
    return Photograph(_taken(rng, canvas, camera, wide, k1), camera, k1, turns)


def _camera(rng: np.random.Generator, longer_side: int | None) -> Camera:
    longer = longer_side or int(np.exp(rng.uniform(np.log(670), np.log(6000))))
    shorter = int(longer * rng.choice([2 / 3, 3 / 4]))
    width, height = (longer, shorter) if rng.random() < 0.75 else (shorter, longer)
    focal = focal_px_from_35mm(float(np.exp(rng.uniform(np.log(18), np.log(85)))), width, height)
    tilt, roll = float(np.clip(rng.normal(4, 7), -15, 30)), float(rng.normal(0, 1.5))
    rotation = rotation_of(tilt, roll, float(rng.uniform(-40, 40)))
    cx, cy = np.array([width, height]) / 2 + rng.normal(0, 0.01 * longer, 2)
    eye = np.array([0.0, rng.uniform(1.5, 2.2) if rng.random() < 0.8 else rng.uniform(4, 9), 0.0])
    return Camera(width, height, focal, rotation, eye, float(cx), float(cy))


def _widened(camera: Camera) -> Camera:
    pad = round(MARGIN * max(camera.width, camera.height))
    return Camera(
        camera.width + 2 * pad, camera.height + 2 * pad, camera.focal_px, camera.rotation,
        camera.position, camera.cx + pad, camera.cy + pad,
    )  # fmt: skip


def _sky(rng: np.random.Generator, camera: Camera) -> Bytes:
    top, low = rng.uniform(120, 200, 3), rng.uniform(190, 235, 3)
    small = np.linspace(top, low, 32)[:, None] + rng.normal(0, 6, (32, 32, 3))
    return cv2.resize(small.clip(0, 255), (camera.width, camera.height)).astype(np.uint8)


@dataclass(frozen=True)
class _Piece:
    """A painted rectangle in the world: its corner, both its sides, and its paint (h, w, 3)."""

    corner: Floats
    along: Floats
    up: Floats
    paint_: Bytes

    def paint(self, canvas: Bytes, camera: Camera) -> None:
        """Onto a picture, over what is there. Left out where it comes too near."""
        ends = [(0, 0), (1, 0), (1, 1), (0, 1)]
        world = np.array([self.corner + a * self.along + b * self.up for a, b in ends])
        seen, depth = camera.project(world)
        if depth.min() < NEAREST_M:
            return
        low = np.maximum(np.floor(seen.min(axis=0)), 0).astype(int)
        high = np.minimum(np.ceil(seen.max(axis=0)), [camera.width, camera.height]).astype(int)
        if (high - low).min() < 2:
            return
        h, w = self.paint_.shape[:2]
        # smaller first where it is far away: what is finer than a pixel is averaged, as by a lens
        scale = np.hypot(*(seen[1] - seen[0])) / w
        texture = self.paint_
        if scale < 0.7:
            size = (max(int(w * scale), 8), max(int(h * scale), 8))
            texture = cv2.resize(texture, size, interpolation=cv2.INTER_AREA)
        h, w = texture.shape[:2]
        corners = np.array([(0, h), (w, h), (w, 0), (0, 0)], np.float32) - 0.5
        to = cv2.getPerspectiveTransform(corners, (seen - low - 0.5).astype(np.float32))
        size = (int(high[0] - low[0]), int(high[1] - low[1]))
        part = canvas[low[1] : high[1], low[0] : high[0]]
        over = cv2.warpPerspective(texture, to, size, flags=cv2.INTER_LINEAR,
                                   borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
        where = np.zeros(part.shape[:2], np.uint8)
        fixed = np.round((seen - low - 0.5) * 256).astype(np.int32)
        cv2.fillConvexPoly(where, fixed, 255, cv2.LINE_AA, 8)
        mix = where[..., None].astype(np.uint16)
        part[:] = ((over * mix + part * (255 - mix)) // 255).astype(np.uint8)


def _ground(rng: np.random.Generator) -> list[_Piece]:
    """Cobbles or grass, in squares."""
    stones, kind = [], rng.random()
    for _ in range(4):
        tone = rng.uniform(70, 130)
        side = np.full((200, 200, 3), tone) + rng.normal(0, 14, (200, 200, 1))
        if kind < 0.6:
            for row in range(0, 200, 9):
                side[row : row + 2] *= 0.7
                shift = int(rng.integers(0, 12))
                for column in range(shift, 200, 13):
                    side[row : row + 9, column : column + 2] *= 0.7
        else:
            side = cv2.blur(side + rng.normal(0, 40, (200, 200, 3)), (2, 5)) * [0.7, 1.0, 0.6]
        stones.append(side.clip(0, 255).astype(np.uint8))
    squares = [(6.0 * i, 6.0 * j, 6.0) for j in range(-12, 2) for i in range(-9, 9)]
    squares += [(1.5 * i, 1.5 * j, 1.5) for j in range(-6, 6) for i in range(-6, 6)]
    return [
        _Piece(
            np.array([x, 0.0, z + side_m]), np.array([side_m, 0, 0]), np.array([0, 0, -side_m]),
            stones[int(rng.integers(4))],
        )
        for x, z, side_m in squares
    ]  # fmt: skip


def _houses(rng: np.random.Generator, camera: Camera, turns: tuple[float, ...]) -> list[_Piece]:
    """Rows along the street, and houses turned to it, those far away first."""
    plots: list[tuple[float, Floats, Floats, float]] = []  # distance, middle, size, turn
    aside = rng.uniform(3, 8)
    for side in (1, -1) if rng.random() < 0.6 else (int(rng.choice([1, -1])),):
        z = rng.uniform(-2, 3)
        while z > -45:
            deep, wide = rng.uniform(6, 12), rng.uniform(6, 10)
            middle = np.array([side * (aside + wide / 2), 0.0, z - deep / 2])
            plots.append((0.0, middle, np.array([wide, rng.uniform(5, 13), deep]), 0.0))
            z -= deep + (rng.uniform(0.5, 4) if rng.random() < 0.3 else 0.0)
    for turn in turns:
        ahead = camera.forward * [1, 0, 1]
        at = ahead / np.linalg.norm(ahead) * rng.uniform(10, 26)
        at = at + np.array([rng.uniform(-6, 6), 0, rng.uniform(-4, 4)])
        plots.append((0.0, at, rng.uniform([6, 5, 6], [13, 11, 10]), turn))
    plots.append((0.0, np.array([0.0, 0, -52.0]), np.array([26.0, 9, 6]), 0.0))
    plots.sort(key=lambda p: -float(np.linalg.norm(p[1] - camera.position)))
    out: list[_Piece] = []
    for _, middle, size, turn in plots:
        out += _house(rng, camera, middle, size, turn)
    return out


def _house(
    rng: np.random.Generator, camera: Camera, middle: Floats, size: Floats, turn: float
) -> list[_Piece]:
    a = np.radians(turn)
    x, z = np.array([np.cos(a), 0, -np.sin(a)]), np.array([np.sin(a), 0, np.cos(a)])
    tone, brick = rng.uniform(70, 200) + rng.normal(0, 18, 3), rng.random() < 0.5
    out = []
    sides = ((z, x, size[2], size[0]), (-z, -x, size[2], size[0]),
             (x, -z, size[0], size[2]), (-x, z, size[0], size[2]))  # fmt: skip
    for normal, along, far, wide in sides:
        foot = middle + normal * far / 2 - along * wide / 2
        if (camera.position - foot) @ normal <= 0.3:
            continue
        count = max(round(wide / SEGMENT_M), 1)
        step = along * wide / count
        shade = 0.75 + 0.25 * abs(float(normal @ [0.6, 0, 0.8]))
        for i in range(count):
            front = _front(rng, wide / count, size[1], tone * shade, brick)
            out.append(_Piece(foot + i * step, step, np.array([0, size[1], 0]), front))
    return out


def _front(rng: np.random.Generator, wide: float, high: float, tone: Floats, brick: bool) -> Bytes:
    """A piece of a front: wall, courses, windows or a door."""
    scale = 80  # px a metre
    h, w = int(high * scale), int(wide * scale)
    wall = np.full((h, w, 3), tone) + rng.normal(0, 7, (h, w, 1))
    if brick:
        for row in range(0, h, 6):
            wall[row] *= 0.8
            for column in range(int(rng.integers(0, 16)), w, 18):
                wall[row : row + 6, column] *= 0.8
    else:
        stain = cv2.resize(rng.normal(0, 14, (h // 40 + 2, w // 40 + 2)), (w, h))
        wall += stain[..., None]
    wall[: int(0.25 * scale)] *= 0.6  # the eaves
    if rng.random() < 0.6:
        wall[int(0.28 * scale) : int(0.36 * scale)] = wall[0, 0] * 1.5
    floors = max(int(high / rng.uniform(2.8, 3.4)), 1)
    windows = max(int(wide / rng.uniform(1.8, 2.8)), 1)
    frame, glass = rng.uniform(150, 250, 3), rng.uniform(10, 90, 3)
    tall, broad = rng.uniform(1.2, 1.8), rng.uniform(0.8, 1.3)
    for floor in range(floors):
        sill = h - int((floor * high / floors + 0.9) * scale)
        if rng.random() < 0.3:
            cv2.line(wall, (0, sill + 60), (w, sill + 60), (tone * 0.55).tolist(), 5)
        for k in range(windows):
            if rng.random() < 0.15:
                continue
            left = int(((k + 0.5) * wide / windows - broad / 2) * scale)
            box = (left, sill - int(tall * scale)), (left + int(broad * scale), sill)
            cv2.rectangle(wall, *box, frame.tolist(), 10)
            cv2.rectangle(wall, *box, glass.tolist(), -1)
            middle = (box[0][0] + box[1][0]) // 2
            cv2.line(wall, (middle, box[0][1]), (middle, box[1][1]), frame.tolist(), 4)
            wall[sill : sill + 7, max(left - 8, 0) : left + int(broad * scale) + 8] = frame * 0.8
    return wall.clip(0, 255).astype(np.uint8)


def _foliage(rng: np.random.Generator, canvas: Bytes) -> None:
    """Clumps of leaves, and twigs, before everything."""
    h, w = canvas.shape[:2]
    unit = max(h, w) / 1000
    for _ in range(rng.integers(0, 5)):
        at = rng.uniform([0, 0], [w, h])
        for _ in range(rng.integers(200, 900)):
            x, y = at + rng.normal(0, 60 * unit, 2)
            colour = (rng.uniform(20, 110, 3) * [0.6, 1, 0.4]).tolist()
            axes = (int(rng.uniform(2, 7) * unit) + 1, int(rng.uniform(1, 4) * unit) + 1)
            cv2.ellipse(canvas, (int(x), int(y)), axes, rng.uniform(0, 180), 0, 360, colour, -1)
        for _ in range(6):
            (x0, y0), (x1, y1) = (at + rng.normal(0, 80 * unit, (2, 2))).astype(int).tolist()
            cv2.line(canvas, (x0, y0), (x1, y1), (40, 35, 30), int(2 * unit) + 1)


def _taken(
    rng: np.random.Generator, canvas: Bytes, camera: Camera, wide: Camera, k1: float
) -> Bytes:
    """What the camera makes of it: bent, a little soft, grainy, and kept as JPEG."""
    w, h = camera.width, camera.height
    x, y = np.meshgrid(np.arange(w) + 0.5, np.arange(0, h, 1) + 0.5)
    centre = (camera.cx, camera.cy)
    step = 8
    coarse = np.stack([x[::step, ::step], y[::step, ::step]], axis=-1)
    at = straight(coarse.reshape(-1, 2), centre, camera.focal_px, k1, 0.0).reshape(coarse.shape)
    moved = (at - coarse).astype(np.float32)
    field = cv2.warpAffine(
        moved, np.array([[step, 0, 0], [0, step, 0]], float), (w, h), flags=cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    pad = wide.cx - camera.cx
    mx = (x + field[..., 0] + pad - 0.5).astype(np.float32)
    my = (y + field[..., 1] + pad - 0.5).astype(np.float32)
    out = cv2.remap(canvas, mx, my, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    out = cv2.GaussianBlur(out, (0, 0), float(rng.uniform(0.4, 1.1)))
    grain = rng.normal(0, float(rng.uniform(1.5, 6)), out.shape[:2]).astype(np.float32)
    out = (out.astype(np.float32) * rng.uniform(0.8, 1.1) + grain[..., None]).clip(0, 255)
    kept = cv2.imencode(".jpg", out.astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, 80])[1]
    return np.asarray(cv2.imdecode(kept, cv2.IMREAD_COLOR))
