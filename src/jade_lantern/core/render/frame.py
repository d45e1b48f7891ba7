"""A frame: what the shot camera sees of plates thrown onto the proxies."""

from __future__ import annotations

from typing import Any

from numpy.typing import NDArray

from ..camera import Camera
from ..mesh import Mesh
from .film import film
from .land import Cast, Target, Thrower
from .pyramid import Pyramid


def rendered(cast: Cast, shot: Camera) -> NDArray[Any]:
    """One frame (H, W, 4) of the shot camera's size, its alpha not multiplied in, in the kind of
    the plates: uint8, uint16 or float32."""
    return film(cast, shot).beauty


def render(
    meshes: list[Mesh], shot: Camera, lantern: Camera, plate: Pyramid, hold: bool = False
) -> NDArray[Any]:
    """One frame of one lantern thrown onto everything.

    hold: past the plate's edge its last pixels go on, instead of stopping.
    """
    thrower = Thrower(lantern, plate, "hold" if hold else "stop")
    return rendered(Cast([Target(m) for m in meshes], [thrower]), shot)
