"""A heron that takes off, as a clip with alpha: our own drawing, one picture after another."""

from __future__ import annotations

import cv2
import numpy as np

from ..core.arrays import Bytes, Floats
from ..core.picture import png
from ..core.picture.source import sequence_of

WIDTH, HEIGHT = 480, 360
PICTURES = 48
FINE = 4  # times as large as it is kept is what is drawn
BODY, WING, DARK, BILL = (176, 178, 198), (128, 134, 164), (52, 52, 72), (226, 164, 74)
FAR = (105, 110, 134)  # the wing on the far side


def heron() -> bytes:
    """A numbered sequence of PNGs in a ZIP: it stands, crouches, beats its wings and flies."""
    files = [
        (f"heron.{k:04d}.png", png(picture_of(k / (PICTURES - 1)))) for k in range(PICTURES)
    ]  # fmt: skip
    return sequence_of(files)


def picture_of(part: float) -> Bytes:
    """(HEIGHT, WIDTH, 4) the heron at a part of its clip, 0 to 1."""
    canvas = np.zeros((HEIGHT * FINE, WIDTH * FINE, 4), np.uint8)
    flies = float(np.clip((part - 0.25) / 0.25, 0, 1))  # from standing to stretched out
    crouch = float(np.sin(np.clip(part / 0.3, 0, 1) * np.pi)) * 14
    beat = np.sin((part - 0.22) * 2 * np.pi * 4.5) if part > 0.2 else -0.4
    hip = np.array([225.0, 205 + crouch - 30 * flies])
    chest = hip + [70 + 15 * flies, -34 + 26 * flies]
    _legs(canvas, hip, flies, crouch)
    _wing(canvas, hip, chest, beat, flies, far=True)
    _blob(canvas, [hip + [-62, 6 - 4 * flies], hip + [-20, -20], chest + [0, -14],
                   chest + [16, 4], hip + [10, 20], hip + [-34, 16]], BODY)  # fmt: skip
    _neck(canvas, chest, flies)
    _wing(canvas, hip, chest, beat, flies, far=False)
    small = cv2.resize(
        _premultiplied(canvas), (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA
    )  # fmt: skip
    alpha = np.maximum(small[..., 3:], 1e-6)
    out = np.dstack([small[..., :3] / alpha * 255, small[..., 3:] * 255])
    return np.asarray((out + 0.5).clip(0, 255), np.uint8)


def _premultiplied(canvas: Bytes) -> Floats:
    light = canvas.astype(np.float32) / 255
    light[..., :3] *= light[..., 3:]
    return np.asarray(light)


def _blob(canvas: Bytes, points: list[Floats], colour: tuple[int, int, int]) -> None:
    """A closed smooth shape through points."""
    ring = _smooth(np.array(points), closed=True)
    drawn = np.round(ring * FINE * 16).astype(np.int32)
    cv2.fillPoly(canvas, [drawn], (*colour, 255), cv2.LINE_AA, shift=4)


def _stroke(canvas: Bytes, points: list[Floats], wide: float, colour: tuple[int, int, int]) -> None:
    line = np.round(_smooth(np.array(points), closed=False) * FINE * 16).astype(np.int32)
    cv2.polylines(canvas, [line], False, (*colour, 255), round(wide * FINE), cv2.LINE_AA, shift=4)


def _smooth(points: Floats, closed: bool, steps: int = 12) -> Floats:
    """A curve through points (Catmull and Rom 1974)."""
    n = len(points)
    out = []
    for i in range(n if closed else n - 1):
        near = np.arange(i - 1, i + 3)
        a, b, c, d = points[near % n if closed else near.clip(0, n - 1)]
        for t in np.arange(steps) / steps:
            out.append(0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2
                              + (3 * b - a - 3 * c + d) * t**3))  # fmt: skip
    return np.array(out if closed else [*out, points[-1]])


def _legs(canvas: Bytes, hip: Floats, flies: float, crouch: float) -> None:
    for aside in (-8.0, 8.0):
        knee = hip + [aside - 6 - 60 * flies, 62 - crouch - 46 * flies]
        foot = np.array([225.0 + aside, 338.0]) * (1 - flies) + (hip + [-150, 16 + aside]) * flies
        _stroke(canvas, [hip + [aside * 0.5, 8], knee, foot], 5.0, DARK)
        toe = [18 * (1 - flies) - 14 * flies, 3 * flies]
        _stroke(canvas, [foot, foot + toe], 4.0, DARK)


def _neck(canvas: Bytes, chest: Floats, flies: float) -> None:
    """Stretched up while it stands, folded back in flight."""
    up = [chest, chest + [22, -42], chest + [2, -84], chest + [26, -118]]
    folded = [chest, chest + [26, 6], chest + [6, -26], chest + [38, -34]]
    line = [
        (1 - flies) * np.array(a) + flies * np.array(b) for a, b in zip(up, folded, strict=True)
    ]
    _stroke(canvas, line, 13.0, BODY)
    head = line[-1]
    _blob(canvas, [head + [-12, -2], head + [0, -9], head + [14, 0], head + [0, 9]], BODY)
    _stroke(canvas, [head + [-14, -4], head + [4, -6]], 4.0, DARK)
    _stroke(canvas, [head + [10, 0], head + [46, 6]], 6.0, BILL)


def _wing(
    canvas: Bytes, hip: Floats, chest: Floats, beat: float, flies: float, far: bool
) -> None:  # fmt: skip
    spread = max(flies, 0.0)
    root, aft = chest + [-14, -12], hip + [-34, 2]
    lift = -150.0 * beat if spread > 0 else 0.0
    along = np.array([-40.0 - 60 * spread, 34 * (1 - spread) + lift * spread])
    tip = root + along * (0.9 if far else 1.0) + ([24, -8] if far else [0, 0])
    middle = (root + tip) / 2 + [26, -14 * spread]
    colour = FAR if far else WING
    _blob(canvas, [root, middle, tip, (tip + aft) / 2 + [-18, 12], aft], colour)
    if spread > 0.2:
        edge = (tip + aft) / 2
        _blob(canvas, [tip, tip + [10, 10], edge + [-16, 14], edge + [-30, 4]], DARK)
