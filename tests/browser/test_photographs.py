"""Photographs as they are, made with their truth: sighted by hand where sorting cannot tell, and a
place whose houses stand at no right angle to each other."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect

from jade_lantern.core.camera import tilt_roll_yaw
from jade_lantern.core.sight import search
from jade_lantern.core.sight.edges import Found, found_in
from jade_lantern.demo.photographs import Photograph, made_photograph
from tests.browser.lens import Lens, kept, state, wait_drawn

LONGER = 1400


def brought_in(page: Page, folder: Path, seed: int) -> tuple[Photograph, Found, Lens]:
    made = made_photograph(np.random.default_rng(seed), LONGER)
    file = folder / "place.png"
    cv2.imwrite(str(file), cv2.cvtColor(made.pixels, cv2.COLOR_RGB2BGR))
    page.goto("/")
    page.get_by_label("Still", exact=True).set_input_files(str(file))
    page.wait_for_url("**/project/**")
    page.get_by_role("link", name="Sight", exact=True).click()
    wait_drawn(page)
    height, width = made.pixels.shape[:2]
    found = found_in(cv2.cvtColor(made.pixels, cv2.COLOR_RGB2GRAY))
    return made, found, Lens(page, width, height)


def along(made: Photograph, found: Found) -> np.ndarray:
    """(E,) which of Across, Up, Away each found edge truly runs along, -1 for none."""
    camera = made.camera
    lines = search.Lines.of(found, (camera.cx, camera.cy))
    points = search.directions(camera.focal_px, camera.rotation)
    part, _ = search.shares(lines.m, lines.d, lines.length, lines.coarser(1.0), points)
    return search.likeliest(part)


def level(turn: float) -> np.ndarray:
    """The world's direction (3,) at a turn, degrees from Across towards Away."""
    a = np.radians(turn)
    return np.array([np.cos(a), 0.0, -np.sin(a)])


def lone(found: Found, mine: np.ndarray) -> list[int]:
    """Of some edges those in whose middle no other is near, so that a click means them alone."""
    ends = found.ends.reshape(-1, 2, 2)
    along_, length = ends[:, 1] - ends[:, 0], np.hypot(*(ends[:, 1] - ends[:, 0]).T)
    out: list[int] = []
    for i in mine.tolist():
        middle = ends[i].mean(axis=0)
        t = (((middle - ends[:, 0]) * along_).sum(axis=1) / length**2).clip(0, 1)
        far = np.hypot(*(ends[:, 0] + t[:, None] * along_ - middle).T)
        far[i] = np.inf
        # nor one further on along it, which would count as taken with it
        n = np.array([-along_[i, 1], along_[i, 0]]) / length[i]
        beside = np.abs((ends - ends[i, 0]) @ n).max(axis=1) < 4
        beside[i] = False
        if far.min() > 16 and not beside[out].any():
            out.append(i)
    return out


def test_where_sorting_cannot_tell_a_few_edges_taken_by_hand_are_enough(page, tmp_path):
    made, found, lens = brought_in(page, tmp_path, 328)
    expect(page.get_by_text("straight edges were found")).to_be_visible()
    expect(page.get_by_text("They fit two cameras about as well")).to_be_visible()
    which = along(made, found)
    revision = 0
    for heading, key in ((1, "3"), (0, "1"), (2, "2")):
        page.keyboard.press(key)
        page.keyboard.press("e")
        for i in lone(found, np.nonzero(which == heading)[0])[:4]:
            wait_drawn(page)
            a, b = found.ends[i].reshape(2, 2)
            lens.click(tuple((a + b) / 2))
            revision += 1
            kept(page, revision)
    page.keyboard.press("Escape")
    traces = state(page)["scene"]["sighting"]["traces"]
    assert len(traces) == revision >= 10
    assert {t["heading"] for t in traces} == {"across", "up", "away"}
    assert all(t["on_edge"] for t in traces)
    told = state(page)["reading"]
    focal, sigma = told["focal_px"]["value"], told["focal_px"]["sigma"]
    assert abs(np.log(focal / made.camera.focal_px)) < 0.2
    assert abs(focal - made.camera.focal_px) < 3 * sigma
    tilt, roll, _ = tilt_roll_yaw(made.camera.rotation)
    assert abs(told["tilt_deg"]["value"] - tilt) < 1
    assert abs(told["roll_deg"]["value"] - roll) < 1


def test_a_place_with_bearings_is_sighted_by_one_key_and_a_box_stood_along_one(page, tmp_path):
    made, _, lens = brought_in(page, tmp_path, 343)
    expect(page.get_by_text("straight edges were found")).to_be_visible()
    page.keyboard.press("g")
    kept(page, 1)
    told = state(page)["reading"]
    assert abs(np.log(told["focal_px"]["value"] / made.camera.focal_px)) < 0.1
    turns = {h["heading"]: h for h in told["headings"] if h["turn_deg"] is not None}
    assert set(turns) == {"A", "B"}
    # each runs along a side of a house, as the lens sees it
    true = [t + q for t in (0.0, *made.bearings) for q in (0, 90)]
    sides = made.camera.rotation @ np.array([level(t) for t in true]).T
    for read in turns.values():
        seen = np.array(told["camera"]["rotation"]) @ level(read["turn_deg"])
        off = np.degrees(np.arccos(min(np.abs(seen @ sides).max(), 1.0)))
        assert off < max(3 * read["turn_sigma_deg"], 1.5)
    expect(page.get_by_role("radio", name="A ", exact=False).first).to_be_visible()

    page.keyboard.press("d")
    lens.click((lens.width * 0.5, lens.height * 0.95))
    kept(page, 2)
    page.get_by_label("Eye height").fill("1.6")
    page.get_by_label("Eye height").press("Enter")
    kept(page, 3)
    page.get_by_role("link", name="Block", exact=True).click()
    page.get_by_role("button", name="Box", exact=True).click()
    for x, y in ((0.4, 0.9), (0.6, 0.9), (0.62, 0.86)):
        lens.click((lens.width * x, lens.height * y))
    page.keyboard.press("Enter")
    kept(page, 4)
    page.get_by_role("button", name="Turn and place").click()
    page.get_by_role("group", name="Turn along").get_by_role("button", name="A", exact=True).click()
    kept(page, 5)
    box = state(page)["scene"]["proxies"][-1]
    assert abs((box["turn_deg"] - turns["A"]["turn_deg"] + 90) % 180 - 90) < 0.01
    page.get_by_role("button", name="History").click()
    expect(page.get_by_role("button", name=f"Turn {box['name']}")).to_be_visible()
    page.get_by_label("Search the history").fill("sight datum")
    expect(page.get_by_role("button", name="Set the datum")).to_be_visible()
    expect(page.get_by_role("button", name=f"Turn {box['name']}")).to_have_count(0)
