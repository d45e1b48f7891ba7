"""Take docs/screenshots anew: one picture of each station, from the demo projects, at 1280 x 800.

Run with the application serving the demo:  python docs/take_screenshots.py [address]
"""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

FOLDER = Path(__file__).parent / "screenshots"
FLAGS = [
    "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run",
]  # fmt: skip


def settle(page: Page) -> None:
    """Wait until the lens view has drawn the plate."""
    page.wait_for_load_state("networkidle")
    page.wait_for_function("() => [...document.querySelectorAll('[data-drawn]')].length > 0")
    page.wait_for_timeout(900)


def split_quay(page: Page, address: str) -> None:
    """Cast on the quay that is split into painted plates; then back to where the page was."""
    there = page.url
    page.goto(address)
    page.get_by_role("link", name="Lantern Quay, split 1920").click()
    settle(page)
    page.get_by_role("link", name="Cast", exact=True).click()
    page.get_by_role("button", name="Wire", exact=True).click()
    page.wait_for_timeout(9000)  # all plates are here
    page.screenshot(path=FOLDER / "cast.png")
    glazed(page)
    page.goto(there)
    settle(page)


def glazed(page: Page) -> None:
    """A crate that is glazed and slid to the other side of the quay; then as it was."""
    sheet = page.get_by_role("region", name="Cast sheet")
    sheet.get_by_role("button", name="crate 1", exact=True).click()
    glaze = page.get_by_role("region", name="Glaze")
    glaze.get_by_role("button", name="Glaze", exact=True).click()
    glaze.get_by_role("button", name="Glaze crate 1").click()
    page.get_by_role("link", name="Block", exact=True).click()
    settle(page)
    box = page.get_by_role("application", name="Lens view").bounding_box()
    assert box
    page.mouse.move(box["x"] + 0.54 * box["width"], box["y"] + 0.83 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 0.84 * box["height"], steps=6)
    page.mouse.up()
    page.get_by_role("link", name="Cast", exact=True).click()
    settle(page)
    page.get_by_role("button", name="Plate", exact=True).click()
    page.wait_for_timeout(6000)
    glaze.scroll_into_view_if_needed()
    page.get_by_text("before the lens").wait_for()
    page.screenshot(path=FOLDER / "cast-glaze.png")
    page.get_by_role("button", name="Plate", exact=True).click()
    for _ in range(2):
        page.keyboard.press("Control+z")
        page.wait_for_timeout(800)


def main(address: str) -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on(
            "console", lambda m: print(m.type, m.text) if m.type in ("error", "warning") else None
        )
        page.goto(address)
        page.get_by_role("link", name="Lantern Quay, split 1920").wait_for()  # the last of them
        page.wait_for_timeout(600)
        page.screenshot(path=FOLDER / "projects.png")
        page.get_by_role("link", name="Lantern Quay 1920").click()
        settle(page)
        for station in ("Still", "Sight", "Block", "Cast", "Move", "Dress", "Deliver"):
            page.get_by_role("link", name=station, exact=True).click()
            settle(page)
            if station == "Sight":
                page.get_by_role("button", name="Test box").click()
            if station == "Block":
                page.get_by_role("button", name="crate 2 box").click()
            if station == "Cast":
                split_quay(page, address)
                continue
            if station == "Move":
                driven(page, address)
                continue
            if station == "Dress":
                evening(page, address)
                continue
            page.wait_for_timeout(900)
            page.screenshot(path=FOLDER / f"{station.lower()}.png")
            if station == "Block":
                page.keyboard.press("/")
                page.keyboard.type("hang")
                page.wait_for_timeout(600)
                page.screenshot(path=FOLDER / "palette.png")
                for _ in range(2):  # what was typed, then the palette
                    page.keyboard.press("Escape")
        door(page, address)
        reeds(page, address)
        blocked(page, address)
        hard_stills(page, address)
        nothing(page, address)
        browser.close()


