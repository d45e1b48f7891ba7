"""Each kind of still sighted by hand through the real interface, against the truth it was made
from."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from jade_lantern.core.picture import Still, png
from jade_lantern.demo.companions import (
    BAY,
    BEND,
    DRAWN_BY,
    GABLES,
    STREET,
    bay,
    bent_at,
    bridge_drawing,
    bridge_lines,
    cropped,
    gables,
    street,
    through_bent_lens,
)
from jade_lantern.demo.project import EDGES, seen
from jade_lantern.demo.world import lens
from tests.browser.lens import Lens, go_to, kept, one_change, open_project, state, wait_drawn
from tests.conftest import made_by_one

KEYS = {"across": "1", "away": "2", "up": "3"}


@pytest.fixture(scope="session")
def made(painted: Path) -> Callable[[str, Callable[[], np.ndarray]], Path]:
    """A still made once and kept beside the demo's."""

    def make(name: str, picture: Callable[[], np.ndarray]) -> Path:
        path = painted / f"{name}.png"
        with made_by_one(path):
            if not path.exists():
                path.write_bytes(png(picture()))
        return path

    return make


def bring(page: Page, path: Path, width: int, height: int) -> Lens:
    """A new project on a still, in Sight."""
    page.goto("/")
    page.get_by_label("Still", exact=True).set_input_files(path)
    expect(page.get_by_text(f"{width} × {height}")).to_be_visible()
    wait_drawn(page)
    page.get_by_role("button", name="On to Sight").click()
    return Lens(page, width, height)


def reading(page: Page) -> dict[str, Any]:
    return dict(state(page)["reading"])


def choose(page: Page, section: str) -> None:
    """Unfold a part of the tray."""
    head = page.get_by_role("region", name=section).get_by_role("button", name=section).first
    if head.get_attribute("aria-expanded") == "false":
        head.click()


def enter(page: Page, label: str, text: str) -> None:
    field = page.get_by_label(label, exact=True)
    field.fill(text)
    field.press("Enter")


def revision(page: Page) -> int:
    return int(state(page)["revision"])


def undone(page: Page, to: int, steps: int) -> None:
    """Undo so many steps, and see that the project is where it was."""
    for _ in range(steps):
        page.keyboard.press("Control+z")
    for _ in range(200):
        if revision(page) == to:
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"undo came to {revision(page)}, not {to}")


def test_edges_are_taken_by_command_by_click_by_sweep_and_by_key(page: Page) -> None:
    open_project(page, "Lantern Quay, untouched")
    go_to(page, "Sight")
    hand, start, camera = Lens(page, 1920, 1280), revision(page), lens()
    with page.expect_response(
        lambda r: "/proposal?" in r.url and not r.url.endswith(f"={start}")
    ) as answer, one_change(page):  # fmt: skip
        page.get_by_role("button", name="Take a good spread").click()
    read = reading(page)
    assert abs(read["focal_px"]["value"] / camera.focal_px - 1) < 0.03
    assert abs(read["tilt_deg"]["value"] - 4.2) < 0.5
    assert abs(read["roll_deg"]["value"] - 0.9) < 0.5
    expect(page.get_by_role("group", name="Verdict")).to_contain_text("True")
    before = state(page)["scene"]["sighting"]["traces"]

    # a click takes the edge under it
    proposal = answer.value.json()
    page.wait_for_timeout(500)

    def free(e: dict[str, Any]) -> bool:
        """Whether nothing that can be taken hold of lies over an edge's middle."""
        x, y = hand.at(tuple(np.add(e["a"], e["b"]) / 2))
        script = "([x, y]) => !document.elementFromPoint(x, y).closest('[data-grip]')"
        return e["heading"] == "away" and bool(page.evaluate(script, [float(x), float(y)]))

    edge = next(e for e in proposal["edges"] if free(e))
    middle = tuple(np.add(edge["a"], edge["b"]) / 2)
    with one_change(page):
        hand.click(middle)  # type: ignore[arg-type]
    taken = state(page)["scene"]["sighting"]["traces"]
    assert len(taken) == len(before) + 1
    assert taken[-1]["points"] == [edge["a"], edge["b"]]

    # a sweep takes many
    page.keyboard.press("e")
    with one_change(page):
        hand.drag((300, 1150), (700, 1000), 20)
    assert len(state(page)["scene"]["sighting"]["traces"]) > len(taken) + 1
    page.keyboard.press("e")

    # J goes to the worst; the arrows nudge it by a tenth of a pixel
    page.keyboard.press("j")
    worst = max(reading(page)["traces"], key=lambda t: (t["disagrees"], t["misfit_px"]))
    old = next(
        t for t in state(page)["scene"]["sighting"]["traces"] if t["id"] == worst["id"]
    )["points"]  # fmt: skip
    with one_change(page):
        page.keyboard.press("ArrowRight")
    new = next(
        t for t in state(page)["scene"]["sighting"]["traces"] if t["id"] == worst["id"]
    )["points"]  # fmt: skip
    assert np.allclose(np.subtract(new, old), [[0.1, 0], [0.1, 0]], atol=1e-6)
    undone(page, start, 4)
    assert state(page)["scene"]["sighting"]["traces"] == []


