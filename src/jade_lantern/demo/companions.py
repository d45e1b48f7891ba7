"""Other stills of the same town, each of a kind that is hard to sight: a drawing whose perspective
disagrees with itself, a bay without a straight line, and the quay seen otherwise."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from ..core.camera import Camera, focal_px_from_35mm, rotation_of
from ..core.scene.model import Heading
from ..core.sight.bend import bent, straight
from .picture import paint_picture
from .world import EYE_HEIGHT_M, quay

Picture = NDArray[np.uint8]
Ends = tuple[tuple[float, float], tuple[float, float]]

WIDTH, HEIGHT = 1500, 1000
BEND = -0.12  # k1 of the lens that took the bent still


def _camera(mm: float, tilt: float, roll: float, yaw: float) -> Camera:
    focal = focal_px_from_35mm(mm, WIDTH, HEIGHT)
    return Camera.centred(
        WIDTH, HEIGHT, focal, rotation_of(tilt, roll, yaw), np.array([0.0, EYE_HEIGHT_M, 0.0])
    )


# the hand that drew the footbridge set the lines that go away by another eye than the rest
DRAWN_BY = _camera(33, -9.0, 0.0, 32.0)
AWAY_DRAWN_BY = _camera(19, -9.0, 0.0, 32.0)
# looking straight along the quay, level: one finite vanishing point
STREET = _camera(30, 0.0, 0.0, 0.0)
# looking up at the gables: three finite vanishing points
GABLES = _camera(24, 20.0, 2.0, 42.0)
# across the bay, where nothing runs straight
BAY = _camera(40, 2.5, -1.5, 0.0)


def _bridge() -> list[tuple[Heading, tuple[float, float, float], float]]:
    """The footbridge's timbers: heading, foot, and length, metres from the camera's foot."""
    out: list[tuple[Heading, tuple[float, float, float], float]] = []
    near, far = 2.5, 4.9
    for x in (near, far):
        for y in (0.4, 0.62, 1.5):
            out.append(("away", (x, y, -4.6), 9.0))
        for i in range(7):
            out.append(("up", (x, -0.8, -4.6 - 1.5 * i), 2.55))
    for i in range(19):
        out.append(("across", (near, 0.62, -4.6 - 0.5 * i), far - near))
    for i in range(4):
        out.append(("across", (near, 0.4, -4.6 - 3.0 * i), far - near))
    return out


def bridge_lines() -> list[tuple[Heading, Ends]]:
    """The drawing's lines in px, as they were drawn."""
    ways = {"across": (1.0, 0, 0), "up": (0, 1.0, 0), "away": (0, 0, -1.0)}
    out: list[tuple[Heading, Ends]] = []
    for heading, foot, length in _bridge():
        camera = AWAY_DRAWN_BY if heading == "away" else DRAWN_BY
        middle = np.array(foot) + np.array(ways[heading]) * length / 2
        at, _ = DRAWN_BY.project(middle)
        if heading == "away":  # through where it should be, but towards the other eye's point
            v = camera.projection() @ np.array(ways["away"])
            true, _ = DRAWN_BY.project(
                np.array([foot, np.array(foot) + np.array(ways["away"]) * length])
            )
            at = true.mean(axis=0)
            along = v[:2] / v[2] - at
            along /= np.hypot(*along)
            reach = float(np.hypot(*(true[1] - true[0]))) / 2
            ends = np.array([at - along * reach, at + along * reach])
        else:
            half = np.array(ways[heading]) * length / 2
            ends, _ = DRAWN_BY.project(np.array([middle - half, middle + half]))
        if (ends >= 4).all() and (ends <= [WIDTH - 4, HEIGHT - 4]).all():
            (a, b), (c, d) = ends.tolist()
            out.append((heading, ((a, b), (c, d))))
    return out


def bridge_drawing() -> Picture:
    """The footbridge in brown ink on toned paper."""
    rng = np.random.default_rng(5)
    grain = cv2.GaussianBlur(rng.normal(0, 1, (HEIGHT, WIDTH)), (0, 0), 2.0)
    paper = np.array([214.0, 198, 168]) + grain[..., None] * 6
    y = np.linspace(-1, 1, HEIGHT)[:, None, None]
    paper = paper * (1 - 0.12 * y * y)
    ink = np.zeros((HEIGHT * 2, WIDTH * 2), np.uint8)
    for _, (a, b) in bridge_lines():
        p, q = (tuple(round(v * 2 * 16) for v in end) for end in (a, b))
        cv2.line(ink, p, q, 255, 5, cv2.LINE_AA, 4)
    for i in range(60):  # ripples under it, drawn freely
        x, w = rng.uniform(0, WIDTH * 2), rng.uniform(22, 58)
        at = (int(x), int(HEIGHT * 2 * rng.uniform(0.78, 0.98)))
        cv2.ellipse(ink, at, (int(w), 13), 0, 190 + 3 * (i % 9), 350, 150, 2, cv2.LINE_AA)
    shade = cv2.resize(ink, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)[..., None] / 255.0
    out = paper * (1 - 0.78 * shade) + np.array([62.0, 44, 34]) * 0.78 * shade
    return np.asarray(np.clip(out, 0, 255), np.uint8)


