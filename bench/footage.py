"""Footage gathered into one picture, against rendering its frames."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np

from jade_lantern.core.arrays import Floats
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.cast.gather import gathered
from jade_lantern.core.cast.ofscene import cast_meshes
from jade_lantern.core.proxy import Box, Card, Floor
from jade_lantern.core.render.frame import render
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.scene.edits import AddLantern, AddProxies, apply
from jade_lantern.core.scene.model import (
    CameraPass,
    Given,
    Lantern,
    LanternView,
    PassFrame,
    Scene,
    Sighting,
)
from jade_lantern.core.scene.plate import Plate, Playing
from jade_lantern.core.scene.timed import Move
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.value import Point3

from .row import Row, side_by_side

SIZE, FRAMES, TIMES = (1920, 1080), 48, 3


def rows() -> Iterator[Row]:
    scene, wide = _scene()
    rng = np.random.default_rng(0)
    small = rng.integers(40, 215, (135, 240, 3)).astype(np.uint8)
    whole = cv2.resize(small, (3840, 2160), interpolation=cv2.INTER_CUBIC)
    lens = Camera.centred(3840, 2160, 1800.0, rotation_of(-12, 0, 0), np.array([0.0, 2.4, 3.0]))
    sighted = required_camera(scene)
    meshes = cast_meshes(scene, sighted, list(scene.proxies))
    cameras = [_camera(k) for k in range(FRAMES)]
    ready = pyramid(whole)
    pictures = [
        np.ascontiguousarray(render(meshes, camera, lens, ready)[..., :3]) for camera in cameras
    ]

    def rendered() -> None:
        for camera, picture in zip(cameras, pictures, strict=True):
            render(meshes, sighted, camera, pyramid(picture))

    ratio = side_by_side(
        lambda: gathered(scene, wide, lambda plate: pictures[plate.picture]), rendered, TIMES
    )
    yield Row("gathering 48 frames of 1920x1080", "rendering them", ratio, 1.5)


def _camera(number: int) -> Camera:
    s = number / (FRAMES - 1)
    place = np.array([-2.2 + 4.4 * s, 1.6, 1.0 - 0.6 * s])
    return Camera.centred(*SIZE, 1680.0, rotation_of(-4 - 2 * s, 0.5, 8 - 16 * s), place)


def _scene() -> tuple[Scene, Lantern]:
    def point(p: Floats) -> Point3:
        x, y, z = p.tolist()
        return x, y, z

    def axes(camera: Camera) -> tuple[Point3, Point3, Point3]:
        right, up, back = map(point, camera.rotation)
        return right, up, back

    cameras = [_camera(k) for k in range(FRAMES)]
    passed = CameraPass(
        name="walk",
        frames=tuple(
            PassFrame(position=point(c.position), axes=axes(c),
                      focal_mm=c.focal_px * 36 / SIZE[0])
            for c in cameras
        ),
    )  # fmt: skip
    first = cameras[0]
    given = Given(
        name="walk", position=point(first.position), axes=axes(first),
        focal_px=first.focal_px, centre=(SIZE[0] / 2, SIZE[1] / 2),
    )  # fmt: skip
    plate = Plate(
        name="walk.mp4", width=SIZE[0], height=SIZE[1], digest="a" * 64, format="movie", bits=8,
        playing=Playing(count=FRAMES, rate=24.0),
    )  # fmt: skip
    scene = Scene(
        name="walk", plate=plate, sighting=Sighting(given=given), passed=passed,
        move=Move(frames=FRAMES),
    )  # fmt: skip
    box = {"kind": "box", "width_m": 0.9, "depth_m": 0.9, "height_m": 1.2, "z": -4.0}
    crates = [Box(id=f"box-{i}", name=f"crate {i}", x=-2.0 + i, **box) for i in range(5)]
    ground = Floor(id="floor-0", name="ground", x=0, z=-4, width_m=14, depth_m=9)
    wall = Card(id="card-0", name="wall", x=0, z=-7, width_m=14, height_m=5)
    scene = apply(scene, AddProxies(proxies=(ground, wall, *crates)))
    view = LanternView(
        position=(0.0, 1.9, 2.2), tilt_deg=-6, focal_mm=22.5, width=SIZE[0], height=SIZE[1]
    )
    scene = apply(scene, AddLantern(name="wide", view=view))
    return scene, scene.lanterns[-1]