def test_a_trace_pulls_itself_onto_the_edge_unless_it_is_held_off(page: Page) -> None:
    open_project(page, "Lantern Quay, untouched")
    go_to(page, "Sight")
    hand, start, camera = Lens(page, 1920, 1280), revision(page), lens()
    _, p, q = EDGES[5]
    a, b = np.array(seen(camera, p)), np.array(seen(camera, q))
    page.keyboard.press("4")  # the heading is told by the direction it is drawn in
    with one_change(page):
        hand.drag(tuple(a + [2.5, 0]), tuple(b + [2.5, 0]))
    trace = state(page)["scene"]["sighting"]["traces"][-1]
    assert trace["heading"] == "up"
    pulled = np.array(trace["points"])
    n = np.array([1.0, -(b - a)[0] / (b - a)[1]])
    assert np.abs((pulled - [a, b]) @ n / np.hypot(*n)).max() < 0.5
    page.keyboard.down("Shift")
    page.keyboard.press("3")
    with one_change(page):
        hand.drag(tuple(a + [22.5, 0]), tuple(b + [22.5, 0]))
    page.keyboard.up("Shift")
    held = np.array(state(page)["scene"]["sighting"]["traces"][-1]["points"])
    assert np.abs(held - (np.array([a, b]) + [22.5, 0])).max() < 1.5
    page.keyboard.press("Escape")
    undone(page, start, 2)


def test_one_finite_point_asks_for_a_focal_length_or_a_rectangle(page: Page, made: Any) -> None:
    hand = bring(page, made("street", street), STREET.width, STREET.height)
    page.get_by_role("button", name="Take a good spread").click()
    kept(page, 1)
    verdict = page.get_by_role("group", name="Verdict")
    expect(verdict).to_contain_text("Open")
    expect(verdict).to_contain_text("parallel")
    # a focal length that is known
    choose(page, "Lens")
    page.get_by_label("How surely the focal length is known").select_option("exactly")
    enter(page, "Focal length", "30")
    kept(page, 2)
    read = reading(page)
    assert abs(read["focal_px"]["value"] / STREET.focal_px - 1) < 1e-3
    assert abs(read["tilt_deg"]["value"]) < 0.3
    assert abs(read["roll_deg"]["value"]) < 0.3
    page.get_by_role("button", name="Let it be solved").click()
    kept(page, 3)
    expect(verdict).to_contain_text("Open")
    # a rectangle on the ground whose proportions are known
    corners = [(0.0, 0, -5.0), (2.0, 0, -5.0), (2.0, 0, -9.0), (0.0, 0, -9.0)]
    page.keyboard.press("r")
    for corner in corners:
        hand.click(seen(STREET, corner))
        page.wait_for_timeout(120)
    kept(page, 4)
    shape = state(page)["scene"]["sighting"]["rectangles"][0]
    first = shape["headings"][0]
    assert set(shape["headings"]) == {"across", "away"}
    group = page.get_by_role("group", name="Rectangle 1")
    field = group.get_by_label("Proportions")
    field.fill("0.5" if first == "across" else "2")
    field.press("Enter")
    kept(page, 5)
    assert abs(reading(page)["focal_px"]["value"] / STREET.focal_px - 1) < 0.03


def test_a_cropped_picture_gives_its_principal_point(page: Page, made: Any) -> None:
    whole = cv2.cvtColor(cv2.imread(str(made("gables", gables))), cv2.COLOR_BGR2RGB)
    part, camera = cropped(np.asarray(whole, np.uint8), GABLES, 240, 130)
    bring(page, made("gables-cropped", lambda: part), camera.width, camera.height)
    page.get_by_role("button", name="Take a good spread").click()
    kept(page, at := 1)
    read = reading(page)
    off = np.subtract(read["principal"], (camera.cx, camera.cy))
    assert np.abs(off).max() < 20
    assert abs(read["focal_px"]["value"] / camera.focal_px - 1) < 0.02
    assert abs(read["tilt_deg"]["value"] - 20) < 0.7
    expect(page.get_by_role("group", name="Verdict")).to_contain_text("True")
    choose(page, "Lens")
    # held in the middle it does not fit, and says so
    page.get_by_label("Principal point", exact=True).select_option("middle")
    kept(page, at := at + 1)
    expect(page.get_by_text("The picture seems cropped or shifted.")).to_be_visible()
    page.get_by_role("button", name="Solve the principal point").click()
    kept(page, at := at + 1)
    page.get_by_label("Principal point", exact=True).select_option("given")
    kept(page, at + 1)
    enter(page, "Principal point x", f"{camera.cx:.1f}")
    kept(page, at + 2)
    enter(page, "Principal point y", f"{camera.cy:.1f}")
    kept(page, at + 3)
    assert abs(reading(page)["focal_px"]["value"] / camera.focal_px - 1) < 0.01


