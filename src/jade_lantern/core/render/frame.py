"""A frame: what the shot camera sees of plates thrown onto the proxies."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..camera import Camera
from ..mesh import Mesh
from ..picture.premultiplied import straight
from .expose import expose
from .land import Cast, Target, Thrower, plate_records
from .pyramid import Pyramid
from .screen import screen


def rendered(cast: Cast, shot: Camera) -> NDArray[Any]:
    """One frame (H, W, 4) of the shot camera's size, its alpha not multiplied in, in the kind of
    the plates: uint8, uint16 or float32."""
    depth = next((one.plate.depth for one in cast.throwers if one.plate is not None), "eight")
    shape = (shot.height, shot.width)
    eight = depth == "eight"
    out: NDArray[Any] = np.zeros(
        shape if eight else (*shape, 4), np.uint32 if eight else np.float32
    )
    if len(cast.triangles.corners) and cast.throwers:
        seen = screen(cast.triangles, shot, cast.near_m)
        if len(seen.surface):
            throws = cast.throws(seen, shot)
            expose(out, seen.arrays, throws, plate_records(cast.throwers), cast.buffers)
    if eight:
        return out.view(np.uint8).reshape(*shape, 4)
    return straight(out, np.dtype(np.float32 if depth == "float" else np.uint16), spent=True)


def render(
    meshes: list[Mesh], shot: Camera, lantern: Camera, plate: Pyramid, hold: bool = False
) -> NDArray[Any]:
    """One frame of one lantern thrown onto everything.

    hold: past the plate's edge its last pixels go on, instead of stopping.
    """
    thrower = Thrower(lantern, plate, "hold" if hold else "stop")
    return rendered(Cast([Target(m) for m in meshes], [thrower]), shot)
