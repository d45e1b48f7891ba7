"""Hands at work: fast, clumsy, across notes and labels and out of the view. Nothing is lost, no
text is selected, and a pointer that is taken away leaves everything as it was."""

from __future__ import annotations

import json
import os
import random
import subprocess
import sys
import urllib.request
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from jade_lantern.demo.project import seen
from jade_lantern.demo.world import lens
from tests.browser.conftest import Served
from tests.browser.lens import Lens, go_to, kept, one_change, open_project, state, wait_drawn
from tests.browser.test_windows import make_project

AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
STATIONS = ["Still", "Sight", "Block", "Cast", "Move", "Dress", "Deliver"]


@pytest.fixture(scope="session")
def quay(served: Served, tmp_path_factory: pytest.TempPathFactory) -> str:
    """A copy of the demo project, so that its history stays as other tests expect it."""
    archive = tmp_path_factory.mktemp("quay") / "quay.zip"
    with urllib.request.urlopen(f"{served.address}/api/projects") as answer:
        listed = json.loads(answer.read())["projects"]
    number = next(p["id"] for p in listed if p["name"] == "Lantern Quay")
    environment = {**os.environ, "JADE_LANTERN_DATA": str(served.data)}
    for words in (("export", str(number), str(archive)),
                  ("import", str(archive), "--name", "Quay for hands")):  # fmt: skip
        command = [sys.executable, "-m", "jade_lantern.cli", *words]
        subprocess.run(command, env=environment, check=True, capture_output=True)
    return "Quay for hands"


def selected_text(page: Page) -> str:
    text: str = page.evaluate("String(window.getSelection())")
    return text


def quick_drag(page: Page, a: tuple[float, float], b: tuple[float, float], steps: int) -> None:
    page.mouse.move(*a)
    page.mouse.down()
    page.mouse.move(*b, steps=steps)
    page.mouse.up()


def traces_of(page: Page) -> list[dict]:
    traces: list[dict] = state(page)["scene"]["sighting"]["traces"]
    return traces


def test_thirty_traces_drawn_fast_are_all_there(page):
    """Each begins in the picture; they end anywhere: in it, over the chips, over the walk view,
    the tray, the readings, or out of the window."""
    page.set_default_timeout(60_000)  # thirty changes wait in line on a slow machine
    chance = random.Random(2)
    make_project(page, "thirty")
    go_to(page, "Sight")
    hand = Lens(page, 600, 400)
    page.keyboard.press("t")
    for i in range(30):
        a = hand.at((chance.uniform(20, 580), chance.uniform(20, 380)))
        b = (chance.uniform(-30, 1310), chance.uniform(-20, 830))
        if i % 3 == 0:  # along the row of chips and the notes over the picture
            b = hand.at((chance.uniform(0, 600), 5))
        if np.hypot(b[0] - a[0], b[1] - a[1]) < 40:
            b = (b[0] + 90, b[1])
        quick_drag(page, a, b, steps=chance.choice([1, 2, 5]))
        assert selected_text(page) == ""
    kept(page, 30)
    assert len(traces_of(page)) == 30
    expect(page.get_by_role("group", name="trace")).to_have_count(30)


def test_thirty_traces_with_text_selected_beforehand(page):
    """Once any text was selected, the browser's own drag took the next press."""
    page.set_default_timeout(60_000)
    make_project(page, "selected")
    go_to(page, "Sight")
    page.keyboard.press("Control+a")
    page.evaluate("getSelection().selectAllChildren(document.body)")
    hand = Lens(page, 600, 400)
    page.keyboard.press("t")
    for i in range(6):
        quick_drag(page, hand.at((40, 40 + 50 * i)), hand.at((560, 60 + 45 * i)), steps=2)
    kept(page, 6)
    assert len(traces_of(page)) == 6


def test_twenty_drags_of_proxies_and_handles_are_all_kept(page, quay):
    open_project(page, quay)
    go_to(page, "Block")
    page.get_by_role("button", name="crate 2 box").click()
    start = state(page)
    camera, hand = lens(), Lens(page, 1920, 1280)
    handles = ["Top", "Corner 2", "Turn", "Foot"]
    for i in range(20):
        if i % 5 == 4:  # the body, from a place on its front that it keeps
            at = hand.at(seen(camera, (1.75, 0.25, -7.7)))
        else:
            name = f"{handles[i % 4]} of the selected proxy"
            box = page.get_by_role("button", name=name).bounding_box()
            assert box
            at = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        way = (7, 5) if i % 2 else (-7, -5)
        with one_change(page):
            quick_drag(page, at, (at[0] + way[0], at[1] + way[1]), steps=2)
        assert selected_text(page) == ""
    steps = page.request.get(f"/api/projects/{start['id']}/history").json()
    assert len(steps) - 1 - start["revision"] >= 20
    for _ in range(20):
        with one_change(page):
            page.get_by_role("button", name="Undo").click()
    assert state(page)["scene"] == start["scene"]


