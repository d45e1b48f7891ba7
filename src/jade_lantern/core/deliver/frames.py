"""A shot rendered frame by frame, and the memory that takes."""

from __future__ import annotations

import io
from collections.abc import Collection, Iterator
from functools import partial
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from ..cast.ofscene import Pixels, plate_of, throwers
from ..cast.overtime import casts, numbers
from ..move.frames import RenderRequest
from ..picture import png
from ..picture.eight import in_eight_bit
from ..render.film import Film, Plane, film
from ..render.land import Cast
from ..scene.model import Scene
from ..sight.measure import required_camera
from .movie import encoder_bytes

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


def frames(scene: Scene, pixels: Pixels, asked: RenderRequest) -> Iterator[NDArray[Any]]:
    """The frames (H, W, 4), alpha not multiplied in, in the kind of the plates, in order; each
    rendered when it is asked for. pixels: where the plates' come from."""
    return (one.beauty for one in films(scene, pixels, asked))


def films(
    scene: Scene, pixels: Pixels, asked: RenderRequest, planes: Collection[Plane] = ()
) -> Iterator[Film]:
    """The same with planes of depth and the like."""
    sighted = required_camera(scene)
    at = numbers(asked.first, asked.last)
    throw = partial(throwers, sighted=sighted, pixels=pixels)
    for shot, cast in casts(scene, at, sighted, throw, Cast):
        yield film(cast, asked.frame.of(shot), planes)


def plane_tiff(plane: NDArray[Any]) -> bytes:
    """A plane as TIFF, in the numbers that it has: 32-bit floating point, or whole numbers."""
    out = io.BytesIO()
    photometric = "rgb" if plane.ndim == 3 else "minisblack"
    tifffile.imwrite(out, plane, photometric=photometric, compression="zlib")
    return out.getvalue()


def frame_png(frame: NDArray[Any]) -> bytes:
    """A frame as PNG: in sixteen bit where it is of sixteen bit, in eight where it is not deeper
    or of floating light, which a PNG cannot keep."""
    return png(frame if frame.dtype == np.uint16 else in_eight_bit(frame))