def driven(page: Page, address: str) -> None:
    """The painted quay's low move, driven to where it just stands up, with its path and what would
    help; a peek out of the lens; then back to where the page was."""
    there = page.url
    page.goto(address)
    page.get_by_role("link", name="Lantern Quay, split 1920").click()
    settle(page)
    page.get_by_role("link", name="Move", exact=True).click()
    settle(page)
    page.get_by_role("button", name="Path", exact=True).click()
    page.get_by_role("slider", name="Frame").press("End")
    page.get_by_text("stands up").first.wait_for(timeout=60_000)
    page.wait_for_timeout(9000)  # the strip is known, and all plates are here
    page.screenshot(path=FOLDER / "move.png")
    page.get_by_role("button", name="What would help").click()
    page.get_by_role("button", name="How far it may go").click()
    page.wait_for_timeout(15_000)  # both lists are known, and as long as they will be
    page.get_by_text("Wider lens").last.scroll_into_view_if_needed()
    page.wait_for_timeout(600)
    page.screenshot(path=FOLDER / "move-limits.png")
    page.get_by_role("link", name="Cast", exact=True).click()
    settle(page)
    box = page.get_by_role("application", name="Lens view").bounding_box()
    assert box
    page.mouse.move(box["x"] + 0.55 * box["width"], box["y"] + 0.6 * box["height"])
    page.keyboard.down("q")
    page.mouse.move(box["x"] + 0.7 * box["width"], box["y"] + 0.62 * box["height"], steps=5)
    page.wait_for_timeout(2500)
    page.screenshot(path=FOLDER / "cast-peek.png")
    page.keyboard.up("q")
    page.goto(there)
    settle(page)


def evening(page: Page, address: str) -> None:
    """The dressed quay with its lamp on, and the cart chosen; then back to where the page was."""
    there = page.url
    page.goto(address)
    page.get_by_role("link", name="Lantern Quay, dressed 1920").click()
    settle(page)
    page.get_by_role("link", name="Dress", exact=True).click()
    settle(page)
    page.get_by_role("slider", name="Frame").press("End")
    page.get_by_role("button", name="lantern cart model").click()
    page.wait_for_timeout(9000)  # all plates are here
    page.screenshot(path=FOLDER / "dress.png")
    page.goto(there)
    settle(page)


def door(page: Page, address: str) -> None:
    """The room's door swinging open, in the rendered preview, with where its move breaks."""
    page.goto(address)
    page.get_by_role("link", name="The lantern-maker's door 1800").click()
    settle(page)
    page.get_by_role("link", name="Move", exact=True).click()
    settle(page)
    page.get_by_role("button", name="Path", exact=True).click()
    field = page.get_by_label("Frame, seconds or timecode to go to")
    field.fill("38")
    field.press("Enter")
    page.get_by_text("stands up").first.wait_for(timeout=60_000)
    page.wait_for_timeout(9000)  # the strip is known
    preview = page.get_by_role("button", name="Preview")
    preview.click()
    page.get_by_label("Rendered frame").wait_for(timeout=60_000)
    page.wait_for_timeout(6000)
    page.screenshot(path=FOLDER / "move-door.png")
    preview.click()


def reeds(page: Page, address: str) -> None:
    """The end of the push on the quay that is overgrown, seen in Cast through twenty cards."""
    page.goto(address)
    page.get_by_role("link", name="Lantern Quay, overgrown 1920").click()
    settle(page)
    page.get_by_role("link", name="Move", exact=True).click()
    page.get_by_role("slider", name="Frame").press("End")
    page.get_by_role("link", name="Cast", exact=True).click()
    page.get_by_role("button", name="Wire", exact=True).click()
    page.get_by_role("button", name="Shot", exact=True).click()
    page.wait_for_timeout(9000)  # all plates are here
    page.screenshot(path=FOLDER / "cast-reeds.png")
    page.get_by_role("button", name="Shot", exact=True).click()
    page.get_by_role("button", name="Wire", exact=True).click()


