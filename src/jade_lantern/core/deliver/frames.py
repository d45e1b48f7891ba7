"""A shot rendered frame by frame, and the size, range and memory of such a request."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..cast.land import Cast
from ..cast.ofscene import Pixels, plate_of, targets, throwers
from ..cast.render import rendered
from ..move.path import shot_cameras
from ..picture import png
from ..picture.eight import in_eight_bit
from ..refusal import Refusal
from ..scene.model import Scene
from ..sight.measure import required_camera
from .movie import encoder_bytes

LARGEST_SIDE = 16_384


@dataclass(frozen=True)
class RenderRequest:
    """The size of the frames, and the first and last of them, both included."""

    width: int
    height: int
    first: int
    last: int


def render_request(
    scene: Scene, width: int | None = None, first: int | None = None, last: int | None = None
) -> RenderRequest:
    """A request for frames of the plate's aspect ratio. Raises Refusal for a size or a range that
    cannot be rendered."""
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
    return RenderRequest(width, height, first, last)


# Memory per pixel of a plate with its mip levels, at 8 bit and deeper; and per pixel of a frame
# with its copies on the way to a file.
BYTES_A_PLATE_PIXEL, BYTES_A_DEEP_PIXEL, BYTES_A_FRAME_PIXEL = 16.0, 44.0, 28.0


def bytes_needed(scene: Scene, asked: RenderRequest, movie: bool) -> float:
    """About how much memory a delivery takes while it is made."""
    plates = [plate_of(scene, lantern) for lantern in scene.lanterns]
    deep = any(p.alpha or p.bits > 8 for p in plates)
    each = {p.digest: p.width * p.height for p in plates}
    plate = sum(each.values()) * (BYTES_A_DEEP_PIXEL if deep else BYTES_A_PLATE_PIXEL)
    encoder = encoder_bytes(asked.width, asked.height) if movie else 0.0
    return plate + BYTES_A_FRAME_PIXEL * asked.width * asked.height + encoder


def cast_of(scene: Scene, pixels: Pixels) -> Cast:
    """A scene with its lanterns thrown onto it. pixels: where their plates' come from."""
    sighted = required_camera(scene)
    return Cast(targets(scene, sighted), throwers(scene, sighted, pixels))


def frames(scene: Scene, cast: Cast, asked: RenderRequest) -> Iterator[NDArray[Any]]:
    """The frames (H, W, 4), alpha not multiplied in, in the kind of the plates, in order; each
    rendered when it is asked for."""
    numbers = np.arange(asked.first, asked.last + 1, dtype=float)
    for camera in shot_cameras(scene, numbers, required_camera(scene)):
        yield rendered(cast, camera.resized(asked.width, asked.height))


def frame_png(frame: NDArray[Any]) -> bytes:
    """A frame as PNG: in sixteen bit where it is of sixteen bit, in eight where it is not deeper
    or of floating light, which a PNG cannot keep."""
    return png(frame if frame.dtype == np.uint16 else in_eight_bit(frame))