def bay() -> Picture:
    """Dusk over a round bay: hills, mist, water and a curving shore, and not one straight edge."""
    x, y = np.meshgrid((np.arange(WIDTH) + 0.5), (np.arange(HEIGHT) + 0.5))
    rng = np.random.default_rng(9)
    up = BAY.rotation[:, 1]
    level = -(-up[0] / BAY.focal_px * (x - BAY.cx) + up[1] / BAY.focal_px * (y - BAY.cy) + up[2])
    t = np.clip(level / 0.45, 0, 1)[..., None]
    sky = (1 - t) * np.array([238.0, 150, 96]) + t * np.array([58.0, 52, 96])
    clouds = cv2.GaussianBlur(rng.normal(0, 1, (HEIGHT, WIDTH)), (0, 0), 60, sigmaY=14)
    sky += (clouds / clouds.std() * 9 * np.clip(level / 0.2, 0, 1))[..., None]
    depth = np.clip(-level, 1e-3, None)
    swell = np.sin(x / 90 + 4 * np.sin(2.2 / depth) + 0.4 / depth) * np.sin(1.7 / depth + x / 400)
    water = np.array([196.0, 122, 96]) * np.exp(-depth[..., None] * 3.4) + np.array([16.0, 26, 48])
    water += swell[..., None] * 7 * np.clip(depth[..., None] * 8, 0, 1)
    out = np.where(level[..., None] > 0, sky, water)
    for k, (base, tall, tone) in enumerate(((0.055, 0.05, 96), (0.02, 0.06, 58))):
        hill = base + tall * (
            np.sin(x / 260 + 2 * k) + 0.5 * np.sin(x / 110 + k) + 0.25 * np.sin(x / 47 + 5 * k)
        )
        foot = -0.006 - 0.006 * np.sin(x / 210 + 3 * k) - 0.004 * np.sin(x / 90 + k)
        lit = np.clip((np.maximum(hill, 0.006) - level) * 900 * (level > foot), 0, 1)
        out = (
            out * (1 - lit[..., None]) + np.array([tone * 0.9, tone * 0.75, tone]) * lit[..., None]
        )
    shore = 0.24 + 0.05 * np.sin(x / 330 + 0.7) + 0.08 * ((x / WIDTH - 0.55) * 2.1) ** 2
    sand = np.clip((depth - shore) * 60, 0, 1)[..., None]
    foam = np.exp(-(((depth - shore) * 70) ** 2))[..., None]
    grain = cv2.GaussianBlur(rng.normal(0, 1, (HEIGHT, WIDTH)), (0, 0), 1.6)[..., None] * 6
    out = out * (1 - sand) + (np.array([112.0, 84, 76]) + grain) * sand + foam * 46
    return np.asarray(np.clip(out, 0, 255), np.uint8)


def street() -> Picture:
    """The quay looking straight along it."""
    return _painted(STREET)


def gables() -> Picture:
    """The quay looking up at the gables."""
    return _painted(GABLES)


def _painted(camera: Camera) -> Picture:
    picture, _, _ = paint_picture(quay(), camera)
    return np.asarray(picture, np.uint8)


def through_bent_lens(picture: Picture, camera: Camera) -> Picture:
    """A picture as a lens with BEND would have taken it."""
    h, w = picture.shape[:2]
    grid = np.stack(np.meshgrid(np.arange(w) + 0.5, np.arange(h) + 0.5), axis=-1)
    centre = (camera.cx, camera.cy)
    flat = straight(grid.reshape(-1, 2), centre, camera.focal_px, BEND, 0.0).reshape(h, w, 2) - 0.5
    x, y = flat[..., 0].astype(np.float32), flat[..., 1].astype(np.float32)
    out = cv2.remap(picture, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return np.asarray(out, np.uint8)


def bent_at(camera: Camera, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where pixels of the straight picture fall in the bent one."""
    return bent(points, (camera.cx, camera.cy), camera.focal_px, BEND, 0.0)


def cropped(picture: Picture, camera: Camera, left: int, top: int) -> tuple[Picture, Camera]:
    """A picture with its left and top cut off, and the camera that it then has."""
    h, w = picture.shape[:2]
    part = replace(camera, width=w - left, height=h - top, cx=camera.cx - left, cy=camera.cy - top)
    return np.ascontiguousarray(picture[top:, left:]), part
