"""A still of one's own through all six stations by hand, held against the truth at the end."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import cv2
import numpy as np
import pygltflib
from playwright.sync_api import Browser, Page, expect

from jade_lantern.core.camera import Camera
from jade_lantern.core.picture import Still
from jade_lantern.core.picture.footage import read_movie
from jade_lantern.core.scene.document import read
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.demo.picture import paint_picture
from jade_lantern.demo.project import DATUM, EDGES, seen
from jade_lantern.demo.world import CRATES, EYE_HEIGHT_M, FACADE_X, lens, quay
from tests.browser.lens import Lens, drawn, kept, state, wait_drawn
from tests.truth import decibels, grown, same_move, seen_by_both, stretch

KEYS = {"across": "1", "away": "2", "up": "3"}


def test_a_still_becomes_a_moving_shot(
    page: Page, browser: Browser, still_file: Path, still: Still, tmp_path: Path
) -> None:
    camera = lens()
    hand = Lens(page, still.width, still.height)

    # Still
    page.goto("/")
    page.get_by_label("Still", exact=True).set_input_files(still_file)
    expect(page.get_by_text("1920 × 1280")).to_be_visible()
    wait_drawn(page)

    # Sight
    page.get_by_role("button", name="On to Sight").click()
    for i, (heading, a, b) in enumerate(EDGES):
        page.keyboard.press(KEYS[heading])
        hand.drag(seen(camera, a), seen(camera, b))
        kept(page, i + 1)
        page.keyboard.press("Escape")
    page.keyboard.press("d")
    hand.click(seen(camera, DATUM))
    kept(page, len(EDGES) + 1)
    height = page.get_by_label("Eye height")
    height.fill(str(EYE_HEIGHT_M))
    height.press("Enter")
    kept(page, len(EDGES) + 2)
    page.get_by_role("button", name="Lock sighting").click()
    kept(page, len(EDGES) + 3)
    reading = state(page)["reading"]
    assert abs(reading["focal_px"]["value"] / camera.focal_px - 1) < 0.02
    assert reading["verdict"] in ("True", "Fair")
    expect(page.get_by_role("group", name="Verdict")).to_contain_text(reading["verdict"])

    # Block
    page.get_by_role("button", name="On to Block").click()
    revision = state(page)["revision"]
    page.get_by_role("button", name="Lay the ground").click()
    page.get_by_role("button", name="Hang a backdrop").click()
    page.get_by_role("button", name="Card", exact=True).click()
    for p in ((FACADE_X, 0, -4.9), (FACADE_X, 0, -24.0), (FACADE_X, 2.9, -4.9)):
        hand.click(seen(camera, p))
    kept(page, revision + 3)
    tall = page.get_by_label("Height")
    tall.fill("7")
    tall.press("Enter")
    kept(page, revision + 4)
    for n, (x, z, wide, deep, high) in enumerate(CRATES[:2]):
        page.get_by_role("button", name="Box", exact=True).click()
        left, right, front, back = x - wide / 2, x + wide / 2, z + deep / 2, z - deep / 2
        for p in ((left, 0, front), (right, 0, front), (right, 0, back), (left, high, front)):
            hand.click(seen(camera, p))
        kept(page, revision + 5 + n)
    crate = state(page)["scene"]["proxies"][-2]
    assert abs(crate["width_m"] - CRATES[0][2]) < 0.05
    assert abs(crate["height_m"] - CRATES[0][4]) < 0.05

    # Cast: at the lens nothing may shift when the geometry is switched on and off
    page.get_by_role("button", name="On to Cast").click()
    near = browser.new_page(viewport={"width": 1920, "height": 1180})  # the plate's own pixels
    near.goto(page.url)
    near.get_by_role("button", name="Wire", exact=True).click()
    near.get_by_role("button", name="Fit").click()
    with_cast = drawn(near, "Lens view")
    near.get_by_role("button", name="Cast", exact=True).click()
    apart = np.abs(with_cast.astype(int) - drawn(near, "Lens view"))
    assert apart.max() <= 5
    assert (apart > 1).mean() < 0.002
    near.close()

    # Move
    page.get_by_role("button", name="On to Move").click()
    revision = state(page)["revision"]
    page.get_by_role("button", name="Shot", exact=False).filter(has_text="frames").click()
    frames = page.get_by_label("Frames", exact=True)
    frames.fill("12")
    frames.press("Enter")
    kept(page, revision + 1)
    by = page.get_by_label("By", exact=True)
    by.fill("0.9")
    by.press("Enter")
    page.get_by_role("button", name="Make it").click()
    kept(page, revision + 2)
    page.get_by_role("slider", name="Frame").press("End")
    expect(page.get_by_text("Shot · frame 11")).to_be_visible()

    # Deliver
    page.get_by_role("button", name="On to Deliver").click()
    page.get_by_role("button", name="Frames, PNG").click()
    page.get_by_role("button", name="Render the frames").click()
    page.get_by_role("button", name="Movie, MP4").click()
    page.get_by_role("button", name="Half").click()
    page.get_by_role("button", name="Render the movie").click()
    kept_list = page.get_by_role("list", name="Deliveries")
    expect(kept_list.get_by_text("kept,")).to_have_count(2, timeout=120_000)
    with page.expect_download() as fetched:
        kept_list.get_by_role("link", name="Download").last.click()
    archive = zipfile.ZipFile(io.BytesIO(Path(fetched.value.path()).read_bytes()))
    assert archive.namelist() == [f"frame-{i:05d}.png" for i in range(12)]
    with page.expect_download() as fetched:
        kept_list.get_by_role("link", name="Download").first.click()
    movie = tmp_path / "shot.mp4"
    fetched.value.save_as(movie)
    assert [f.shape for f in read_movie(movie)] == [(640, 960, 3)] * 12
    page.get_by_role("button", name="Scene and camera, GLB").click()
    glb = kept_list.get_by_role("listitem").filter(has_text="GLB")
    expect(glb.get_by_text("kept,")).to_be_visible(timeout=60_000)
    with page.expect_download() as fetched:
        glb.get_by_role("link", name="Download").click()
    scene_file = tmp_path / "scene.glb"
    fetched.value.save_as(scene_file)
    assert {m.name for m in pygltflib.GLTF2().load(str(scene_file)).meshes} >= {"card 1", "box 1"}

    first, last = (_png(archive.read(f"frame-{i:05d}.png")) for i in (0, 11))
    covered = first[..., 3] == 255
    assert covered.mean() > 0.999
    assert np.abs(first[..., :3].astype(int) - still.pixels)[covered].max() <= 1
    _check_moved(read(json.dumps(state(page)["scene"])), last)


def _check_moved(scene: object, frame: np.ndarray) -> None:
    """The last frame against the truth's own picture from there, where both see the surface."""
    sighted = required_camera(scene)  # type: ignore[arg-type]
    shot = shot_camera(scene, 11, sighted)  # type: ignore[arg-type]
    size = frame.shape[1] // 2, frame.shape[0] // 2
    frame = cv2.resize(frame, size, interpolation=cv2.INTER_AREA)
    eye = lens().resized(*size)
    truth: Camera = same_move(lens(), sighted, shot).resized(*size)
    shapes = quay()
    picture, who, place = paint_picture(shapes, truth)
    _, _lens_who, lens_place = paint_picture(shapes, eye, samples=1)
    blocked = [i for i, n in enumerate(shapes.names) if n in ("quay", "crate 1", "crate 2")]
    # the card stands for the fronts it was drawn along
    blocked += [i for i, n in enumerate(shapes.names) if n in ("workshop 2", "workshop 3")]
    both = seen_by_both(place, eye, lens_place) & np.isin(who, blocked)
    both &= stretch(place, eye) < 1.5
    # where one surface ends and another begins, a hand's pixel decides which is seen
    ends = np.zeros(who.shape, bool)
    ends[:, 1:] |= who[:, 1:] != who[:, :-1]
    ends[1:] |= who[1:] != who[:-1]
    both &= ~grown(ends, 3) & (frame[..., 3] == 255)
    assert both.mean() > 0.2
    assert decibels(frame[..., :3], picture, both) > 30


def _png(data: bytes) -> np.ndarray:
    picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    code = cv2.COLOR_BGRA2RGBA if picture.shape[2] == 4 else cv2.COLOR_BGR2RGB
    return np.asarray(cv2.cvtColor(picture, code))