def test_a_bent_picture_is_flattened_and_bent_again(page: Page, made: Any, still: Still) -> None:
    camera = lens()
    path = made("quay-bent", lambda: through_bent_lens(still.pixels, camera))
    hand = bring(page, path, camera.width, camera.height)
    at = 0
    for i in (0, 1, 3, 4, 5, 9, 10):
        heading, p, q = EDGES[i]
        a, b = bent_at(camera, np.array([seen(camera, p), seen(camera, q)]))
        page.keyboard.press(KEYS[heading])
        page.keyboard.down("Shift")
        hand.drag(tuple(a), tuple(b))
        page.keyboard.up("Shift")
        kept(page, at := at + 1)
        page.keyboard.press("Escape")
    for name in ("Away 1", "Away 2", "Away 3", "Up 1", "Up 2"):  # followed along their bend
        page.get_by_role("listitem").get_by_role("button", name=name).first.click()
        page.get_by_role("button", name="Follow its bend").click()
        kept(page, at := at + 1)
    choose(page, "Lens")
    page.get_by_label("Bending", exact=True).select_option("solve")
    kept(page, at := at + 1)
    bend = reading(page)["bend"]
    assert abs(bend["k1"] - BEND) < max(3 * bend["k1_sigma"], 0.02)
    assert bend["k1_sigma"] < 0.06
    page.get_by_role("button", name="Flatten the plate").first.click()
    kept(page, at := at + 1)
    scene = state(page)["scene"]
    assert scene["plate"]["width"] > camera.width
    read = reading(page)
    assert abs(read["focal_px"]["value"] / camera.focal_px - 1) < 0.05
    assert read["bend"]["flat"]
    wait_drawn(page)
    page.get_by_role("button", name="Bring the bent plate back").click()
    kept(page, at + 1)
    assert state(page)["scene"]["plate"]["width"] == camera.width


def test_a_drawing_that_disagrees_with_itself_is_settled_by_trust(page: Page, made: Any) -> None:
    hand = bring(page, made("bridge", bridge_drawing), DRAWN_BY.width, DRAWN_BY.height)
    at, counts = 0, {"across": 0, "up": 0, "away": 0}
    for heading, (a, b) in bridge_lines():
        if counts[heading] >= 5 or np.hypot(*np.subtract(b, a)) < 100:
            continue
        counts[heading] += 1
        page.keyboard.press(KEYS[heading])
        page.keyboard.down("Shift")
        hand.drag(a, b)
        page.keyboard.up("Shift")
        kept(page, at := at + 1)
        page.keyboard.press("Escape")
    choose(page, "Trust")
    page.get_by_role("button", name="Show what each two say").click()
    expect(page.get_by_role("cell", name="Across + Up")).to_be_visible()
    expect(page.get_by_text("without Away")).to_be_visible()
    before = reading(page)["fit_px"]
    page.get_by_label("Trust in Away").focus()
    page.keyboard.press("Home")
    kept(page, at + 1)
    read = reading(page)
    assert read["fit_px"] < before
    assert abs(read["focal_px"]["value"] / DRAWN_BY.focal_px - 1) < 0.06


def test_a_bay_without_lines_is_sighted_by_eye(page: Page, made: Any) -> None:
    hand = bring(page, made("bay", bay), BAY.width, BAY.height)
    expect(page.get_by_text(re.compile("edges? (was|were) found"))).to_be_visible()
    expect(page.get_by_role("button", name="Take a good spread")).to_be_hidden()
    choose(page, "By eye")
    page.get_by_role("button", name="Sight by eye").click()
    kept(page, 1)
    enter(page, "Focal, 35 mm terms", "40")
    kept(page, 2)
    up = BAY.rotation[:, 1]

    def horizon(x: float) -> float:
        """Where the true horizon crosses a column."""
        return BAY.cy + BAY.focal_px * (up[0] / BAY.focal_px * (x - BAY.cx) - up[2]) / up[1]

    middle = BAY.width / 2
    hand.drag((middle, BAY.height / 2), (middle, horizon(middle)))
    kept(page, 3)
    right = BAY.width * 0.92
    now = reading(page)["horizon"]
    hand.drag((right, -(now[0] * right + now[2]) / now[1]), (right, horizon(right)))
    kept(page, 4)
    read = reading(page)
    assert abs(read["tilt_deg"]["value"] - 2.5) < 0.15
    assert abs(read["roll_deg"]["value"] + 1.5) < 0.15
    hand.drag((400, 900), (640, 900))  # the ground turns with the hand
    kept(page, 5)
    assert abs(reading(page)["yaw_deg"]["value"]) > 2
    expect(page.get_by_role("group", name="Verdict")).to_contain_text("by eye")


