"""Block by hand: an outline drawn round a gable, a room, a distance changed under the picture."""

from __future__ import annotations

import json

import numpy as np
from playwright.sync_api import Page, expect

from jade_lantern.core.camera import Camera
from jade_lantern.core.scene.document import read
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.measure import required_camera
from tests.browser.lens import Lens, go_to, one_change, open_project, state


def scene_of(page: Page) -> Scene:
    return read(json.dumps(state(page)["scene"]))


def camera_of(page: Page) -> Camera:
    return required_camera(scene_of(page))


def test_an_outline_is_drawn_reached_and_pushed_into_a_prism(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    hand = Lens(page, 1920, 1280)
    camera = camera_of(page)
    gable = [(-2.6, 0.0), (-1.6, 0.0), (-1.6, 0.9), (-2.1, 1.3), (-2.6, 0.9)]
    picks = [tuple(camera.project(np.array([[x, y, -1.0]]))[0][0]) for x, y in gable]
    page.get_by_role("button", name="Outline", exact=True).click()
    page.get_by_label("pulled onto the picture’s edges").uncheck()
    for p in picks[:3]:
        hand.click(p)
    hand.click((300.0, 300.0))  # a slip, taken back
    page.keyboard.press("Backspace")
    for p in picks[3:]:
        hand.click(p)
    with one_change(page):
        hand.click(picks[0])  # a press on the first point closes it
    drawn = scene_of(page).proxies[-1]
    assert drawn.kind == "outline"
    world = drawn.mesh(camera).points
    wanted = np.array([(x, y, -1.0) for x, y in gable])
    assert np.linalg.norm(world[:, None] - wanted[None], axis=2).min(axis=0).max() < 0.02

    field = page.get_by_label("Distance, held in the picture")
    near = float(field.input_value())
    with one_change(page):
        field.fill(f"{near} * 1.5")
        field.press("Enter")
    reached = scene_of(page).proxies[-1]
    seen, depth = camera.project(reached.mesh(camera).points)
    before, deep = camera.project(world)
    assert np.abs(seen - before).max() < 0.01
    assert np.allclose(depth, 1.5 * deep, rtol=2e-3)
    with one_change(page):
        page.get_by_label("Thickness").fill("0.2")
        page.get_by_label("Thickness").press("Enter")
    assert len(scene_of(page).proxies[-1].mesh(camera).points) == 2 * len(gable)
    for _ in range(3):
        with one_change(page):
            page.get_by_role("button", name="Undo").click()
    assert not any(p.kind == "outline" for p in scene_of(page).proxies)


def test_a_room_is_stood_by_its_back_wall_and_a_side_left_out(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    hand = Lens(page, 1920, 1280)
    camera = camera_of(page)
    page.get_by_role("button", name="Room", exact=True).click()
    corners = [(-3.0, 0.0, -6.0), (-1.0, 0.0, -6.0), (-1.0, 1.5, -6.0)]
    with one_change(page):
        for corner in corners:
            hand.click(tuple(camera.project(np.array([corner]))[0][0]))
    room = scene_of(page).proxies[-1]
    assert (room.kind, round(room.width_m, 1), round(room.height_m, 1)) == ("room", 2.0, 1.5)
    assert room.mesh(camera).points[:, 2].max() > camera.position[2]
    sides = page.get_by_role("group", name="Its sides")
    with one_change(page):
        sides.get_by_role("button", name="ceiling").click()
    assert "ceiling" not in scene_of(page).proxies[-1].sides
    expect(sides.get_by_role("button", name="ceiling")).to_have_attribute("aria-pressed", "false")
    for _ in range(2):
        with one_change(page):
            page.get_by_role("button", name="Undo").click()
