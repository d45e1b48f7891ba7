"""Move by hand: a shot that is steered and keyed, broken, and kept within what stands up; a cut of
another shape; and a look out of the lens and back."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.lens import drawn, go_to, one_change, open_project, state

RATIO = 1  # what the viewport drew is looked at


def at(page: Page, x: float, y: float) -> tuple[float, float]:
    """A place of the large view, by shares of its width and height."""
    box = page.locator("[role=application]").first.bounding_box()
    assert box
    return box["x"] + x * box["width"], box["y"] + y * box["height"]


def drag(page: Page, a: tuple[float, float], b: tuple[float, float], steps: int = 5) -> None:
    page.mouse.move(*at(page, *a))
    page.mouse.down()
    page.mouse.move(*at(page, *b), steps=steps)
    page.mouse.up()


def test_a_shot_is_steered_broken_and_kept_within(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Move")
    frame = page.get_by_role("slider", name="Frame")
    frame.press("End")
    expect(page.get_by_text("Shot · frame 95")).to_be_visible()
    before = state(page)["keys"]
    still = drawn(page, "Shot view").astype(int)

    # look round: what is held goes along with the pointer
    with one_change(page):
        drag(page, (0.5, 0.5), (0.42, 0.5))
    looked = state(page)["keys"]
    assert looked[-1]["position"] == before[-1]["position"]
    assert looked[-1]["aim"] != before[-1]["aim"]
    box = page.get_by_role("application", name="Shot view").bounding_box()
    assert box
    by = round(0.08 * box["width"])
    shifted = drawn(page, "Shot view").astype(int)
    middle = slice(shifted.shape[0] // 3, 2 * shifted.shape[0] // 3)
    inner = slice(shifted.shape[1] // 3, shifted.shape[1] // 2)
    moved = shifted[middle, inner.start - by : inner.stop - by]
    assert (
        np.abs(moved - still[middle, inner]).mean()
        < np.abs(shifted[middle, inner] - still[middle, inner]).mean()
    )
    with one_change(page):
        page.keyboard.press("Control+z")

    # truck: the camera goes aside as far as what is held is away
    with one_change(page):
        page.keyboard.down("Shift")
        drag(page, (0.4, 0.6), (0.62, 0.6))
        page.keyboard.up("Shift")
    trucked = state(page)["keys"][-1]
    assert np.linalg.norm(np.subtract(trucked["position"], before[-1]["position"])) > 0.3
    with one_change(page):
        page.keyboard.press("Control+z")
    # the wheel pushes along the pointer's ray, so far in that what nobody painted comes to light
    page.mouse.move(*at(page, 0.45, 0.45))
    with one_change(page):
        page.mouse.wheel(0, -200)
    pushed = state(page)["keys"][-1]["position"]
    assert pushed[2] < before[-1]["position"][2] - 0.2

    # the strip says where, and the worst frame is gone to with what is bad in it
    strip = page.get_by_role("img", name="How bad each frame is")
    expect(strip.locator("rect").first).to_be_visible(timeout=60_000)
    worst = page.get_by_role("button", name="Worst: frame")
    worst.click(timeout=60_000)
    number = int(worst.inner_text().split()[-1])
    expect(frame).to_have_attribute("aria-valuenow", str(number))
    expect(page.get_by_role("button", name="Reveal", exact=True)).to_have_attribute(
        "aria-pressed", "true"
    )

    # so much of it stands up, and it is kept within that
    stands = page.get_by_text(re.compile(r"stands up to \d+ %"))
    expect(stands).to_be_visible(timeout=60_000)
    share = int(re.findall(r"(\d+) %", stands.inner_text())[0])
    assert 0 < share < 100
    with one_change(page):
        page.get_by_role("button", name="Keep within").click()
    assert abs(state(page)["scene"]["move"]["amount"] * 100 - share) <= 2
    expect(page.get_by_role("button", name="Keep within")).to_have_count(0)
    # everything is undone step by step
    with one_change(page):
        page.keyboard.press("Control+z")
    with one_change(page):
        page.keyboard.press("Control+z")
    assert state(page)["scene"]["move"]["amount"] == 1


def test_steering_is_only_looked_at_until_it_is_keyed(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Move")
    page.get_by_role("checkbox", name="What is steered is keyed at once").uncheck()
    page.get_by_role("slider", name="Frame").press("End")
    revision = state(page)["revision"]
    before = drawn(page, "Shot view").astype(int)
    drag(page, (0.5, 0.5), (0.3, 0.45))
    expect(page.get_by_role("button", name="Key it")).to_be_visible()
    page.wait_for_timeout(600)
    assert np.abs(drawn(page, "Shot view").astype(int) - before).mean() > 3
    assert state(page)["revision"] == revision
    page.get_by_role("button", name="Forget it").click()
    page.wait_for_timeout(600)
    assert np.abs(drawn(page, "Shot view").astype(int) - before).mean() < 0.5
    drag(page, (0.5, 0.5), (0.4, 0.5))
    with one_change(page):
        page.keyboard.press("k")
    with one_change(page):
        page.keyboard.press("Control+z")
    page.get_by_role("checkbox", name="What is steered is keyed at once").check()


def test_an_upright_cut_is_one_choice_and_is_delivered_upright(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Move")
    page.get_by_role("button", name="Delivery frame").click()
    with one_change(page):
        page.get_by_role("combobox", name="Delivery frame").select_option("1080×1920")
    assert state(page)["scene"]["move"]["frame"]["height"] == 1920
    with one_change(page):
        page.get_by_label("Across", exact=True).last.fill("20")
    assert state(page)["scene"]["move"]["frame"]["at"][0] == 0.2
    go_to(page, "Deliver")
    page.get_by_role("button", name="Quarter").click()
    expect(page.get_by_text("270×480")).to_be_visible()
    go_to(page, "Move")
    for _ in range(2):
        with one_change(page):
            page.keyboard.press("Control+z")
    assert state(page)["scene"]["move"]["frame"] is None


def test_a_peek_leaves_the_lens_and_is_back_to_the_last_bit(page: Page) -> None:
    open_project(page, "Lantern Quay")
    for station in ("Sight", "Block", "Cast"):
        go_to(page, station)
        page.mouse.move(*at(page, 0.5, 0.7))
        page.wait_for_timeout(300)
        revision = state(page)["revision"]
        before = drawn(page, "Lens view")
        page.keyboard.down("q")
        page.mouse.move(*at(page, 0.6, 0.65), steps=4)
        expect(page.get_by_text(re.compile(r"Peek · \d"))).to_be_visible()
        page.wait_for_timeout(400)
        assert np.abs(drawn(page, "Lens view").astype(int) - before).mean() > 2
        page.mouse.move(*at(page, 0.5, 0.7))
        page.keyboard.up("q")
        page.wait_for_timeout(300)
        assert np.array_equal(drawn(page, "Lens view"), before)
        assert state(page)["revision"] == revision


def test_a_key_is_dragged_on_the_floor_in_plan(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Move")
    page.get_by_role("button", name="Path", exact=True).click()
    page.get_by_role("button", name="Plan", exact=True).click()
    page.get_by_role("button", name="Path", exact=True).click()
    page.wait_for_timeout(600)
    before = state(page)["scene"]["move"]["position"]
    walk = page.get_by_role("application", name="Walk view").bounding_box()
    assert walk
    # where a key can be taken hold of, the pointer says so
    pane = page.get_by_role("application", name="Walk view")
    places = [(x, y) for x in np.linspace(0.1, 0.9, 70) for y in np.linspace(0.2, 0.8, 14)]
    found = None
    for share, down in places:
        x, y = walk["x"] + share * walk["width"], walk["y"] + down * walk["height"]
        page.mouse.move(x, y)
        if pane.evaluate("e => e.style.cursor") == "grab":
            found = x, y
            break
    assert found
    with one_change(page):
        page.mouse.down()
        page.mouse.move(found[0] + 24, found[1] + 10, steps=3)
        page.mouse.up()
    after = state(page)["scene"]["move"]["position"]
    changed = [(a["at"], b["at"]) for a, b in zip(before, after, strict=True) if a != b]
    assert len(changed) == 1
    assert changed[0][0][1] == changed[0][1][1]  # its height is kept
    with one_change(page):
        page.keyboard.press("Control+z")


def test_a_door_is_glazed_and_opens_on_its_edge(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    page.get_by_role("button", name="crate 1 box").click()
    go_to(page, "Move")
    frame = page.get_by_role("slider", name="Frame")
    frame.press("End")
    expect(page.get_by_text("Shot · frame 95")).to_be_visible()
    shut = drawn(page, "Shot view").astype(int)
    page.get_by_role("button", name="Doors and boats").click()
    with one_change(page):
        page.get_by_role("button", name="Glaze it first").click()
    page.get_by_label("On its").select_option("right")
    by = page.get_by_label("By", exact=True).last
    by.fill("70")
    by.press("Enter")
    with one_change(page):
        page.get_by_role("button", name="Open it over the shot").click()
    (track,) = state(page)["scene"]["tracks"]
    assert (track["of"], track["keys"][-1]["value"]) == ("hinge_deg", 70)
    for _ in range(40):  # until it is drawn
        opened = drawn(page, "Shot view").astype(int)
        share = (np.abs(opened - shut).max(axis=2) > 24).mean()
        if share > 0.005:
            break
        page.wait_for_timeout(250)
    assert share > 0.005
    frame.press("Home")
    expect(page.get_by_text("Shot · frame 0")).to_be_visible()
    expect(page.get_by_role("button", name="Hold it still")).to_be_visible()
    with one_change(page):
        page.get_by_role("button", name="Hold it still").click()
    assert state(page)["scene"]["tracks"] == []
    for _ in range(3):
        with one_change(page):
            page.keyboard.press("Control+z")


def test_a_rendered_preview_is_played_and_three_frames_are_looked_at(page: Page) -> None:
    open_project(page, "Lantern Quay, split")
    go_to(page, "Move")
    page.get_by_label("Frame, seconds or timecode to go to").fill("92")
    page.get_by_label("Frame, seconds or timecode to go to").press("Enter")
    preview = page.get_by_role("button", name="Preview")
    preview.click()
    # those from the frame that is looked at on are made first
    expect(page.get_by_label("Rendered frame")).to_be_visible(timeout=60_000)
    preview.click()
    expect(page.get_by_label("Rendered frame")).to_have_count(0)
    page.get_by_role("button", name="Side by side").click()
    shown = page.get_by_role("dialog", name="Side by side")
    for name in ("The still", "First frame", "Last frame"):
        picture = shown.get_by_alt_text(name)
        expect(picture).to_have_js_property("complete", value=True)
        page.wait_for_function(
            "name => document.querySelector(`img[alt='${name}']`).naturalWidth > 300", arg=name
        )
    shown.get_by_role("button", name="Go there").first.click()
    expect(page.get_by_text("Shot · frame 0")).to_be_visible()
    expect(shown).to_be_hidden()


def test_a_crate_is_turned_on_its_edge_by_hand(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    page.get_by_role("button", name="crate 1 box").click()
    page.get_by_role("button", name="Turn and place").click()
    page.get_by_role("button", name="By hand").click()
    with one_change(page):
        drag(page, (0.54, 0.8), (0.6, 0.78))
    crate = next(p for p in state(page)["scene"]["proxies"] if p["name"] == "crate 1")
    assert abs(crate["turn_deg"]) > 5
    with one_change(page):
        page.keyboard.press("Control+z")


def test_keys_go_along_together_and_an_aim_is_bent_on_its_curve(page: Page) -> None:
    open_project(page, "Lantern Quay, split")
    go_to(page, "Move")
    frames = [key["frame"] for key in state(page)["keys"]]
    middle = frames[1]
    strip = page.get_by_role("group", name="The shot in time").bounding_box()
    assert strip
    x = [strip["x"] + strip["width"] * f / 95 for f in range(96)]
    y = strip["y"] + 22
    page.keyboard.down("Shift")
    page.mouse.move(x[middle - 9], y)
    page.mouse.down()
    page.mouse.move(x[middle + 9], y, steps=4)
    page.mouse.up()
    page.keyboard.up("Shift")
    page.get_by_role("slider", name=f"Keys from {middle - 9} to {middle + 9}").hover()
    with one_change(page):
        page.mouse.move(x[middle + 4], y)
        page.mouse.down()
        page.mouse.move(x[middle - 3], y, steps=3)
        page.mouse.up()
    assert [key["frame"] for key in state(page)["keys"]] == [0, middle - 7, 95]
    with one_change(page):
        page.keyboard.press("Control+z")
    page.get_by_role("button", name="Tracks").click()
    curve = page.get_by_role("group", name="Aim: turn and tilt over time")
    curve.scroll_into_view_if_needed()
    before = state(page)["keys"][1]
    knob = curve.locator("ellipse").nth(1).bounding_box()
    assert knob
    at = knob["x"] + knob["width"] / 2, knob["y"] + knob["height"] / 2
    with one_change(page):
        page.mouse.move(*at)
        page.mouse.down()
        page.mouse.move(at[0], at[1] - 10, steps=3)
        page.mouse.up()
    after = state(page)["keys"][1]
    assert after["position"] == before["position"]
    there, then = (np.subtract(k["aim"], k["position"]) for k in (before, after))
    assert np.isclose(np.linalg.norm(there), np.linalg.norm(then))
    turn = [np.degrees(np.arctan2(v[0], -v[2])) for v in (there, then)]
    assert turn[1] > turn[0] + 1
    with one_change(page):
        page.keyboard.press("Control+z")
