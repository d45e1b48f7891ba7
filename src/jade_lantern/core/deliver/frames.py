"""A shot as frames: each a picture of what the shot camera sees, one after another."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..block.surfaces import meshes
from ..cast.pyramid import Pyramid
from ..cast.render import render
from ..move.path import shot_cameras
from ..refusal import Refusal
from ..scene.model import Scene
from ..sight.measure import required_camera
from .movie import encoder_bytes

LARGEST_SIDE = 16_384


@dataclass(frozen=True)
class Delivery:
    """What is asked for: the frame's size, and the first and last frame, both included."""

    width: int
    height: int
    first: int
    last: int


def delivery(
    scene: Scene, width: int | None = None, first: int | None = None, last: int | None = None
) -> Delivery:
    """A delivery of the plate's aspect. Raises Refusal for a size or a range that cannot be."""
    end = scene.move.frames - 1
    first, last = 0 if first is None else first, end if last is None else last
    if not 0 <= first <= last <= end:
        raise Refusal(f"Frames {first} to {last} are not all in the shot, which has 0 to {end}.")
    plate = scene.plate
    width = plate.width if width is None else width
    height = round(width * plate.height / plate.width)
    if width < 16 or height < 16:
        raise Refusal("A frame needs at least 16 pixels a side.")
    if max(width, height) > LARGEST_SIDE:
        raise Refusal(f"A frame of more than {LARGEST_SIDE:,} pixels a side cannot be rendered.")
    if not [p for p in scene.proxies if not p.hidden]:
        raise Refusal("There is nothing to cast on yet. Stand a proxy in Block first.")
    return Delivery(width, height, first, last)


# The plate's pixels as they are decoded and its half-octave copies; a frame and what is made of it.
BYTES_A_PLATE_PIXEL, BYTES_A_FRAME_PIXEL = 16.0, 28.0


def bytes_needed(scene: Scene, asked: Delivery, movie: bool) -> float:
    """About how much memory a delivery takes while it is made."""
    plate, frame = scene.plate.width * scene.plate.height, asked.width * asked.height
    encoder = encoder_bytes(asked.width, asked.height) if movie else 0.0
    return BYTES_A_PLATE_PIXEL * plate + BYTES_A_FRAME_PIXEL * frame + encoder


def frames(scene: Scene, plate: Pyramid, asked: Delivery) -> Iterator[NDArray[np.uint8]]:
    """The frames (H, W, 4) uint8 straight alpha, in order, each rendered when it is asked for."""
    lantern = required_camera(scene)
    stood = meshes(scene, lantern)
    numbers = np.arange(asked.first, asked.last + 1, dtype=float)
    for camera in shot_cameras(scene, numbers, lantern):
        shot = camera.resized(asked.width, asked.height)
        yield render(stood, shot, lantern, plate, hold=scene.lantern.edge == "hold")