def test_zero_size_and_ways_through_the_tray(page: Page, still_file: Path) -> None:
    camera = lens()
    hand = bring(page, still_file, 1920, 1280)
    page.get_by_role("button", name="Take a good spread").click()
    kept(page, 1)
    # a hidden corner: the foot of the front and an upright, run on
    page.keyboard.press("2")
    hand.drag(seen(camera, EDGES[0][1]), seen(camera, EDGES[0][2]))
    kept(page, 2)
    page.keyboard.press("Escape")
    page.keyboard.press("3")
    hand.drag(seen(camera, (4.2, 1.2, -6.2)), seen(camera, (4.2, 4.9, -6.2)))
    kept(page, 3)
    page.keyboard.press("Escape")
    page.keyboard.press("c")
    for point in ((4.2, 0, -8.5), (4.2, 3.0, -6.2)):
        hand.click(seen(camera, point))
    kept(page, 4)
    corner = reading(page)["corners"][0]["at"]
    foot = np.array(seen(camera, (4.2, 0, -6.2)))
    assert np.hypot(*(np.array(corner) - foot)) < 4
    page.keyboard.press("d")
    hand.click((corner[0] + 5, corner[1] + 4))  # near enough to be caught by it
    kept(page, 5)
    assert state(page)["scene"]["sighting"]["datum"] == pytest.approx(corner, abs=1e-6)
    # feet and inches, typed either way
    page.get_by_role("radio", name="Feet, inches").click()
    enter(page, "Eye height", "5' 3\"")
    kept(page, 6)
    assert state(page)["scene"]["sighting"]["eye_height_m"] == pytest.approx(1.6002)
    expect(page.get_by_label("Eye height")).to_have_value("5′ 3.0″")
    page.get_by_role("radio", name="Metres").click()
    # an upright tape that disagrees says so
    page.keyboard.press("m")
    page.get_by_role("radio", name="Upright").click()
    hand.drag(seen(camera, (4.2, 0, -8)), seen(camera, (4.2, 2, -8)))
    kept(page, 7)
    enter(page, "Tape 1, upright", "2.10")
    kept(page, 8)
    expect(page.get_by_text("where you said 2.10 m")).to_be_visible()
    # a quarter turn and back
    yaw = reading(page)["yaw_deg"]["value"]
    page.get_by_role("button", name="Turn a quarter to the left").click()
    kept(page, 9)
    assert abs(abs(reading(page)["yaw_deg"]["value"] - yaw) - 90) < 0.1
    page.get_by_role("button", name="Turn a quarter to the right").click()
    kept(page, 10)
    assert reading(page)["yaw_deg"]["value"] == pytest.approx(yaw, abs=1e-3)
    # two sightings compared
    choose(page, "Compare")
    page.get_by_role("button", name="Keep this sighting").click()
    kept(page, 11)
    page.get_by_label("Level the horizon").check()
    kept(page, 12)
    assert abs(reading(page)["roll_deg"]["value"]) < 0.01
    page.get_by_role("button", name="Show Sighting 1 over the picture").click()
    page.get_by_role("button", name="Go on from Sighting 1").click()
    kept(page, 13)
    assert reading(page)["roll_deg"]["value"] == pytest.approx(0.9, abs=0.3)


def test_a_sighting_changed_under_a_built_scene_offers_the_way_back(page: Page) -> None:
    open_project(page, "Lantern Quay")
    go_to(page, "Sight")
    start = revision(page)
    hand = Lens(page, 1920, 1280)
    with one_change(page):
        page.get_by_role("button", name="Unlock sighting").click()
    before = state(page)["scene"]["sighting"]
    end = next(t for t in before["traces"] if t["heading"] == "up")["points"][1]
    page.keyboard.down("Shift")
    with one_change(page):
        hand.drag(tuple(end), (end[0] + 30, end[1]))
    page.keyboard.up("Shift")
    expect(page.get_by_text("The sighting has changed under what is built")).to_be_visible()
    misses = state(page)["misses"]["of"]
    assert max(m["px"] for m in misses) > 0.1
    with one_change(page):
        page.get_by_role("button", name="Go back", exact=True).click()
    assert state(page)["scene"]["sighting"] == before
    assert state(page)["scene"]["built_on"] is None
    undone(page, start, 3)
