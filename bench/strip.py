"""The time strip after a change, against working it out anew."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jade_lantern.core.change import changed
from jade_lantern.core.move.ready import Push
from jade_lantern.core.move.strip import Strip
from jade_lantern.core.proxy import Backdrop, Box, Floor, Proxy
from jade_lantern.core.scene.edits import AlterProxy, SetShot, apply
from jade_lantern.core.scene.model import ByEye, Scene, Sighting
from jade_lantern.core.scene.plate import Plate

from .row import Row, side_by_side

FRAMES, PROXIES, TIMES = 240, 50, 3


def rows() -> Iterator[Row]:
    scene = a_place(PROXIES)
    before = Strip(scene)
    before.work()
    step = iter(range(10_000))

    def change() -> None:
        to = {"proxy": "box-20", "to": {"x": 0.01 * next(step)}}
        after = before.after(apply(scene, AlterProxy.model_validate(to)))
        after.work()
        after.frames_so_far()

    def anew() -> None:
        strip = Strip(scene)
        strip.work()
        strip.frames_so_far()

    ratio = side_by_side(change, anew, TIMES)
    name = f"time strip after one proxy of {PROXIES} changed, {FRAMES} frames"
    yield Row(name, "the whole diagnosis", ratio, 0.2)


def a_place(count: int) -> Scene:
    """A floor, a backdrop and boxes on it, and a push over many frames."""
    chance = np.random.default_rng(4)
    proxies: list[Proxy] = [
        Floor(id="floor-1", name="floor", width_m=60, depth_m=60),
        Backdrop(id="backdrop-2", name="sky", distance_m=60),
    ]
    for i in range(3, count + 1):
        x, z = float(chance.uniform(-5, 5)), float(chance.uniform(-16, -4))
        proxies.append(
            Box(id=f"box-{i}", name=f"b{i}", width_m=0.5, depth_m=0.5, height_m=0.8, x=x, z=z)
        )
    scene = Scene(
        name="a place",
        plate=Plate(
            name="a.png", width=1920, height=1080, digest="0" * 64, format="PNG", bits=8
        ),
        sighting=Sighting(
            by_eye=ByEye(focal_px=1600.0, tilt_deg=-4), datum=(960, 900), eye_height_m=1.6
        ),
        proxies=tuple(proxies), next_id=count + 1,
    )  # fmt: skip
    longer = apply(scene, SetShot(fps=24, frames=FRAMES))
    return changed(longer, Push(distance_m=1.5))[1]
