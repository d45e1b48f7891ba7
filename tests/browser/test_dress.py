"""Dress by hand: a lamp that is picked, carried and keyed, a sun that is aimed, haze and a look,
guests that are stood; what is drawn changes with it, and all of it is taken back."""

import re
from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
import trimesh
from playwright.sync_api import Page, expect

from jade_lantern.core.picture import png
from jade_lantern.core.picture.source import sequence_of
from tests.browser.lens import drawn, go_to, one_change, open_project, state
from tests.core.test_around import cap, hdr


def point(page: Page, x: float, y: float) -> tuple[float, float]:
    box = page.get_by_role("application", name="Shot view").bounding_box()
    assert box
    return box["x"] + x * box["width"], box["y"] + y * box["height"]


def shown(page: Page) -> np.ndarray:
    return drawn(page, "Shot view").astype(int)


def test_a_lamp_is_picked_carried_and_goes_on_over_the_shot(page: Page) -> None:
    before = open_bare(page)
    page.keyboard.press("l")
    expect(page.get_by_text("Press where the lamp hangs.")).to_be_visible()
    with one_change(page):
        page.mouse.click(*point(page, 0.42, 0.62))
    group = page.get_by_role("region", name="Lights").get_by_role("group", name="lamp")
    expect(group).to_be_visible()
    (lamp,) = state(page)["scene"]["lights"]
    red, _, blue = lamp["colour"]
    assert red > blue  # the quay's lamps are warm
    lit = shown(page)
    assert np.abs(lit - before).max() > 25
    assert (np.abs(lit - before).max(axis=2) > 3).mean() > 0.01

    grip = page.locator(f"[data-grip={lamp['id']}]")
    box = grip.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 60, y - 40, steps=4)
    with one_change(page):
        page.mouse.up()
    (moved,) = state(page)["scene"]["lights"]
    assert moved["level_m"] > lamp["level_m"]
    assert moved["x"] < lamp["x"]

    group.get_by_label("Strength", exact=True).first.fill("0")
    with one_change(page):
        group.get_by_label("Strength", exact=True).first.press("Enter")
    assert np.abs(shown(page) - before).max() <= 2
    with one_change(page):
        group.get_by_role("button", name=re.compile("Strength: key at")).click()
    page.get_by_role("slider", name="Frame").press("End")
    group.get_by_label("Strength", exact=True).first.fill("2")
    with one_change(page):
        group.get_by_label("Strength", exact=True).first.press("Enter")
    (track,) = state(page)["scene"]["tracks"]
    assert [(key["frame"], key["value"]) for key in track["keys"]] == [(0, 0), (95, 2)]
    on = shown(page)
    with one_change(page):
        page.get_by_role("button", name="lamp is on").click()
    out = shown(page)
    assert (np.abs(on - out).max(axis=2) > 3).mean() > 0.003  # it has gone on by then
    with one_change(page):
        page.keyboard.press("Control+z")
    page.get_by_role("slider", name="Frame").press("Home")
    assert np.abs(shown(page) - before).max() <= 2
    for _ in range(5):
        with one_change(page):
            page.keyboard.press("Control+z")
    assert state(page)["scene"]["lights"] == []