def blocked(page: Page, address: str) -> None:
    """Block on the companions, and a face of a proxy taken."""
    for name, file in (
        ("The lantern-maker's room 1800", "block-room"),
        ("Lantern Quay 1920", "block-parts"),
    ):
        page.goto(address)
        page.get_by_role("link", name=name).click()
        settle(page)
        page.get_by_role("link", name="Block", exact=True).click()
        settle(page)
        if file == "block-room":
            page.get_by_role("button", name="Both", exact=True).click()
        else:
            page.get_by_role("button", name="Wire", exact=True).click()
        if file == "block-parts":
            page.get_by_role("button", name="crate 2 box").click()
            page.get_by_role("button", name="Parts").click()
            box = page.get_by_role("application", name="Lens view").bounding_box()
            assert box
            page.mouse.move(box["x"] + 0.37 * box["width"], box["y"] + 0.78 * box["height"])
            page.mouse.click(box["x"] + 0.37 * box["width"], box["y"] + 0.78 * box["height"])
        page.wait_for_timeout(1200)
        page.screenshot(path=FOLDER / f"{file}.png")
        page.get_by_role("button", name="Wire", exact=True).click()


def hard_stills(page: Page, address: str) -> None:
    """Sight on the two companions."""
    for name, file in (
        ("The round bay 1500", "sight-by-eye"),
        ("Footbridge, drawn 1500", "sight-disagreement"),
    ):
        page.goto(address)
        page.get_by_role("link", name=name).click()
        settle(page)
        page.get_by_role("link", name="Sight", exact=True).click()
        settle(page)
        page.get_by_text("Looking for straight edges").wait_for(state="detached")
        if file == "sight-by-eye":
            page.get_by_role("button", name="By eye").click()
            page.get_by_role("button", name="Sight by eye").click()
        if file == "sight-disagreement":
            page.keyboard.press("g")
            page.get_by_role("button", name="Overview").click()
            page.get_by_role("button", name="Trust").click()
            page.get_by_role("button", name="Show what each two say").click()
        page.wait_for_timeout(1500)
        page.screenshot(path=FOLDER / f"{file}.png")
        page.get_by_role("button", name="Undo").click()
        page.wait_for_timeout(600)


def nothing(page: Page, address: str) -> None:
    """A project that has no picture yet, blocked and pushed into; then it is deleted."""
    page.goto(address)
    page.get_by_role("button", name="Begin on nothing…").click()
    page.get_by_label("Name", exact=True).fill("Ferry steps")
    page.get_by_label("Tilt").fill("-5")
    page.get_by_label("Tilt").press("Enter")
    page.get_by_role("button", name="Begin", exact=True).click()
    page.wait_for_url("**/project/**")
    settle(page)
    page.get_by_role("link", name="Block", exact=True).click()
    box = page.get_by_role("application", name="Lens view").bounding_box()
    assert box
    for feet in (((0.1, 0.72), (0.24, 0.72), (0.27, 0.64)), ((0.42, 0.8), (0.6, 0.8), (0.61, 0.7)),
                 ((0.66, 0.66), (0.8, 0.66), (0.79, 0.61))):  # fmt: skip
        page.get_by_role("button", name="Box", exact=True).click()
        for x, y in feet:
            page.mouse.click(box["x"] + x * box["width"], box["y"] + y * box["height"])
        page.keyboard.press("Enter")
        page.wait_for_timeout(700)
    page.get_by_role("link", name="Move", exact=True).click()
    page.get_by_role("button", name="Make it").click()
    page.wait_for_timeout(1500)
    page.keyboard.press("End")
    page.wait_for_timeout(1500)
    page.screenshot(path=FOLDER / "begin-nothing.png")
    page.goto(address)
    page.get_by_role("button", name="Delete Ferry steps").first.click()
    page.get_by_role("button", name="Delete it").click()
    page.wait_for_timeout(800)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8000")
