"""Reeds before the Lantern Quay: cards with cut-out pictures, through which the quay is seen."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from ..core.arrays import Bytes, Floats
from ..core.camera import Camera
from ..core.change import changed
from ..core.picture import png, read_still
from ..core.proxy import Card
from ..core.scene.edits import Edit, PutLanterns, StandProxy, apply
from ..core.scene.model import CastRow, CastSheet, Lantern, Scene, Window
from ..core.scene.plate import Plate
from ..core.value import NEW_ID, new_id
from .world import lens

COUNT = 20
WIDE_M, HIGH_M = 1.5, 1.15
FINER = 3  # times that a picture is painted larger than it is kept
ROOM = 6  # px round a card's picture
SHADES = np.array([[26, 38, 30], [40, 50, 32], [66, 60, 34], [118, 84, 44]], float)


class Tuft(NamedTuple):
    """Where a card stands: the middle of its foot, metres from below the lens."""

    x: float
    z: float


def tufts() -> list[Tuft]:
    """In four rows along the water, thinning out towards the quay."""
    rng = np.random.default_rng(11)
    out = []
    for i in range(COUNT):
        row, along = i % 4, i // 4
        z = -4.6 - 0.85 * along - 0.13 * row + rng.uniform(-0.04, 0.04)
        out.append(Tuft(float(0.1 * z + 0.4 + 0.4 * row + rng.uniform(-0.15, 0.15)), float(z)))
    return sorted(out, key=lambda t: t.z)


def overgrown(
    scene: Scene, datum: tuple[float, float, float]
) -> tuple[list[tuple[Edit, Scene]], list[bytes]]:
    """The steps that put reeds before the blocked quay, a card and a lantern each, and the plates
    that they bring. datum: the scene's zero, metres from below the lens."""
    steps: list[tuple[Edit, Scene]] = []
    for i, tuft in enumerate(tufts()):
        card = Card(
            id=NEW_ID, name=f"reeds {i + 1}", x=tuft.x - datum[0], z=tuft.z - datum[2],
            width_m=WIDE_M, height_m=HIGH_M,
        )  # fmt: skip
        edit, scene = changed(scene, StandProxy(proxy=card))
        steps.append((edit, scene))
    cards = scene.proxies[-COUNT:]
    files, lanterns, rows = [], [], list(scene.sheet.rows)
    for i, (tuft, card_) in enumerate(zip(tufts(), cards, strict=True)):
        window, picture = painted(tuft, lens(), i)
        file = png(picture, effort=6)
        read = read_still(file)
        files.append(file)
        plate = Plate(
            name=f"reeds-{i + 1}.png", width=read.width, height=read.height, digest=read.digest,
            format=read.format, bits=read.bits, alpha=True,
        )  # fmt: skip
        lanterns.append(Lantern(id=new_id(i), name=f"reeds {i + 1}", plate=plate, window=window))
        rows.append(CastRow(proxy=card_.id, lanterns=(new_id(i),)))
    edit = PutLanterns(lanterns=tuple(lanterns), sheet=CastSheet(rows=tuple(rows)), said="Reeds")
    steps.append((edit, apply(scene, edit)))
    return steps, files


def painted(tuft: Tuft, camera: Camera, seed: int) -> tuple[Window, Bytes]:
    """A tuft as the lens sees it: which part of the frame it is in, and its picture (H, W, 4)."""
    corners = np.array(
        [[tuft.x + a * WIDE_M / 2, b * HIGH_M, tuft.z] for a in (-1, 1) for b in (0, 1)]
    )
    at = camera.project(corners)[0]
    left, top = (np.floor(at.min(axis=0)) - ROOM).clip(0)
    right, bottom = np.minimum(np.ceil(at.max(axis=0)) + ROOM, [camera.width, camera.height])
    wide, high = int(right - left), int(bottom - top)
    # colour and cover are painted apart, so that what is made smaller has no dark rim
    colour = np.zeros((high * FINER, wide * FINER, 3), np.float32)
    cover = np.zeros((high * FINER, wide * FINER), np.uint8)
    rng = np.random.default_rng(100 + seed)
    for outline, tone in _strokes(rng):
        points = np.stack([tuft.x + outline[:, 0], outline[:, 1], np.full(len(outline), tuft.z)], 1)
        pixels = ((camera.project(points)[0] - [left, top]) * FINER - 0.5).round().astype(np.int32)
        cv2.fillPoly(colour, [pixels], [float(v) for v in tone])
        cv2.fillPoly(cover, [pixels], 255)
    small = cv2.resize(cover, (wide, high), interpolation=cv2.INTER_AREA)
    mixed = colour * (cover[..., None] > 0)
    mixed = cv2.resize(mixed, (wide, high), interpolation=cv2.INTER_AREA)
    share = np.maximum(small[..., None] / 255.0, 1e-3)
    rgb = np.where(small[..., None] > 0, (mixed / share).clip(0, 255), 0)
    window = Window(left=float(left), top=float(top), width=float(wide), height=float(high))
    return window, np.dstack([rgb.round().astype(np.uint8), small])


def _strokes(rng: np.random.Generator) -> list[tuple[Floats, Floats]]:
    """Blades and heads in the card's own metres, the farthest first, each with its tone."""
    out = []
    for k in range(46):
        near = k / 46
        foot = rng.normal(0, 0.24)
        high = HIGH_M * rng.uniform(0.35, 0.97)
        lean = 0.35 * foot + rng.normal(0, 0.16)
        t = np.linspace(0, 1, 14)
        middle = np.stack([foot + lean * t**2, high * (t - 0.12 * abs(lean) * t**3)], axis=1)
        middle[:, 0] = middle[:, 0].clip(-0.48 * WIDE_M, 0.48 * WIDE_M)
        thick = (0.011 * (1 - t**1.6) + 0.0015) * rng.uniform(0.8, 1.5)
        outline = np.concatenate([middle - [[1, 0]] * thick[:, None],
                                  (middle + [[1, 0]] * thick[:, None])[::-1]])  # fmt: skip
        out.append((outline, _tone(rng, near)))
        if k % 7 == 3:
            angle = np.linspace(0, 2 * np.pi, 24)
            head = np.stack([0.017 * np.cos(angle), 0.075 * np.sin(angle)], axis=1)
            out.append((middle[-1] - [0, 0.06] + head, np.array([92.0, 58.0, 40.0]) * (0.6 + near)))
    return out


def _tone(rng: np.random.Generator, near: float) -> Floats:
    """Dusk on the farther blades, the light of the windows on some of the nearer ones."""
    at = float(np.clip(near * 2.2 + rng.normal(0, 0.6), 0, len(SHADES) - 1.001))
    low = int(at)
    return SHADES[low] + (at - low) * (SHADES[low + 1] - SHADES[low])