def test_a_sun_casts_shadows_and_haze_and_a_look_are_seen(page: Page) -> None:
    before = open_bare(page)
    with one_change(page):
        page.keyboard.press("u")
    tray = page.get_by_role("complementary", name="Tray")
    group = tray.get_by_role("region", name="Lights").get_by_role("group", name="sun")
    with one_change(page):
        group.get_by_role("button", name="Shadow only").click()
    with one_change(page):
        group.get_by_label("Height", exact=True).first.fill("25")
        group.get_by_label("Height", exact=True).first.press("Enter")
    dark = shown(page)
    fell = (before - dark).max(axis=2)
    assert (fell > 20).mean() > 0.005  # somewhere it is darker by much
    assert (np.abs(before - dark).max(axis=2) <= 2).mean() > 0.3  # and most is as it was
    with one_change(page):
        group.get_by_role("button", name="None", exact=True).click()
    assert np.abs(shown(page) - before).max() <= 2
    with one_change(page):
        page.get_by_role("button", name="sun is on").click()

    with one_change(page):
        page.keyboard.press("h")
    hazy = shown(page)
    far, near = hazy[60:120, 40:300] - before[60:120, 40:300], hazy[-90:] - before[-90:]
    assert np.abs(far).mean() > 3 * np.abs(near).mean()
    with one_change(page):
        page.keyboard.press("h")
    assert np.array_equal(shown(page), before)

    tray.get_by_role("button", name="Look").first.click()
    with one_change(page):
        tray.get_by_role("button", name="Give it a look").click()
    look = tray.get_by_role("region", name="Look")
    look.get_by_label("Saturation", exact=True).first.fill("0")
    with one_change(page):
        look.get_by_label("Saturation", exact=True).first.press("Enter")
    grey = shown(page)
    inside = np.abs(grey - before).max(axis=2) > 0
    assert inside.mean() > 0.4
    assert (np.ptp(grey, axis=2)[inside] <= 2).mean() > 0.99
    curve = look.get_by_role("group", name="Curve of All")
    curve.scroll_into_view_if_needed()
    box = curve.bounding_box()
    assert box
    with one_change(page):
        page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.25 * box["height"])
    points = state(page)["scene"]["look"]["every"]
    assert len(points) == 3
    assert points[1][1] > 0.7
    assert shown(page).mean() > grey.mean() + 5
    with one_change(page):
        curve.get_by_role("slider", name="Point 2 of All").press("Delete")
    assert len(state(page)["scene"]["look"]["every"]) == 2


def open_bare(page: Page) -> np.ndarray:
    """Open the quay with nothing dressed, whatever other tests have left; what is shown then."""
    open_project(page, "Lantern Quay")
    go_to(page, "Dress")
    while True:
        scene = state(page)["scene"]
        parts = [scene[name] for name in ("guests", "lights", "haze", "darkening", "look")]
        parts += [one["relief"] for one in scene["lanterns"]]
        if not any(parts) and not scene["sheet"]["rows"]:
            return shown(page)
        with one_change(page):
            page.keyboard.press("Control+z")


def until(page: Page, holds: Callable[[np.ndarray], Any]) -> np.ndarray:
    """What is shown once something holds of it, which pictures on their way may take a while for;
    else what is shown at last."""
    for _ in range(100):
        picture = shown(page)
        if holds(picture):
            break
        page.wait_for_timeout(100)
    return picture


def comes_back(page: Page, before: np.ndarray) -> bool:
    """Whether what is shown is as it was, once it is drawn."""

    def same(picture: np.ndarray) -> bool:
        return bool(np.abs(picture - before).max() <= 2)

    return same(until(page, same))


def send(page: Page, label: str, name: str, data: bytes) -> None:
    files = [{"name": name, "mimeType": "application/octet-stream", "buffer": data}]
    page.get_by_label(label).set_input_files(files)  # type: ignore[arg-type]


def stood(page: Page, name: str, data: bytes, x: float, y: float) -> dict[str, Any]:
    """Bring a file and stand it at a place of the view; the guest that it became."""
    send(page, "Guest’s files", name, data)
    expect(page.get_by_text("Press where it stands")).to_be_visible()
    with one_change(page):
        page.mouse.click(*point(page, x, y))
    guest: dict[str, Any] = state(page)["scene"]["guests"][-1]
    return guest


def tower() -> bytes:
    box = trimesh.creation.box((1.0, 2.0, 1.0))
    red = trimesh.visual.material.PBRMaterial(baseColorFactor=[255, 0, 0, 255])
    box.visual = trimesh.visual.TextureVisuals(material=red)
    data: bytes = trimesh.Scene([box]).export(file_type="glb")
    return data


def sparks() -> bytes:
    """Numbered pictures in a ZIP: a blue disc that grows, fading to its rim."""
    y, x = np.mgrid[0:90, 0:90] - 44.5
    pictures = []
    for k in range(6):
        share = (1 - np.hypot(x, y) / (20 + 4 * k)).clip(0, 1)
        rgb = np.broadcast_to(np.array([30, 90, 255]), (90, 90, 3))
        whole = np.dstack([rgb, 255 * share]).astype(np.uint8)
        pictures.append((f"spark.{k:03d}.png", png(whole)))
    return sequence_of(pictures)


