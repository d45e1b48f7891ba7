"""Dress by hand: a lamp that is picked, carried and keyed, a sun that is aimed, haze and a look;
what is drawn changes with it, and all of it is taken back."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.lens import drawn, go_to, one_change, open_project, state


def point(page: Page, x: float, y: float) -> tuple[float, float]:
    box = page.get_by_role("application", name="Shot view").bounding_box()
    assert box
    return box["x"] + x * box["width"], box["y"] + y * box["height"]


def shown(page: Page) -> np.ndarray:
    return drawn(page, "Shot view").astype(int)


def test_a_lamp_is_picked_carried_and_goes_on_over_the_shot(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Dress")
    before = shown(page)
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
    open_project(page, "Lantern Quay")
    go_to(page, "Dress")
    before = shown(page)
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
