"""The job by the keyboard alone: the mouse is never moved, and only the still is handed over."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect

from jade_lantern.core.picture import Still
from jade_lantern.demo.project import DATUM, EDGES, seen
from jade_lantern.demo.world import CRATES, EYE_HEIGHT_M, lens
from tests.browser.lens import Lens, Point, kept, one_change, state, wait_drawn

WAYS = {"across": "1", "away": "2", "up": "3"}


class Keys(Lens):
    """The mark in the lens view, where it stands and how it is brought elsewhere."""

    def __init__(self, page: Page, width: int, height: int) -> None:
        super().__init__(page, width, height)
        self.mark: Point = (0, 0)

    def take_up(self) -> None:
        """Go to the mark: at first in the middle of the view, as no pointer has been there."""
        self.page.keyboard.press("x")
        view = self.page.get_by_role("application", name="Lens view")
        expect(view).to_be_focused()
        box = view.bounding_box()
        assert box
        if self.mark == (0, 0):
            middle = int(box["width"]) / 2, int(box["height"]) / 2
            self.mark = (box["x"] + middle[0], box["y"] + middle[1])

    def bring(self, p: Point) -> None:
        x, y = self.at(p)
        for k, (to, back, on) in enumerate(
            ((x, "ArrowLeft", "ArrowRight"), (y, "ArrowUp", "ArrowDown"))
        ):
            off = round(to - self.mark[k])
            key = on if off > 0 else back
            for with_, by in (("Control+", 50), ("", 10), ("Shift+", 1)):
                for _ in range(abs(off) // by):
                    self.page.keyboard.press(with_ + key)
                off = abs(off) % by
            there = list(self.mark)
            there[k] += round(to - self.mark[k])
            self.mark = (there[0], there[1])

    def click(self, p: Point) -> None:
        self.bring(p)
        self.page.keyboard.press("Space")

    def drag(self, a: Point, b: Point, steps: int = 6) -> None:
        self.bring(a)
        self.page.keyboard.press("Shift+Space")
        self.bring(b)
        self.page.keyboard.press("Space")


def tab_to(page: Page, name: str, most: int = 120) -> None:
    """Go on with Tab until what is so called has the focus."""
    for _ in range(most):
        page.keyboard.press("Tab")
        here = page.evaluate(
            "() => document.activeElement.ariaLabel"
            " || document.activeElement.labels?.[0]?.innerText"
            " || document.activeElement.innerText || ''"
        )
        if here.strip() == name:
            return
    raise AssertionError(f"no Tab leads to {name}")


def test_a_still_becomes_a_shot_by_the_keyboard(page: Page, still_file: Path, still: Still) -> None:
    camera, press = lens(), page.keyboard.press
    page.goto("/")
    tab_to(page, "Pick a still")
    page.get_by_label("Still", exact=True).set_input_files(still_file)
    wait_drawn(page)
    press("Alt+2")
    expect(page).to_have_title(f"{state(page)['scene']['name']} · Jade Lantern")
    tab_to(page, "No more of this")
    press("Enter")
    hand = Keys(page, still.width, still.height)
    hand.take_up()
    for i, (heading, a, b) in enumerate(EDGES):
        press(WAYS[heading])
        hand.drag(seen(camera, a), seen(camera, b))
        kept(page, i + 1)
    press("d")
    with one_change(page):
        hand.click(seen(camera, DATUM))
    tab_to(page, "Eye height")
    with one_change(page):
        page.keyboard.type(str(EYE_HEIGHT_M))
        press("Enter")
    tab_to(page, "Lock sighting")
    with one_change(page):
        press("Enter")
    assert abs(state(page)["reading"]["focal_px"]["value"] / camera.focal_px - 1) < 0.02

    press("Alt+3")
    wait_drawn(page)
    for what in ("lay the ground", "hang a backdrop"):
        press("/")
        palette = page.get_by_role("combobox")
        expect(palette).to_be_focused()
        page.keyboard.type(what)
        with one_change(page):
            press("Enter")
        expect(page.get_by_role("dialog", name="Everything")).to_be_hidden()
    x, z, wide, deep, high = CRATES[0]
    left, right, front, back = x - wide / 2, x + wide / 2, z + deep / 2, z - deep / 2
    hand.take_up()
    press("4")  # a box
    for p in ((left, 0, front), (right, 0, front), (right, 0, back)):
        hand.click(seen(camera, p))
    with one_change(page):
        hand.click(seen(camera, (left, high, front)))
    crate = state(page)["scene"]["proxies"][-1]
    assert abs(crate["width_m"] - wide) < 0.05
    assert abs(crate["height_m"] - high) < 0.05
    press("Escape")

    press("Alt+5")
    press("/")
    page.keyboard.type("ready move: push")
    with one_change(page):
        press("Enter")
    expect(page.get_by_role("dialog", name="Everything")).to_be_hidden()
    press("Alt+7")
    tab_to(page, "Frames, PNG")
    press("Enter")
    tab_to(page, "Quarter")
    press("Enter")
    tab_to(page, "Last frame")
    page.keyboard.type("3")
    press("Enter")
    tab_to(page, "Render the frames")
    press("Enter")
    expect(page.get_by_role("list", name="Deliveries").get_by_text("kept,")).to_be_visible(
        timeout=120_000
    )
    with one_change(page):
        press("Control+z")