def red_in(picture: np.ndarray) -> np.ndarray:
    return (picture[..., 0] > 200) & (picture[..., 1] < 60) & (picture[..., 2] < 60)


def test_a_model_stands_hides_is_hidden_and_is_carried(page: Page) -> None:
    before = open_bare(page)
    model = stood(page, "tower.glb", tower(), 0.28, 0.72)
    assert model["kind"] == "model"
    assert model["height_m"] == 2.0
    there = red_in(until(page, lambda picture: red_in(picture).mean() > 0.005))
    assert there.mean() > 0.005
    outside = ~cv2.dilate(there.astype(np.uint8), np.ones((41, 41))).astype(bool)
    assert np.abs(shown(page) - before)[outside].max() <= 2

    x, y = point(page, 0.28, 0.70)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 90, y - 60, steps=5)
    with one_change(page):
        page.mouse.up()
    carried = state(page)["scene"]["guests"][0]
    assert carried["level_m"] == model["level_m"]
    assert carried["z"] < model["z"] - 1
    assert carried["x"] > model["x"]
    most = 0.9 * there.sum()
    behind = red_in(until(page, lambda picture: 0 < red_in(picture).sum() < most))
    assert 0 < behind.sum() < 0.9 * there.sum()  # farther, and a crate is before it
    grip = page.locator(f"[data-grip='{model['id']}:top']").bounding_box()
    assert grip
    gx, gy = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
    page.mouse.move(gx, gy)
    page.mouse.down()
    page.mouse.move(gx, gy - 40, steps=4)
    with one_change(page):
        page.mouse.up()
    assert state(page)["scene"]["guests"][0]["height_m"] > 2.3

    group = page.get_by_role("region", name="Guests").get_by_role("group", name="tower")
    with one_change(page):
        group.get_by_role("button", name="Duplicate").click()
    assert [g["name"] for g in state(page)["scene"]["guests"]] == ["tower", "tower 2"]
    for _ in range(4):
        with one_change(page):
            page.keyboard.press("Control+z")
    assert state(page)["scene"]["guests"] == []
    assert comes_back(page, before)


def test_a_clip_is_added_on_a_card_and_plays_from_its_own_frame(page: Page) -> None:
    before = open_bare(page)
    clip = stood(page, "spark.zip", sparks(), 0.3, 0.75)
    assert clip["plate"]["playing"]["count"] == 6
    group = page.get_by_role("region", name="Guests").get_by_role("group", name="spark")
    with one_change(page):
        group.get_by_role("button", name="Sum").click()

    def added(picture: np.ndarray) -> Any:
        return (picture - before)[..., 2].max() > 90 and (picture - before).min() >= -3

    bright = until(page, added) - before
    assert bright[..., 2].max() > 90
    assert bright.min() >= -3  # light is only added
    small = (bright[..., 2] > 12).sum()
    with one_change(page):
        group.get_by_label("It plays from frame").fill("10")
        group.get_by_label("It plays from frame").press("Enter")
    page.get_by_role("slider", name="Frame").press("End")

    def wide(picture: np.ndarray) -> Any:
        return ((picture - before)[..., 2] > 12).sum() > 1.5 * small

    assert wide(until(page, wide))
    with one_change(page):
        group.get_by_label("again and again").check()
    assert state(page)["scene"]["guests"][0]["plate"]["playing"]["loops"]


def test_words_are_written_into_the_place_and_passed_through(
    page: Page, complaints: list[str]
) -> None:
    open_project(page, "Lantern Quay, dressed")
    go_to(page, "Dress")
    page.keyboard.press("w")
    with one_change(page):
        page.mouse.click(*point(page, 0.45, 0.93))
    words = state(page)["scene"]["guests"][-1]
    tray = page.get_by_role("region", name="Guests")
    field = tray.get_by_label("What they say")
    field.fill("Fly through")
    with one_change(page):
        field.blur()
    group = tray.get_by_role("group", name="words")
    with one_change(page):
        group.get_by_label("Deep").fill("0.2")
        group.get_by_label("Deep").press("Enter")
    now = next(g for g in state(page)["scene"]["guests"] if g["id"] == words["id"])
    assert (now["text"], now["thick_m"]) == ("Fly through", 0.2)

    def lettered(picture: np.ndarray) -> Any:
        return (picture.min(axis=2) > 240).mean()

    first = lettered(until(page, lambda picture: lettered(picture) > 0.001))
    assert first > 0.001
    page.get_by_role("slider", name="Frame").press("End")
    # the camera has gone on
    assert lettered(until(page, lambda picture: lettered(picture) != first)) != first
    field.fill("桟橋")
    with page.expect_response(lambda r: r.url.endswith("/edits") and r.status == 422):
        field.blur()
    expect(page.get_by_text("has no “桟橋”")).to_be_visible()
    kept = next(g for g in state(page)["scene"]["guests"] if g["id"] == words["id"])
    assert kept["text"] == "Fly through"
    complaints.clear()  # the 422 that was provoked


