"""Beginnings other than a still, by hand: on nothing, with a camera's file, and on footage."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect
from scipy.spatial.transform import Rotation

from jade_lantern.core.camera import Camera
from jade_lantern.core.picture import png
from jade_lantern.demo.passing import path_of_camera
from tests.browser.lens import Lens, drawn, go_to, kept, one_change, state, wait_drawn
from tests.core.test_camera_files import truth, usd_of


def picture(width: int, height: int) -> bytes:
    rng = np.random.default_rng(2)
    small = rng.integers(0, 255, (9, 16, 3)).astype(np.uint8)
    return png(cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC))


def begin_on_nothing(page: Page, name: str) -> None:
    page.goto("/")
    page.get_by_role("button", name="Begin on nothing…").click()
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_label("Tilt").fill("-6")
    page.get_by_label("Tilt").press("Enter")
    page.get_by_role("button", name="Begin", exact=True).click()
    page.wait_for_url("**/project/**")
    wait_drawn(page)


def test_a_project_begins_on_nothing_and_is_painted_later(page: Page) -> None:
    begin_on_nothing(page, "Ferry steps")
    expect(page.get_by_text("Chosen, not found")).to_be_visible()
    before = state(page)
    assert before["scene"]["plate"]["awaited"]
    assert before["reading"]["tilt_deg"]["value"] == -6
    page.get_by_role("link", name="Block", exact=True).click()
    lens = Lens(page, 1920, 1080)
    page.get_by_role("button", name="Box", exact=True).click()
    for at in ((800, 900), (1200, 900), (1240, 820)):
        lens.click(at)
    page.keyboard.press("Enter")
    kept(page, 1)
    (box,) = state(page)["scene"]["proxies"]
    page.get_by_role("link", name="Still", exact=True).click()
    link = page.get_by_role("link", name="The blocking, to paint over")
    with page.expect_download() as waits:
        link.click()
    assert Path(waits.value.path()).read_bytes()[:2] == b"PK"

    field = page.get_by_label("Picture in the still’s place")
    file = {"name": "steps.png", "mimeType": "image/png", "buffer": picture(2600, 1080)}
    field.set_input_files([file])  # type: ignore[list-item]
    expect(page.get_by_text("What does it show?")).to_be_visible()
    with one_change(page):
        page.get_by_role("button", name="More than the frame").click()
    after = state(page)
    assert (after["scene"]["plate"]["width"], after["scene"]["plate"]["height"]) == (2600, 1080)
    assert after["scene"]["proxies"] == [box]
    old, new = before["reading"]["camera"], after["reading"]["camera"]
    assert np.allclose(old["position"], new["position"])
    assert new["focal_px"] == old["focal_px"]
    assert new["cx"] == old["cx"] + 340
    newer = {"name": "newer.png", "mimeType": "image/png", "buffer": picture(1300, 540)}
    with one_change(page):
        field.set_input_files([newer])  # type: ignore[list-item]
    earlier = page.get_by_role("list", name="Earlier stills")
    expect(earlier.get_by_text("steps.png")).to_be_visible()
    with one_change(page):
        earlier.get_by_role("button", name="Bring back").click()
    assert state(page)["scene"]["plate"]["name"] == "steps.png"
    for _ in range(3):
        with one_change(page):
            page.keyboard.press("Control+z")
    expect(page.get_by_text("No picture yet.")).to_be_visible()


def test_a_camera_from_a_file_is_the_sighting_and_the_shot(
    page: Page, tmp_path: Path, complaints: list[str]
) -> None:
    begin_on_nothing(page, "Brought")
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_role("button", name="Camera from a file").click()
    field = page.get_by_label("Camera’s file")
    wrong = {"name": "a.glb", "mimeType": "model/gltf-binary", "buffer": b"glTF junk"}
    field.set_input_files([wrong])  # type: ignore[list-item]
    expect(page.get_by_text("cannot be read")).to_be_visible()
    complaints.clear()
    data = usd_of(truth(), tmp_path)
    file = {"name": "walk.usda", "mimeType": "application/octet-stream", "buffer": data}
    with one_change(page):
        field.set_input_files([file])  # type: ignore[list-item]
    expect(page.get_by_text("is the sighting, with its own place")).to_be_visible()
    told = state(page)
    assert told["reading"]["verdict"] == "True"
    assert np.allclose(told["reading"]["camera"]["position"], truth()[0].position)
    assert len(told["scene"]["move"]["position"]) == 48
    page.get_by_role("link", name="Deliver", exact=True).click()
    with page.expect_download() as waits:
        page.get_by_role("link", name="Camera in numbers").click()
    assert b'"what": "camera"' in Path(waits.value.path()).read_bytes()
    page.get_by_role("link", name="Sight", exact=True).click()
    with one_change(page):
        tray.get_by_role("button", name="Let it go").click()
    assert state(page)["scene"]["sighting"]["given"] is None
    assert state(page)["scene"]["sighting"]["by_eye"] is not None


def test_footage_is_held_goes_along_is_ranked_and_gathered(page: Page) -> None:
    page.goto("/")
    page.get_by_role("link", name="Lantern Quay, a pass").click()
    wait_drawn(page)
    go_to(page, "Cast")
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_text("crate 1", exact=True).click()
    tray.get_by_role("button", name="Frames of the footage").click()
    tray.get_by_role("button", name="Best for crate 1").click()
    best = tray.get_by_role("list", name="Best frames")
    expect(best.get_by_role("listitem")).to_have_count(4)
    with one_change(page):
        best.get_by_role("button", name="Hold it").first.click()
    held = state(page)["scene"]["lanterns"][-1]
    assert held["held"] is not None
    assert held["view"] is None
    with one_change(page):
        page.keyboard.press("Control+z")

    def lantern(name: str) -> str:
        tray.get_by_role("button", name=re.compile(f"^Lantern [0-9]+, {name}:")).click()
        (one,) = [k for k in state(page)["scene"]["lanterns"] if k["name"] == name]
        return str(one["id"])

    lantern("still")
    with one_change(page):
        tray.get_by_role("button", name="Along with its camera").click()
    assert state(page)["scene"]["lanterns"][0]["held"] is None
    with one_change(page):
        page.keyboard.press("Control+z")
    id = lantern("gathered")
    with one_change(page):
        tray.get_by_role("button", name="Gather it from the footage").click()
    (made,) = [k for k in state(page)["scene"]["lanterns"] if k["id"] == id]
    assert made["plate"]["alpha"]
    page.get_by_role("button", name="History").click()
    expect(
        page.get_by_role("button", name=re.compile("Gather gathered from")).first
    ).to_be_visible()


def test_a_camera_of_another_world_is_placed_by_its_ground(page: Page, tmp_path: Path) -> None:
    """The camera that took the pass, as a program leaves it that follows cameras: any way up, any
    size. Five places of the quay in its first and its last picture put it back."""
    page.goto("/")
    page.get_by_role("link", name="Lantern Quay, a pass").click()
    wait_drawn(page)
    before = state(page)["revision"]
    plate = state(page)["scene"]["plate"]
    size, path = (plate["width"], plate["height"]), path_of_camera()
    page.get_by_role("link", name="Sight", exact=True).click()
    page.wait_for_timeout(1000)
    still = drawn(page, "Lens view")
    assert still.std() > 20  # its picture is shown here too
    places = [(-1.0, 0, -6.0), (2.0, 0, -6.0), (-1.5, 0, -12.0), (2.5, 0, -11.0), (0.5, 0, -8.0)]
    taken = [
        Camera.centred(*size, focal * size[1], turn, place)
        for place, turn, focal in zip(path.places, path.turns, path.focals, strict=True)
    ]
    turn = Rotation.from_euler("yxz", [130, 40, -25], degrees=True).as_matrix()
    told = [
        replace(
            one, rotation=one.rotation @ turn.T, position=0.13 * turn @ one.position + [3, -7, 2]
        )
        for one in taken
    ]
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_role("radio", name="By places on its ground").click()
    tray.get_by_role("button", name="Pick places on the ground").click()
    for side, camera in (("left", taken[0]), ("right", taken[-1])):
        pane = page.get_by_role("application", name=f"Picture on the {side}")
        for x, y in camera.project(np.array(places))[0].tolist():
            box = pane.bounding_box()
            assert box
            scale = box["width"] / size[0]
            page.mouse.click(box["x"] + x * scale, box["y"] + y * scale)
    page.get_by_role("button", name="Take these 5 places").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    tray.get_by_label("From place 1 to 2").fill("3 m")
    tray.get_by_label("From place 1 to 2").press("Enter")
    data = usd_of(told, tmp_path)
    file = {"name": "solve.usda", "mimeType": "application/octet-stream", "buffer": data}
    with one_change(page):
        page.get_by_label("Camera’s file").set_input_files([file])  # type: ignore[list-item]
    expect(tray.get_by_text("Its ground is known to ±")).to_be_visible()
    found = state(page)["reading"]["camera"]
    reference = state(page)["scene"]["passed"]["reference"]
    truth_there = taken[reference]
    assert found["position"][1] == pytest.approx(truth_there.position[1], rel=0.1)
    off = np.array(found["rotation"]) @ truth_there.rotation.T
    assert np.degrees(Rotation.from_matrix(off).magnitude()) < 3  # a screen pixel is 1 of 504
    # the others are looked at by their own cameras, under the same grid
    tray.get_by_role("slider", name="Frame of the footage").press("End")
    expect(page.get_by_text("Picture 47, by the camera that took it")).to_be_visible()
    page.wait_for_timeout(1500)
    other = drawn(page, "Lens view").astype(int)
    assert np.abs(other - still).mean() > 10
    tray.get_by_role("button", name="Back to the still").click()
    expect(page.get_by_text("by the camera that took it")).to_have_count(0)
    while state(page)["revision"] > before:
        page.keyboard.press("Control+z")
        page.wait_for_timeout(300)
