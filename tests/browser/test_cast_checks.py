"""Cast and Move say where the trick would show, and that nothing shifts at the lens."""

from __future__ import annotations

import re
import zipfile
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Locator, Page, Route, expect

from jade_lantern.core.picture import png
from jade_lantern.core.picture.openraster import Layer, read_layers, written
from tests.browser.lens import drawn, go_to, open_project, state

RATIO = 1  # what the viewport drew is looked at


def test_compare_split_and_the_worst_frame(page: Page) -> None:
    before_cast(page)
    section = page.get_by_role("region", name="Compare at the lens")
    section.get_by_role("button", name="Compare at the lens").click()
    plain = drawn(page, "Lens view").astype(int)
    page.get_by_role("button", name="Difference").click()
    page.wait_for_timeout(400)
    off = drawn(page, "Lens view")
    inside = off[off.shape[0] // 4 : -off.shape[0] // 4]
    assert (inside.max(axis=2) > 16).mean() < 0.01  # eight times as strong as it is
    assert plain.mean() > 30
    page.get_by_role("button", name="Wipe").click()
    page.get_by_label("How far the wipe has come").fill("0.25")
    wiped = drawn(page, "Lens view").astype(int)
    assert np.abs(wiped - plain)[:, wiped.shape[1] // 2 :].mean() < 6
    page.get_by_role("button", name="Measure it at full size").click()
    expect(section.get_by_role("status")).to_contain_text(
        re.compile(r"100\.0 % of the plate is covered; the farthest off by [01] of 255")
    )
    page.get_by_role("button", name="Off", exact=True).click()
    split = page.get_by_role("group", name="Proposed split")
    split.get_by_role("button", name="Show which plate is for what").click()
    first = split.get_by_role("button", name="The still as it is")
    expect(first).to_contain_text("crate on top")
    first.click()

    go_to(page, "Move")
    worst = page.get_by_role("button", name="Worst: frame")
    worst.click(timeout=60_000)
    number = int(worst.inner_text().split()[-1])
    expect(page.get_by_role("slider", name="Frame")).to_have_attribute("aria-valuenow", str(number))
    strip = page.get_by_role("img", name="How bad each frame is")
    assert strip.locator("rect").count() > 20
    # the worst frame is shown with what is bad in it
    reveal = page.get_by_role("button", name="Reveal", exact=True)
    expect(reveal).to_have_attribute("aria-pressed", "true")
    drawn_over = page.locator("svg image")
    expect(drawn_over).to_have_count(1)
    map_of_it = page.request.get(drawn_over.get_attribute("href") or "").body()
    shown = cv2.imdecode(np.frombuffer(map_of_it, np.uint8), cv2.IMREAD_UNCHANGED)
    assert 0 < (shown[..., 3] > 0).mean() < 0.3  # a part of the worst frame, and not all of it
    for name in ("Leak", "Spill", "Stretch", "Reveal"):
        chip = page.get_by_role("button", name=name, exact=True)
        if chip.get_attribute("aria-pressed") == "true":
            chip.click()
    expect(drawn_over).to_have_count(0)


def before_cast(page: Page) -> None:
    """The quay with its blocking and its move, before any split."""
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")


def cell(page: Page, proxy: str, lantern: str) -> Locator:
    return page.get_by_role("button", name=re.compile(f"^{proxy} takes {lantern}"))


def test_split_fill_kit_paint_and_compare(page: Page, tmp_path: Path) -> None:
    """A still is split, filled roughly, sent out, painted on and brought back by its name."""
    before_cast(page)
    page.get_by_role("button", name="Take the split").click()
    lanterns = page.get_by_role("region", name="Lanterns")
    expect(
        lanterns.get_by_role("button", name=re.compile("clean plate 1: to paint"))
    ).to_be_visible()
    expect(page.get_by_text("No proxy gets a nearer one’s picture.")).to_be_visible()
    first = next(one for one in state(page)["scene"]["lanterns"] if one["stand_in"])

    page.get_by_role("button", name="Make the paint kit").click()
    with page.expect_download(timeout=420_000) as waited:
        page.get_by_role("link", name="Fetch the paint kit").click(timeout=420_000)
    kit = zipfile.ZipFile(waited.value.path())
    assert f"{first['name']}.ora" in kit.namelist()
    layers = read_layers(kit.read(f"{first['name']}.ora"), 10**8)
    over = np.zeros((layers.height, layers.width, 4), np.uint8)
    over[:200, :300] = (10, 250, 10, 255)
    back = tmp_path / f"{first['name']} v2.ora"
    back.write_bytes(written(layers.width, layers.height, [Layer("mine", over), *layers.layers]))
    small = tmp_path / f"{first['name']}.png"
    small.write_bytes(png(np.zeros((64, 64, 3), np.uint8)))

    page.get_by_label("Painted plates").set_input_files([small, back])
    came = page.get_by_role("list", name="What came back")
    expect(came).to_contain_text("another shape", timeout=60_000)
    expect(came.get_by_role("listitem").filter(has_text="v2.ora")).not_to_contain_text("left out")
    named = lanterns.get_by_role("button", name=re.compile(f"{first['name']}: paint 1"))
    expect(named).to_be_visible()

    # the sheet: a press takes a lantern, a drag takes it for several rows while the press is still
    # being kept, undo gives it back
    held: list[Route] = []
    page.route("**/edits", lambda route: held.append(route), times=1)
    cell(page, "crate 3", "clean plate 4").scroll_into_view_if_needed()
    cell(page, "crate 1", "clean plate 4").click()
    expect(cell(page, "crate 1", "clean plate 4, 2")).to_be_visible()
    a, b = (cell(page, f"crate {n}", "clean plate 3").bounding_box() for n in (1, 3))
    page.mouse.move(a["x"] + 8, a["y"] + 8)
    page.mouse.down()
    held[0].continue_()
    page.wait_for_timeout(600)
    page.mouse.move(b["x"] + 8, b["y"] + 8, steps=8)
    page.mouse.up()
    for n in (1, 2, 3):
        expect(cell(page, f"crate {n}", "clean plate 3, [23]")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(cell(page, "crate 2", "clean plate 3, 2")).to_have_count(0)

    named.click()
    page.get_by_role("button", name="Only this").click()
    expect(page.get_by_text(f"Only {first['name']} is shown.")).to_be_visible()
    page.get_by_role("button", name="Show all").click()
    page.get_by_role("button", name="On what it sees first").click()
    expect(page.get_by_role("button", name="On what it sees first")).to_have_attribute(
        "aria-pressed", "true"
    )
    # the plate as a crop of the frame, and the whole frame again
    page.get_by_role("button", name="A part of it").click()
    part = page.get_by_role("group", name="The part that it fills")
    expect(part.get_by_label("Left")).to_have_value("0")
    revision = page.locator("main").get_attribute("data-revision") or ""
    part.get_by_label("Left").fill("120")
    part.get_by_label("Left").press("Enter")
    expect(page.locator("main")).not_to_have_attribute("data-revision", revision)
    expect(part.get_by_label("Left")).to_have_value("120")
    crop = next(one for one in state(page)["scene"]["lanterns"] if one["id"] == first["id"])
    assert crop["window"] == {"left": 120, "top": 0, "width": 1920, "height": 1280}
    part.get_by_label("Left").press("Control+z")
    expect(part.get_by_label("Left")).to_have_value("0")
    page.get_by_role("button", name="The whole frame").click()
    expect(part).to_have_count(0)
    page.get_by_role("button", name="Shot", exact=True).click()
    expect(page.get_by_role("img", name="How bad each frame is")).to_be_visible()