def test_a_hold_out_hides_and_shows_nothing(page: Page) -> None:
    before = open_bare(page)
    page.mouse.click(*point(page, 0.55, 0.88))  # the crate in front
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_role("button", name="Hold-outs").click()
    with one_change(page):
        tray.get_by_role("button", name="Hold out the selected").click()
    rows = state(page)["scene"]["sheet"]["rows"]
    assert [row["lanterns"] for row in rows] == [[]]

    def gone(picture: np.ndarray) -> Any:
        return (np.abs(picture - before).max(axis=2) > 20).mean() > 0.01

    assert gone(until(page, gone))
    with one_change(page):
        tray.get_by_role("button", name=re.compile("is seen again")).click()
    page.mouse.click(*point(page, 0.55, 0.88))  # it is let go: its wire is in the walk view
    assert comes_back(page, before)


def test_surroundings_light_the_place_and_turn(page: Page, complaints: list[str]) -> None:
    before = open_bare(page)
    tray = page.get_by_role("complementary", name="Tray")
    lights = tray.get_by_role("region", name="Lights")
    send(page, "Panorama file", "no.hdr", hdr(np.ones((64, 64, 3))))
    expect(page.get_by_text("twice as wide as it is high")).to_be_visible()
    assert state(page)["scene"]["lights"] == []
    complaints.clear()
    with one_change(page):
        send(page, "Panorama file", "dusk.hdr", hdr(2 * cap((1.0, 0.3, 0.0), 40)))
    group = lights.get_by_role("group", name="surroundings")
    expect(group.get_by_text("dusk.hdr")).to_be_visible()
    assert group.get_by_role("button", name="Shadow only").is_disabled()

    def brighter(picture: np.ndarray) -> Any:
        return ((picture - before).max(axis=2) > 8).mean() > 0.05

    lit = until(page, brighter)
    assert brighter(lit)
    with one_change(page):
        group.get_by_label("Round", exact=True).first.fill("180")
        group.get_by_label("Round", exact=True).first.press("Enter")
    assert (
        np.abs(until(page, lambda p: (np.abs(p - lit) > 8).mean() > 0.02) - lit) > 8
    ).mean() > 0.02
    with one_change(page):
        group.get_by_role("button", name="Delete").click()
    assert comes_back(page, before)


def test_relief_answers_to_light_and_a_picture_of_normals_is_asked_for(
    page: Page, complaints: list[str]
) -> None:
    open_bare(page)
    with one_change(page):
        page.keyboard.press("u")
    page.wait_for_timeout(1500)
    flat = shown(page)
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_role("button", name="Relief").first.click()
    relief = tray.get_by_role("region", name="Relief")
    with one_change(page):
        relief.get_by_role("button", name="Bright and dark").click()

    def bumpy(picture: np.ndarray) -> Any:
        return (np.abs(picture - flat).max(axis=2) > 6).mean() > 0.01

    assert bumpy(until(page, bumpy))
    with one_change(page):
        relief.get_by_label("Depth").fill("300")
        relief.get_by_label("Depth").press("Enter")
    assert state(page)["scene"]["lanterns"][0]["relief"]["depth"] == 3.0
    relief.get_by_role("button", name="Normals").click()
    send(page, "Relief file", "grey.png", png(np.full((64, 96, 3), 90, np.uint8)))
    expect(page.get_by_text("no picture of normals")).to_be_visible()
    complaints.clear()
    with one_change(page):
        send(page, "Relief file", "flat.png",
             png(np.full((64, 96, 3), (128, 128, 255), np.uint8)))  # fmt: skip
    assert state(page)["scene"]["lanterns"][0]["relief"]["by"] == "normals"
    with one_change(page):
        relief.get_by_role("button", name="Flat", exact=True).click()
    assert comes_back(page, flat)