def test_the_divider_is_dragged_under_the_strict_policy(page):
    """Its pointer's shape is a style sheet of its own; the page's complaints fail the test."""
    make_project(page, "divided")
    divider = page.get_by_label("Divider between the lens view and the rest")
    before = divider.bounding_box()
    assert before
    at = (before["x"] + 2, before["y"] + 200)
    for way in (120, -900, 1100):  # as far as it goes, both ways, where the shape changes
        page.mouse.move(*at)
        page.mouse.down()
        page.mouse.move(at[0] + way, at[1] + 9, steps=6)
        page.mouse.up()
        after = divider.bounding_box()
        assert after
        at = (after["x"] + 2, at[1])
    assert abs(at[0] - before["x"]) > 50
    assert selected_text(page) == ""


def cancel_pointer(page: Page, role: str, name: str) -> None:
    """What the browser says when it takes a pointer away, as for a palm or a system gesture."""
    page.get_by_role(role, name=name).evaluate(
        "e => e.dispatchEvent(new PointerEvent('pointercancel', {bubbles: true, pointerId: 1}))"
    )


def test_a_pointer_taken_away_leaves_the_lens_view_as_it_was(page):
    make_project(page, "taken away")
    go_to(page, "Sight")
    hand = Lens(page, 600, 400)
    page.keyboard.press("1")
    page.mouse.move(*hand.at((60, 60)))
    page.mouse.down()
    page.mouse.move(*hand.at((400, 90)), steps=4)
    cancel_pointer(page, "application", "Lens view")
    page.mouse.up()
    hand.drag((60, 300), (560, 330))  # the tool is still on, and begins anew
    kept(page, 1)
    (trace,) = traces_of(page)
    assert abs(trace["points"][0][1] - 300) < 12
    # a rectangle of which two corners stand keeps them, and gets no third
    page.keyboard.press("r")
    for corner in ((100, 100), (300, 110)):
        hand.click(corner)
    page.mouse.move(*hand.at((550, 380)))
    page.mouse.down()
    cancel_pointer(page, "application", "Lens view")
    page.mouse.up()
    for corner in ((290, 250), (95, 240)):
        hand.click(corner)
    kept(page, 2)
    (shape,) = state(page)["scene"]["sighting"]["rectangles"]
    assert np.allclose(shape["points"], [(100, 100), (300, 110), (290, 250), (95, 240)], atol=2)


def test_a_pointer_taken_away_leaves_blocks_and_keys_where_they_were(page, quay):
    open_project(page, quay)
    go_to(page, "Block")
    before = state(page)
    hand, camera = Lens(page, 1920, 1280), lens()
    page.mouse.move(*hand.at(seen(camera, (1.75, 0.3, -7.7))))
    page.mouse.down()
    page.mouse.move(*hand.at(seen(camera, (1.0, 0.3, -7.7))), steps=4)
    cancel_pointer(page, "application", "Lens view")
    page.mouse.up()
    go_to(page, "Move")
    key = page.get_by_role("button", name="Key at 95")
    box = key.bounding_box()
    assert box
    page.mouse.move(box["x"] + 8, box["y"] + 9)
    page.mouse.down()
    page.mouse.move(box["x"] - 200, box["y"] + 9, steps=3)
    cancel_pointer(page, "group", "The shot in time")
    page.mouse.up()
    expect(key).to_be_visible()
    page.wait_for_timeout(400)
    assert state(page) == before


def test_a_pointer_taken_away_leaves_the_walk_view_as_it_was(page, quay):
    open_project(page, quay)
    go_to(page, "Block")
    page.get_by_role("button", name="Plan").click()
    walk = page.get_by_role("application", name="Walk view").bounding_box()
    assert walk
    at = (walk["x"] + walk["width"] / 2, walk["y"] + walk["height"] / 2)
    page.mouse.click(*at)  # a press on what is selected slides it
    before = state(page)
    page.mouse.move(*at)
    page.mouse.down()
    page.mouse.move(at[0] + 25, at[1] + 4, steps=3)
    cancel_pointer(page, "application", "Walk view")
    page.mouse.up()
    page.wait_for_timeout(400)
    assert state(page) == before
    with one_change(page):
        quick_drag(page, at, (at[0] + 25, at[1] + 4), steps=3)  # let go of, it is kept


@pytest.mark.parametrize("name", ["Lantern Quay", "Lantern Quay, untouched"])
def test_nobody_is_kept_out_of_any_station(page, name):
    """axe-core finds nothing that would stop somebody who cannot see, or has no mouse."""
    page.goto("/")
    assert troubles(page) == []
    page.get_by_role("link", name=f"{name} 1920").click()
    wait_drawn(page)
    for station in STATIONS:
        go_to(page, station)
        wait_drawn(page)
        assert troubles(page) == [], station
    page.get_by_role("button", name="History").click()
    expect(page.get_by_role("dialog")).to_be_visible()
    page.wait_for_timeout(400)
    assert troubles(page) == []


def troubles(page: Page) -> list[str]:
    """What axe-core has to say of the page as it stands."""
    page.evaluate(AXE.read_text())
    found = page.evaluate(
        """async () => (await axe.run()).violations.flatMap(v =>
            v.nodes.map(n => `${v.id}: ${n.target} ${n.failureSummary}`))"""
    )
    return list(found)
