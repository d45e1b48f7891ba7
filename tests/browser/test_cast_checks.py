"""Cast and Move say where the trick would show, and that nothing shifts at the lens."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.browser.lens import drawn, go_to, open_project


def test_compare_split_and_the_worst_frame(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Cast")
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
    split = page.get_by_role("region", name="Proposed split")
    split.get_by_role("button", name="Proposed split").click()
    split.get_by_role("button", name="Propose the fewest plates").click()
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
    page.get_by_role("button", name="Reveal", exact=True).click()
    expect(page.locator("svg image")).to_have_count(1)
