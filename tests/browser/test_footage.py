"""Footage as the views show it, against the core: along with its camera, held, and over a clean
still by its matte."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import Page, expect

from jade_lantern.core.batch import PicturesAtHand
from jade_lantern.core.picture import png
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.moment import at
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Folder
from tests.browser.lens import drawn, go_to, one_change, open_project, state, wait_drawn
from tests.browser.test_viewport import EDGE, core_view
from tests.core.test_beside import COUNT, footage, sequence, size_of
from tests.truth import decibels

RATIO = 1  # what the viewport drew is looked at


def go_through(page: Page, frame: int) -> None:
    """A quick hand: the pictures on the way are not waited for."""
    strip = page.get_by_role("slider", name="Frame")
    strip.focus()
    strip.press("Home")
    for _ in range(frame):
        strip.press("ArrowRight")


def agrees(page: Page, scene: Scene, frame: int, pixels, least: float) -> None:
    """Whether the shot view shows what the core renders, when its pictures have come."""
    moment = at(scene, float(frame))
    for patience in range(40):
        picture = drawn(page, "Shot view")
        h, w = picture.shape[:2]
        tall = w * scene.plate.height / scene.plate.width
        top = (h - tall) / 2
        core = core_view(moment, None, frame, top, w, h, pixels)
        inside = np.zeros((h, w), bool)
        inside[int(top) + EDGE : int(top + tall) - EDGE, EDGE:-EDGE] = True
        inside &= core[..., 3] == 255
        if decibels(picture, core[..., :3], inside) > least or patience == 39:
            break
        page.wait_for_timeout(500)
    assert inside.mean() > 0.3
    assert decibels(picture, core[..., :3], inside) > least


def changed(page: Page, **change: object) -> Scene:
    number = page.url.split("/project/")[1].split("/")[0]
    answer = page.request.post(
        f"/api/projects/{number}/edits", headers={"X-Jade-Lantern": "1"},
        data={"base": state(page)["revision"], "change": change},
    )  # fmt: skip
    assert answer.status == 200, answer.text()
    return Scene.model_validate(state(page)["scene"])


def undone(page: Page, before: int) -> None:
    while state(page)["revision"] > before:
        page.keyboard.press("Control+z")
        page.wait_for_timeout(300)


def test_footage_is_seen_along_with_its_camera_and_held(page: Page, served) -> None:
    page.goto("/")
    page.get_by_role("link", name="Lantern Quay, a pass").click()
    wait_drawn(page)
    before = state(page)["revision"]
    scene = Scene.model_validate(state(page)["scene"])
    still = scene.lanterns[0].id
    rows = [{"proxy": p.id, "lanterns": [still]} for p in scene.proxies]
    changed(page, verb="CastOn", rows=rows)
    along = changed(page, verb="AlterLantern", lantern=still, to={"held": None})
    pixels = PicturesAtHand(Folder(served.data / "plates")).deep
    go_to(page, "Move")
    for frame in (9, 5):
        go_through(page, frame)
        agrees(page, along, frame, pixels, 30)
    held = changed(page, verb="AlterLantern", lantern=still, to={"held": 30})
    page.wait_for_timeout(500)
    go_through(page, 5)
    agrees(page, held, 5, pixels, 30)
    both = [core_view(at(one, 5.0), None, 5, 0, 240, 160, pixels)[..., :3] for one in (along, held)]
    assert decibels(*both, np.ones((160, 240), bool)) < 30
    undone(page, before)


def test_footage_with_a_matte_is_laid_over_the_still_and_undone(page: Page, served) -> None:
    open_project(page, "Lantern Quay")
    before = state(page)["revision"]
    scene = Scene.model_validate(state(page)["scene"])
    go_to(page, "Cast")
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_role("button", name="Footage of this view").click()
    mattes = []
    for n in range(COUNT):
        one = np.zeros((*size_of(scene)[::-1], 3), np.uint8)
        one[:, 10 + 20 * n : 30 + 20 * n] = 255
        mattes.append(one)
    for label, data in (
        ("Footage of this view", footage(scene)),
        ("Matte of the footage", sequence(mattes)),
    ):
        file = {"name": "rain.zip", "mimeType": "application/zip", "buffer": data}
        page.get_by_label(label, exact=True).and_(page.locator("input")).set_input_files([file])  # type: ignore[list-item]
    with one_change(page):
        tray.get_by_role("button", name="Lay it").click()
    laid = Scene.model_validate(state(page)["scene"])
    assert laid.lanterns[-1].mask is not None
    expect(tray.get_by_label("It plays from frame")).to_have_value("0")
    pixels = PicturesAtHand(Folder(served.data / "plates")).deep
    go_to(page, "Move")
    for frame in (4, 1):
        go_through(page, frame)
        agrees(page, laid, frame, pixels, 32)
    go_to(page, "Cast")
    with one_change(page):
        tray.get_by_label("First of its pictures").fill("1003")
        tray.get_by_label("First of its pictures").press("Enter")
    playing = state(page)["scene"]["lanterns"][-1]
    assert playing["plate"]["playing"]["begins"] == 2
    assert playing["mask"]["playing"]["begins"] == 2
    with one_change(page):
        tray.get_by_role("button", name="Only its picture at frame 1").click()
    one = state(page)["scene"]["lanterns"][-1]
    assert one["plate"]["playing"] is None
    assert one["plate"]["name"] == "rain 1004"
    undone(page, before)


def test_a_photograph_is_placed_by_places_pressed_in_both(
    page: Page, served, complaints: list[str]
) -> None:
    """Plain grey, so that nothing of it is found by itself; its places are those of the still, so
    that it is placed where the still was."""
    open_project(page, "Lantern Quay")
    before = state(page)["revision"]
    scene = Scene.model_validate(state(page)["scene"])
    sighted = required_camera(scene)
    go_to(page, "Cast")
    tray = page.get_by_role("complementary", name="Tray")
    grey = png(np.full((scene.plate.height // 4, scene.plate.width // 4, 3), 100, np.uint8))
    file = {"name": "aside.png", "mimeType": "image/png", "buffer": grey}
    with one_change(page):
        page.get_by_label("Painted plates").set_input_files([file])  # type: ignore[list-item]
    tray.get_by_role("button", name="aside:").click()
    tray.get_by_role("button", name="By places that both show").click()
    places = []
    for proxy in scene.proxies:
        if proxy.name in ("crate 1", "crate 3", "workshop 2", "workshop 4"):
            points = proxy.mesh(sighted).points
            at, depth = sighted.project(points)
            inside = (depth > 0) & (at > 40).all(axis=1)
            inside &= (at < [scene.plate.width - 40, scene.plate.height - 40]).all(axis=1)
            nearest = np.argsort(depth[inside])[:2]
            for one in at[inside][nearest]:  # a press on a place that is there takes hold of that
                if all(np.hypot(*(one - other)) > 60 for other in places):
                    places.append(one)
    panes = [page.get_by_role("application", name=f"The {one}") for one in ("still", "photograph")]
    press = page.get_by_role("button", name="Place it by")
    expect(press).to_be_disabled()
    for x, y in places:
        for pane in panes:
            box = pane.bounding_box()
            assert box
            scale = box["width"] / scene.plate.width
            page.mouse.click(box["x"] + x * scale, box["y"] + y * scale)
    mark = page.get_by_role("button", name="Place 1 in The photograph")
    mark.focus()
    mark.press("ArrowRight")
    mark.press("ArrowLeft")
    expect(press).to_contain_text(f"Place it by {len(places)} places")
    with one_change(page):
        press.click()
    view = state(page)["scene"]["lanterns"][-1]["view"]
    off = np.linalg.norm(np.array(view["position"]) - sighted.position)
    assert off < 0.8
    tray.get_by_role("button", name="How far it is off").click()  # grey is like nothing
    expect(page.get_by_text("is nowhere like what the still throws there")).to_be_visible()
    complaints.clear()
    undone(page, before)
