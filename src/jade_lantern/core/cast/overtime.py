"""A scene's cast over the frames of a shot: what does not change is worked out once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Protocol, Self, TypeVar

import numpy as np

from ..arrays import Floats
from ..camera import Camera, same_camera
from ..proxy import Proxy
from ..render.land import Target, Thrower
from ..scene.model import Scene
from ..scene.moment import moments, playing_guests, playing_plates
from ..scene.shot import shot_cameras
from .ofscene import targets


class Thrown(Protocol):
    """What targets and lanterns are made into, such as a `land.Cast`."""

    def thrown_by(self, throwers: list[Thrower]) -> Self:
        """The same with other plates and strengths in its lanterns."""


ThrownT = TypeVar("ThrownT", bound=Thrown)


def casts(
    scene: Scene,
    frames: Floats,
    sighted: Camera,
    throw: Callable[[Scene], list[Thrower]],
    make: Callable[[list[Target], list[Thrower]], ThrownT],
    more: Callable[[Scene, Camera], list[Target]] | None = None,
) -> Iterator[tuple[Camera, ThrownT]]:
    """The shot camera at each of some frames (F,), and what it looks at there; the same object as
    before where nothing has changed. throw: the lanterns of the scene at a moment; where plates
    play those of the next frame are made ready on another thread meanwhile. make: a cast of targets
    and lanterns. more: what stands there besides the proxies, seen by a shot camera; its throwers
    are those that `throw` has behind the lanterns."""
    known: dict[int, tuple[Proxy, list[Target]]] = {}
    still = {id(proxy) for proxy in scene.proxies}
    shots, at = shot_cameras(scene, frames, sighted), moments(scene, frames)
    last: tuple[Scene, list[Target], ThrownT] | None = None
    lanterns: list[Thrower] = []
    faces = any(one.facing for one in scene.guests) and scene.move.keyed and more is not None
    for shot, moment, thrown in zip(shots, at, _lanterns(scene, at, throw), strict=True):
        if last is None or last[0] is not moment or faces:
            there = targets(moment, sighted, known)
            known = {key: one for key, one in known.items() if key in still}
            there += [] if more is None else more(moment, shot)
            if last is not None and _same(there, last[1]) and _from_there(thrown, lanterns):
                cast = last[2].thrown_by(thrown)
            else:
                cast = make(there, thrown)
            last, lanterns = (moment, there, cast), thrown
        yield shot, last[2]


def _from_there(some: list[Thrower], others: list[Thrower]) -> bool:
    """Whether lanterns are thrown from where others are."""
    return all(
        a.camera is b.camera or a.laid or same_camera(a.camera, b.camera)
        for a, b in zip(some, others, strict=True)
    )


def _same(some: list[Target], others: list[Target]) -> bool:
    return len(some) == len(others) and all(a is b for a, b in zip(some, others, strict=True))


def _lanterns(
    scene: Scene, at: list[Scene], throw: Callable[[Scene], list[Thrower]]
) -> Iterator[list[Thrower]]:
    """The lanterns of a scene at each of its moments, in order."""
    # what their pictures depend on, besides their plates
    parts = {one.id for one in scene.guests}
    if scene.look is not None and scene.look.of != "frame":
        parts.add(scene.look.id)
    if playing_plates(scene) or playing_guests(scene) or any(t.part in parts for t in scene.tracks):
        yield from _playing_lanterns(at, throw)
        return
    plates = throw(scene)
    for moment in at:
        lanterns = [
            one if one.strength == now.strength else replace(one, strength=now.strength)
            for one, now in zip(plates, moment.lanterns, strict=False)
        ]
        yield lanterns + plates[len(lanterns) :]


def _playing_lanterns(
    at: list[Scene], throw: Callable[[Scene], list[Thrower]]
) -> Iterator[list[Thrower]]:
    """The same, one moment ahead."""
    changes = [m for i, m in enumerate(at) if i == 0 or m is not at[i - 1]]
    with ThreadPoolExecutor(1) as beside:
        coming = beside.submit(throw, changes[0])
        passed, thrown = -1, []
        for i, moment in enumerate(at):
            if i == 0 or moment is not at[i - 1]:
                thrown, passed = coming.result(), passed + 1
                if passed + 1 < len(changes):
                    coming = beside.submit(throw, changes[passed + 1])
            yield thrown


def numbers(first: int, last: int) -> Floats:
    """(F,) the frames from first to last, both included."""
    return np.arange(first, last + 1, dtype=float)
