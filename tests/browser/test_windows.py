"""Two windows, a reload in the middle, everything undone, and what is refused."""

import io
import sqlite3

import numpy as np
from PIL import Image
from playwright.sync_api import Browser, Page, Route, expect

from jade_lantern.core.picture import png
from jade_lantern.demo.project import seen
from jade_lantern.demo.world import lens
from tests.browser.conftest import RATIO
from tests.browser.lens import Lens, go_to, kept, one_change, open_project, state, wait_drawn


def make_project(page: Page, name: str) -> None:
    """A project of its own on a plain still, so that tests do not meet."""
    grey = np.full((400, 600, 3), 120, np.uint8)
    page.goto("/")
    page.get_by_label("Still", exact=True).set_input_files(
        {"name": f"{name}.png", "mimeType": "image/png", "buffer": png(grey)}
    )
    wait_drawn(page)


def trace(page: Page, key: str, a: tuple[float, float], b: tuple[float, float], wait: int) -> None:
    hand = Lens(page, 600, 400)
    page.keyboard.press(key)
    hand.drag(a, b, steps=3)
    kept(page, wait)
    page.keyboard.press("Escape")


def test_everything_can_be_undone_and_redone(page):
    make_project(page, "plain still")
    go_to(page, "Sight")
    lines = [
        ("1", (50, 300), (500, 320)),
        ("1", (60, 100), (520, 60)),
        ("3", (100, 30), (120, 380)),
    ]
    for i, (key, a, b) in enumerate(lines):
        trace(page, key, a, b, i + 1)
    for left in (2, 1, 0):
        page.keyboard.press("Control+z")
        expect(page.get_by_role("group", name="trace")).to_have_count(left)
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    for there in (1, 2, 3):
        page.keyboard.press("Control+Shift+z")
        expect(page.get_by_role("group", name="trace")).to_have_count(there)
    page.get_by_role("button", name="History").click()
    expect(
        page.get_by_role("dialog").get_by_role("button", name="Bring in the still")
    ).to_be_visible()


def test_a_reload_leaves_everything_where_it_was(page):
    make_project(page, "reload")
    go_to(page, "Sight")
    trace(page, "2", (50, 300), (500, 320), 1)
    lens_view = page.get_by_role("application", name="Lens view")
    lens_view.hover()
    page.mouse.wheel(0, -400)
    page.get_by_role("button", name="Away 1 —").click()
    zoom = lens_view.get_by_text("Lens ·").inner_text()
    page.reload()
    wait_drawn(page)
    assert page.url.endswith("/sight")
    expect(lens_view.get_by_text(zoom)).to_be_visible()
    expect(page.get_by_role("button", name="Away 1 —")).to_have_attribute("aria-pressed", "true")


def test_two_windows_never_overwrite_each_other(browser: Browser, page: Page, complaints, served):
    make_project(page, "both")
    go_to(page, "Sight")
    other = browser.new_page(
        viewport=page.viewport_size, base_url=served.address, device_scale_factor=RATIO
    )
    # a window that has not heard of the change yet, however long the first one takes
    other.route("**/head", lambda route: route.abort())
    other.goto(page.url)
    wait_drawn(other)
    trace(page, "1", (50, 300), (500, 320), 1)
    hand = Lens(other, 600, 400)
    other.keyboard.press("3")
    hand.drag((100, 30), (120, 380), steps=1)
    notice = other.get_by_role("status").filter(has_text="changed in another window")
    expect(notice).to_contain_text("Trace Across")
    assert len(state(page)["scene"]["sighting"]["traces"]) == 1
    other.get_by_role("button", name="Make it again").click()
    expect(page.get_by_role("group", name="trace")).to_have_count(2, timeout=8000)
    other.close()


def test_changes_made_faster_than_their_answers_lose_nothing(page):
    make_project(page, "hasty")
    go_to(page, "Sight")
    trace(page, "1", (50, 300), (500, 320), 1)

    def late(route: Route) -> None:
        page.wait_for_timeout(400)
        route.continue_()

    page.route("**/edits", late)
    page.get_by_role("button", name="Across 1 —").click()
    before = state(page)["scene"]["sighting"]["traces"][0]["points"]
    for _ in range(5):
        page.keyboard.press("ArrowDown")
    page.get_by_role("region", name="Lens").get_by_role("button", name="Lens").first.click()
    page.get_by_label("Principal point", exact=True).select_option("given")
    for axis, at in (("x", "310"), ("y", "190")):
        page.get_by_label(f"Principal point {axis}", exact=True).fill(at)
        page.keyboard.press("Enter")
    page.get_by_label("Principal point y", exact=True).blur()
    for _ in range(200):
        sighting = state(page)["scene"]["sighting"]
        if sighting["principal"] == [310, 190]:
            break
        page.wait_for_timeout(50)
    assert sighting["principal"] == [310, 190]
    assert np.allclose(np.subtract(sighting["traces"][0]["points"], before), [[0, 0.5]] * 2)
    page.unroute("**/edits")
    while page.get_by_role("button", name="Undo").is_enabled():
        page.keyboard.press("Control+z")
        page.wait_for_timeout(100)
    assert state(page)["scene"]["sighting"]["traces"] == []


