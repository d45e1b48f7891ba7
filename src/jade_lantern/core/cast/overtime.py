"""A scene's cast over the frames of a shot: what does not move is worked out once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import TypeVar

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..proxy import Proxy
from ..render.land import Target, Thrower
from ..scene.model import Scene
from ..scene.moment import moments
from ..scene.shot import shot_cameras
from .ofscene import targets

CastT = TypeVar("CastT")


def casts(
    scene: Scene,
    frames: Floats,
    sighted: Camera,
    thrown: list[Thrower],
    make: Callable[[list[Target], list[Thrower]], CastT],
) -> Iterator[tuple[Camera, CastT]]:
    """The shot camera at each of some frames (F,), and what it looks at there; the same object as
    before where nothing has moved. thrown: the scene's lanterns. make: a cast of both."""
    known: dict[int, tuple[Proxy, list[Target]]] = {}
    still = {id(proxy) for proxy in scene.proxies}
    last: tuple[Scene, CastT] | None = None
    shots = shot_cameras(scene, frames, sighted)
    for shot, moment in zip(shots, moments(scene, frames), strict=True):
        if last is None or last[0] is not moment:
            lit = [
                thrower if thrower.strength == one.strength
                else replace(thrower, strength=one.strength)
                for thrower, one in zip(thrown, moment.lanterns, strict=True)
            ]  # fmt: skip
            last = moment, make(targets(moment, sighted, known), lit)
            known = {key: one for key, one in known.items() if key in still}
        yield shot, last[1]


def numbers(first: int, last: int) -> Floats:
    """(F,) the frames from first to last, both included."""
    return np.arange(first, last + 1, dtype=float)
