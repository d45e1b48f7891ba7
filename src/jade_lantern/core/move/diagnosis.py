"""Where the trick would show over a shot, frame by frame."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from ..camera import Camera
from ..cast.ofscene import Pixels, places_of, targets
from ..cast.overtime import casts, numbers
from ..render.diagnose import TOO_FAR, DiagnosedCast, Diagnosis
from ..scene.model import Scene
from ..scene.plate import Plate
from ..sight.measure import required_camera
from .frames import RenderRequest

BUFFER_WIDTH = 1152  # px, of the lanterns' visibility buffers; edges are exact at any width


def diagnosed_cast(scene: Scene, pixels: Pixels | None = None) -> DiagnosedCast:
    """A scene to be looked at. pixels: for how far plates with alpha cover."""
    sighted = required_camera(scene)
    lanterns = places_of(scene, sighted, pixels)
    return DiagnosedCast(targets(scene, sighted), lanterns, BUFFER_WIDTH)


def looked_at(
    cast: DiagnosedCast, asked: RenderRequest, shot: Camera, too_far: float = TOO_FAR
) -> Diagnosis:
    """The frame that a shot camera gives, looked at in the width that is asked for."""
    camera, larger, size = asked.looked_at(shot)
    return cast.from_(camera, larger, too_far, size)


def diagnosed(
    scene: Scene, asked: RenderRequest, pixels: Pixels | None = None
) -> Iterator[tuple[int, Diagnosis]]:
    """Each frame's number and its diagnosis, in order, worked out when it is asked for."""
    for i, (shot, cast) in enumerate(_looked_at(scene, asked, pixels)):
        yield asked.first + i, looked_at(cast, asked, shot)


def _looked_at(
    scene: Scene, asked: RenderRequest, pixels: Pixels | None
) -> Iterator[tuple[Camera, DiagnosedCast]]:
    """The shot camera and what it looks at, at each frame that is asked for."""
    scene = standing(scene)
    sighted = required_camera(scene)
    frames = numbers(asked.first, asked.last)
    throw = partial(places_of, sighted=sighted, pixels=pixels, standing={})
    return casts(scene, frames, sighted, throw, lambda t, lit: DiagnosedCast(t, lit, BUFFER_WIDTH))


def standing(scene: Scene) -> Scene:
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