def test_darkening_is_seen_alone_on_white_and_let_go(page: Page) -> None:
    open_bare(page)
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_role("button", name="Darkening").first.click()
    dark = tray.get_by_role("region", name="Darkening")
    with one_change(page):
        dark.get_by_role("button", name="Darken where surfaces meet").click()
    dark.get_by_role("button", name="See it alone").click()
    canvas = page.get_by_label("Rendered frame")
    expect(canvas).to_be_visible(timeout=60_000)
    colours = canvas.evaluate(
        "(c) => [...c.getContext('2d').getImageData(0, 0, c.width, c.height).data]"
    )
    alone = np.array(colours).reshape(-1, 4)[:, :3]
    assert (alone.min(axis=1) > 250).mean() > 0.3
    assert (alone.max(axis=1) < 235).mean() > 0.005
    assert (np.ptp(alone, axis=1) <= 3).mean() > 0.99
    dark.get_by_role("button", name="See it alone").click()
    expect(canvas).to_be_hidden()
    with one_change(page):
        dark.get_by_role("button", name="Take it away").click()
    assert state(page)["scene"]["darkening"] is None


def test_a_box_blocks_a_sun_and_lets_it_through_again(page: Page) -> None:
    open_bare(page)
    with one_change(page):
        page.keyboard.press("u")
    tray = page.get_by_role("complementary", name="Tray")
    group = tray.get_by_role("region", name="Lights").get_by_role("group", name="sun")
    page.mouse.click(*point(page, 0.55, 0.88))  # the crate in front
    with one_change(page):
        group.get_by_role("button", name="Block it with the selected").click()
    scene = state(page)["scene"]
    (id_,) = scene["lights"][0]["blockers"]
    assert next(p for p in scene["proxies"] if p["id"] == id_)["hidden"]
    with one_change(page):
        group.get_by_role("button", name=re.compile("does not block it")).click()
    assert state(page)["scene"]["lights"][0]["blockers"] == []
    with one_change(page):
        page.keyboard.press("Control+z")
    with one_change(page):
        page.keyboard.press("Control+z")
    scene = state(page)["scene"]
    assert scene["lights"][0]["blockers"] == []
    assert not next(p for p in scene["proxies"] if p["id"] == id_)["hidden"]


def test_a_look_of_what_is_thrown_leaves_guests_as_they_are(page: Page) -> None:
    before = open_bare(page)
    page.keyboard.press("w")
    with one_change(page):
        page.mouse.click(*point(page, 0.3, 0.9))
    stands = until(page, lambda p: (np.abs(p - before).max(axis=2) > 40).mean() > 0.003)
    words = (
        cv2.erode((np.abs(stands - before).max(axis=2) > 40).astype(np.uint8), np.ones((3, 3))) > 0
    )
    assert words.sum() > 50
    tray = page.get_by_role("complementary", name="Tray")
    tray.get_by_role("button", name="Look").first.click()
    with one_change(page):
        tray.get_by_role("button", name="Give it a look").click()
    look = tray.get_by_role("region", name="Look")
    look.get_by_label("Exposure", exact=True).first.fill("-2")
    with one_change(page):
        look.get_by_label("Exposure", exact=True).first.press("Enter")
    whole = until(page, lambda p: (stands - p)[words].mean() > 30)
    assert (stands - whole)[words].mean() > 30
    with one_change(page):
        look.get_by_role("button", name="Thrown", exact=True).click()
    thrown = until(page, lambda p: np.abs(p - stands)[words].mean() < 4)
    assert np.abs(thrown - stands)[words].mean() < 4
    assert (before - thrown)[~words].mean() > 15
    with one_change(page):
        look.get_by_role("button", name="Chosen", exact=True).click()
    assert comes_back(page, stands)
    with one_change(page):
        look.get_by_role("group", name="Which have it").get_by_role("button").last.click()
    chosen = until(page, lambda p: (stands - p)[words].mean() > 30)
    assert (stands - chosen)[words].mean() > 30
    assert np.abs(chosen - before)[: len(before) // 4].mean() < 3