def test_what_is_no_picture_is_refused_at_the_place(page, complaints):
    page.goto("/")
    page.get_by_label("Still", exact=True).set_input_files(
        {"name": "notes.png", "mimeType": "image/png", "buffer": b"these are notes"}
    )
    expect(page.get_by_role("alert")).to_contain_text("no picture that can be read")
    complaints.clear()  # the browser itself reports the answer of 422


def test_a_datum_in_the_sky_is_refused_at_the_place(page, complaints):
    open_project(page, "Lantern Quay")
    go_to(page, "Sight")
    with one_change(page):
        page.get_by_role("button", name="Unlock sighting").click()
    expect(page.get_by_role("button", name="Lock sighting", exact=True)).to_be_visible()
    revision = state(page)["revision"]
    page.keyboard.press("d")
    Lens(page, 1920, 1280).click((500, 200))
    expect(page.get_by_role("status").filter(has_text="above the horizon")).to_be_visible()
    assert state(page)["revision"] == revision
    complaints.clear()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("button", name="Unlock sighting")).to_be_visible()


def test_a_proxy_is_dragged_over_the_floor(page):
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    before = next(p for p in state(page)["scene"]["proxies"] if p["name"] == "crate 2")
    hand, camera = Lens(page, 1920, 1280), lens()
    with one_change(page):
        hand.drag(seen(camera, (1.75, 0.3, -7.7)), seen(camera, (1.0, 0.3, -7.7)))
    after = next(p for p in state(page)["scene"]["proxies"] if p["id"] == before["id"])
    assert after["x"] < before["x"] - 0.4
    assert {k: v for k, v in after.items() if k not in "xz"} == {
        k: v for k, v in before.items() if k not in "xz"
    }
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Across")).to_have_value(f"{before['x']:.2f}")


def test_a_still_is_dropped_on_the_page(page):
    """A WebP this time, let go of over the page as a hand does."""
    picture = io.BytesIO()
    Image.fromarray(np.full((300, 450, 3), 90, np.uint8)).save(picture, "WEBP")
    page.goto("/")
    dropped = page.evaluate_handle(
        """bytes => {
            const held = new DataTransfer();
            const file = new File([new Uint8Array(bytes)], 'harbour.webp', {type: 'image/webp'});
            held.items.add(file);
            return held;
        }""",
        list(picture.getvalue()),
    )
    page.get_by_role("main").dispatch_event("drop", {"dataTransfer": dropped})
    expect(page.get_by_text("450 × 300")).to_be_visible()
    expect(page.get_by_text("WebP, 8 bit")).to_be_visible()


def test_handles_raise_a_top_and_pull_a_corner(page):
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    page.get_by_role("button", name="crate 2 box").click()
    start = state(page)
    for n, handle in enumerate(("Top of the selected proxy", "Corner 2 of the selected proxy")):
        box = page.get_by_role("button", name=handle).bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        with one_change(page):
            page.mouse.down()
            page.mouse.move(x + 25 * n, y - 25 * (1 - n), steps=4)
            page.mouse.up()
    before, after = (
        next(p for p in s["scene"]["proxies"] if p["name"] == "crate 2")
        for s in (start, state(page))
    )
    assert after["height_m"] > before["height_m"] + 0.05
    assert after["width_m"] > before["width_m"] + 0.05
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Height")).to_have_value(f"{before['height_m']:.2f}")


def test_a_damaged_project_hides_no_other_and_is_taken_back(page, served, complaints):
    make_project(page, "damaged")
    number = int(page.url.split("/project/")[1].split("/")[0])
    go_to(page, "Sight")
    trace(page, "1", (50, 300), (500, 320), 1)
    with sqlite3.connect(served.data / "projects.sqlite3", timeout=20) as database:
        database.execute(
            "INSERT INTO studio_revision (project_id, number, parent, title, whole, parts, made_at)"
            " VALUES (?, 2, 1, 'Lost', 2, '{\"label\": \"lost\"}', '2026-01-01')",
            (number,),
        )
        database.execute("UPDATE studio_project SET head = 2 WHERE id = ?", (number,))
    page.goto("/")
    expect(page.get_by_role("link", name="Lantern Quay 1920")).to_be_visible()
    page.get_by_role("link", name="Damaged: its last step cannot be read").first.click()
    expect(page.get_by_role("heading", name="This project is damaged")).to_be_visible()
    page.get_by_role("button", name="Go back to step 1").click()
    wait_drawn(page)
    assert len(state(page)["scene"]["sighting"]["traces"]) == 1
    complaints.clear()
