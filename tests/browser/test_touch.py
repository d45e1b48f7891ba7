"""The job by touch: no mouse, and keys only where a number is typed."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from jade_lantern.core.picture import Still
from jade_lantern.demo.project import DATUM, EDGES, seen
from jade_lantern.demo.world import CRATES, EYE_HEIGHT_M, lens
from tests.browser.conftest import Served
from tests.browser.lens import Lens, Point, kept, state, wait_drawn


class Finger(Lens):
    """A finger on the lens view."""

    def drag(self, a: Point, b: Point, steps: int = 6) -> None:
        glass = self.page.context.new_cdp_session(self.page)
        (x, y), (u, v) = self.at(a), self.at(b)
        for k in range(steps + 1):
            t = k / steps
            what = "touchStart" if k == 0 else "touchMove"
            at = [{"x": x + t * (u - x), "y": y + t * (v - y)}]
            glass.send("Input.dispatchTouchEvent", {"type": what, "touchPoints": at})
        self.page.wait_for_timeout(150)  # it rests: what it lets go of moving would be a fling
        glass.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
        glass.detach()

    def click(self, p: Point) -> None:
        self.page.touchscreen.tap(*self.at(p))


@pytest.fixture
def glass(browser: Browser, served: Served) -> Iterator[Page]:
    page = browser.new_page(
        base_url=served.address, viewport={"width": 1280, "height": 800}, has_touch=True,
        device_scale_factor=0.5,
    )  # fmt: skip
    said: list[str] = []
    page.on("pageerror", lambda error: said.append(str(error)))
    yield page
    page.close()
    assert said == []


def test_a_still_becomes_a_shot_by_touch(glass: Page, still_file: Path, still: Still) -> None:
    camera, page = lens(), glass
    finger = Finger(page, still.width, still.height)
    page.goto("/")
    page.get_by_label("Still", exact=True).set_input_files(still_file)
    wait_drawn(page)
    page.get_by_role("button", name="On to Sight").tap()
    page.get_by_role("button", name="No more of this").tap()
    tray = page.get_by_role("complementary", name="Tray")
    trace = tray.get_by_role("button", name="Trace T")
    for i, (heading, a, b) in enumerate(EDGES):
        way = tray.get_by_role("radio", name=heading.capitalize())
        way.tap()
        expect(trace).to_have_attribute("aria-pressed", "true")
        finger.drag(seen(camera, a), seen(camera, b))
        kept(page, i + 1)
        trace.tap()  # laid aside
        expect(trace).to_have_attribute("aria-pressed", "false")
        finger.click((150, 80))  # on the sky: nothing is selected any more
    datum = tray.get_by_role("button", name="Datum D", exact=True)
    datum.tap()
    expect(datum).to_have_attribute("aria-pressed", "true")
    finger.click(seen(camera, DATUM))
    kept(page, len(EDGES) + 1)
    height = page.get_by_label("Eye height")
    height.fill(str(EYE_HEIGHT_M))
    height.press("Enter")
    kept(page, len(EDGES) + 2)
    page.get_by_role("button", name="Lock sighting").tap()
    kept(page, len(EDGES) + 3)
    reading = state(page)["reading"]
    assert abs(reading["focal_px"]["value"] / camera.focal_px - 1) < 0.02

    page.get_by_role("button", name="On to Block").tap()
    revision = state(page)["revision"]
    page.get_by_role("button", name="Lay the ground").tap()
    page.get_by_role("button", name="Hang a backdrop").tap()
    kept(page, revision + 2)
    x, z, wide, deep, high = CRATES[0]
    left, right, front, back = x - wide / 2, x + wide / 2, z + deep / 2, z - deep / 2
    box = page.get_by_role("button", name="Box", exact=True)
    box.tap()
    expect(box).to_have_attribute("aria-pressed", "true")
    for p in ((left, 0, front), (right, 0, front), (right, 0, back), (left, high, front)):
        finger.click(seen(camera, p))
    kept(page, revision + 3)
    crate = state(page)["scene"]["proxies"][-1]
    assert abs(crate["width_m"] - wide) < 0.05
    assert abs(crate["height_m"] - high) < 0.05

    page.get_by_role("button", name="On to Cast").tap()
    wait_drawn(page)
    page.get_by_role("button", name="On to Move").tap()
    page.get_by_role("button", name="Make it").tap()
    kept(page, revision + 4)
    page.get_by_role("button", name="On to Deliver").tap()
    page.get_by_role("button", name="Frames, PNG").tap()
    page.get_by_role("button", name="Quarter").tap()
    last = page.get_by_label("Last frame")
    last.fill("3")
    last.press("Enter")
    page.get_by_role("button", name="Render the frames").tap()
    expect(page.get_by_role("list", name="Deliveries").get_by_text("kept,")).to_be_visible(
        timeout=120_000
    )
