"""Where the trick would show over a shot, frame by frame."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

import numpy as np

from ..arrays import Floats, Indices
from ..camera import Camera
from ..cast.ofscene import Pixels, places_of, targets
from ..cast.overtime import casts, numbers
from ..render.diagnose import DiagnosedCast, Diagnosis
from ..scene.model import Plate, Scene
from ..sight.measure import required_camera
from .frames import RenderRequest, render_request

FINER = 4  # width of the lanterns' visibility buffers, relative to a frame's


def diagnosed_cast(scene: Scene, width: int, pixels: Pixels | None = None) -> DiagnosedCast:
    """A scene to be looked at in frames so wide. pixels: for how far plates with alpha cover."""
    sighted = required_camera(scene)
    lanterns = places_of(scene, sighted, pixels)
    return DiagnosedCast(targets(scene, sighted), lanterns, FINER * width)


def diagnosed(
    scene: Scene, asked: RenderRequest, pixels: Pixels | None = None
) -> Iterator[tuple[int, Diagnosis]]:
    """Each frame's number and its diagnosis, in order, worked out when it is asked for."""
    for i, (shot, cast) in enumerate(_looked_at(scene, asked, pixels)):
        yield asked.first + i, cast.from_(asked.frame.of(shot))


def _looked_at(
    scene: Scene, asked: RenderRequest, pixels: Pixels | None
) -> Iterator[tuple[Camera, DiagnosedCast]]:
    """The shot camera and what it looks at, at each frame that is asked for."""
    scene = _standing(scene)
    sighted = required_camera(scene)
    frames = numbers(asked.first, asked.last)
    throw = partial(places_of, sighted=sighted, pixels=pixels, standing={})
    return casts(
        scene, frames, sighted, throw, lambda t, lit: DiagnosedCast(t, lit, FINER * asked.width)
    )


def _standing(scene: Scene) -> Scene:
    """The scene with what plays standing still where it covers all of its plate: the maps do not
    ask what is on it."""

    def still(plate: Plate | None) -> Plate | None:
        opaque = plate is not None and plate.playing is not None and not plate.alpha
        return plate.model_copy(update={"playing": None}) if plate and opaque else plate

    lanterns = tuple(
        one if still(one.plate) is one.plate else one.model_copy(update={"plate": still(one.plate)})
        for one in scene.lanterns
    )
    return scene.model_copy(update={"plate": still(scene.plate), "lanterns": lanterns})


def line_of(scene: Scene, number: int, diagnosis: Diagnosis) -> dict[str, object]:
    """A frame's diagnosis as it is written out: shares of the frame, in all, by proxy and by
    lantern."""
    shown = [p for p in scene.proxies if not p.hidden]
    by = {p.name: diagnosis.shares_of(i) for i, p in enumerate(shown)}
    lit = {one.name: diagnosis.shares_by(i) for i, one in enumerate(scene.lanterns)}
    return {
        "frame": number, **diagnosis.shares(),
        "by_proxy": {name: s for name, s in by.items() if any(s.values())},
        "by_lantern": {name: s for name, s in lit.items() if any(s.values())},
    }  # fmt: skip


STRIP_WIDTH = 192  # px, the width at which all frames are diagnosed for the strip


class Frames(NamedTuple):
    """Shares (F,) of each frame where the trick would show; and by proxy, (P,) its share of the
    frame in which it is worst, and (P,) that frame."""

    leak: Floats
    spill: Floats
    stretch: Floats
    reveal: Floats
    proxy_most: Floats
    proxy_frame: Indices

    @property
    def worst(self) -> int:
        return int(np.argmax(self.leak + self.spill + self.stretch + self.reveal))


def whole_move(scene: Scene, pixels: Pixels | None = None) -> Frames:
    """Each frame of the shot looked at small. Frames that stand still are looked at once."""
    asked = render_request(scene, min(STRIP_WIDTH, scene.plate.width))
    count = sum(not p.hidden for p in scene.proxies)
    known: dict[tuple[float, ...], tuple[list[float], Floats]] = {}
    rows, by_proxy = [], []
    last = None
    for camera, cast in _looked_at(scene, asked, pixels):
        if cast is not last:  # something has moved
            known, last = {}, cast
        key = (*camera.position, *camera.rotation.ravel(), camera.focal_px)
        if key not in known:
            diagnosis = cast.from_(asked.frame.of(camera))
            wrong = (diagnosis.spill | diagnosis.stretched | diagnosis.reveal) & (
                diagnosis.owner >= 0
            )
            share = np.bincount(diagnosis.owner[wrong], minlength=count) / wrong.size
            known[key] = (list(diagnosis.shares().values()), share)
        rows.append(known[key][0])
        by_proxy.append(known[key][1])
    leak, spill, stretch, reveal = np.array(rows).T
    shares = np.array(by_proxy)
    return Frames(leak, spill, stretch, reveal, shares.max(axis=0), shares.argmax(axis=0))
