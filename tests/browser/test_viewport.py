"""What the browser draws against what the core renders."""

from dataclasses import replace

import numpy as np
from playwright.sync_api import Page, expect

from jade_lantern.core.block.surfaces import meshes
from jade_lantern.core.cast.pyramid import Pyramid
from jade_lantern.core.cast.render import render
from jade_lantern.core.move.path import shot_camera
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.measure import required_camera
from tests.browser.lens import drawn, go_to, open_project
from tests.truth import decibels

WINDOW = (1280, 800)
EDGE = 3  # px round the frame, where the view's own border is antialiased


def core_view(
    scene: Scene, plate: Pyramid, frame: float | None, top: float, w: int, h: int
) -> np.ndarray:
    """The same view by the core: the shot camera with its principal point moved into the canvas."""
    sighted = required_camera(scene)
    camera = sighted if frame is None else shot_camera(scene, frame, sighted)
    small = camera.resized(w, round(w * camera.height / camera.width))
    tall = w * camera.height / camera.width
    view = replace(small, height=h, cy=top + tall / 2)
    return render(meshes(scene, sighted), view, sighted, plate)


def compare(page: Page, view: str, scene: Scene, plate: Pyramid, frame: float | None) -> float:
    picture = drawn(page, view)
    h, w = picture.shape[:2]
    assert w / h < scene.plate.width / scene.plate.height  # the picture spans the view's width
    tall = w * scene.plate.height / scene.plate.width
    top = (h - tall) / 2
    core = core_view(scene, plate, frame, top, w, picture.shape[0])
    inside = np.zeros(picture.shape[:2], bool)
    inside[int(top) + EDGE : int(top + tall) - EDGE, EDGE:-EDGE] = True
    inside &= core[..., 3] == 255
    assert inside.mean() > 0.4
    return decibels(picture, core[..., :3], inside)


def test_the_viewport_shows_what_the_renderer_renders(page, demo_scene, plate):
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")
    page.get_by_role("button", name="Wire", exact=True).click()
    assert compare(page, "Lens view", demo_scene, plate, None) > 35
    go_to(page, "Move")
    page.get_by_role("slider", name="Frame").press("End")
    expect(page.get_by_text("Shot · frame 95")).to_be_visible()
    assert compare(page, "Shot view", demo_scene, plate, 95) > 35
