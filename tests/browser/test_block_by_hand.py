"""The Lantern Quay built through the interface, from picked pixels alone; and the works of Block
as a hand does them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from jade_lantern.core.proxy import Solid
from jade_lantern.demo.project import DATUM
from jade_lantern.demo.world import (
    BARREL_AT,
    CRATES,
    FACADE_X,
    POSTS,
    QUAY_EDGE_X,
    WORKSHOPS,
    lens,
)
from tests.browser.lens import Lens, as_it_was, go_to, one_change, take_up
from tests.browser.test_block import scene_of

EYE = lens().position


def spot(x: float, y: float, z: float) -> tuple[float, float]:
    """The pixel at which a place of the quay is seen."""
    px, py = lens().project(np.array([[x, y, z]]))[0][0]
    return float(px), float(py)


def bare(page: Page) -> Lens:
    """The quay with its proxies taken away."""
    page.get_by_role("application", name="Lens view").click(position={"x": 5, "y": 300})
    page.keyboard.press("Control+a")
    with one_change(page):
        page.keyboard.press("Delete")
    expect(page.get_by_role("listitem")).to_have_count(0)
    return Lens(page, 1920, 1280)


def stand(page: Page, hand: Lens, tool: str, *places: tuple[float, float, float]) -> None:
    take_up(page, tool)
    with one_change(page):
        for place in places:
            hand.click(spot(*place))


def named(page: Page, name: str) -> None:
    field = page.get_by_label("Name", exact=True)
    field.fill(name)
    with one_change(page):
        field.press("Enter")


def set_number(page: Page, label: str, text: str) -> None:
    field = page.get_by_label(label, exact=True)
    field.fill(text)
    with one_change(page):
        field.press("Enter")


def measured(page: Page, name: str) -> np.ndarray:
    """The points of a proxy in the quay's own frame."""
    proxy = next(p for p in scene_of(page).proxies if p.name == name)
    return proxy.mesh(lens()).points + np.array(DATUM)


def close(page: Page, name: str, *truths: tuple[float, float, float]) -> None:
    """Every true corner has a corner of the proxy within 2 % of its distance."""
    found = measured(page, name)
    for truth in np.array(truths):
        off = np.linalg.norm(found - truth, axis=1).min()
        assert off < 0.02 * np.linalg.norm(truth - EYE), (name, truth, off)


def test_the_quay_is_built_from_the_picture_alone(page: Page, complaints: list[str]) -> None:
    with as_it_was(page):
        hand = bare(page)
        stand(page, hand, "Floor", (QUAY_EDGE_X, 0, -14.0), (FACADE_X, 0, -36.0))
        named(page, "quay")
        close(page, "quay", (QUAY_EDGE_X, 0, -14.0), (FACADE_X, 0, -36.0))
        with one_change(page):
            take_up(page, "Ground")
        page.get_by_role("list", name="Proxies").get_by_role("button", name="floor 1 floor").click()
        set_number(page, "Level", "-1")
        named(page, "water")
        assert measured(page, "water")[:, 1] == pytest.approx(-1.0, abs=1e-6)

        w = WORKSHOPS[1]
        stand(page, hand, "Box", (FACADE_X, 0, w.far_z), (FACADE_X, 0, w.near_z),
              (FACADE_X + 1.8, 0, w.near_z), (FACADE_X, w.height_m, w.far_z))  # fmt: skip
        named(page, "workshop")
        close(page, "workshop", (FACADE_X, 0, w.near_z), (FACADE_X, w.height_m, w.near_z),
              (FACADE_X, w.height_m, w.far_z), (FACADE_X + 1.8, 0, w.near_z))  # fmt: skip
        # one open door: traced on its front, then taken off
        page.get_by_role("button", name="Parts").click()
        hand.click(spot(FACADE_X, 3.0, -8.4))
        page.get_by_role("button", name="Trace a face into it").click()
        for place in ((0, -7.4), (0, -8.4), (2.1, -8.4), (2.1, -7.4)):
            hand.click(spot(FACADE_X, *place))
        with one_change(page):
            page.keyboard.press("Enter")
        hand.click(spot(FACADE_X, 1.0, -7.9))
        with one_change(page):
            page.get_by_role("button", name="Take it off").click()
        page.get_by_role("button", name="Whole proxies").click()
        solid = next(p for p in scene_of(page).proxies if p.name == "workshop")
        assert isinstance(solid, Solid)
        assert not solid.shape.closed
        close(page, "workshop", (FACADE_X, 0, -7.4), (FACADE_X, 2.1, -8.4))

        for i, (x, z, wide, deep, high) in enumerate(CRATES[:2]):
            left, right, near, far = x - wide / 2, x + wide / 2, z + deep / 2, z - deep / 2
            stand(page, hand, "Box", (left, 0, near), (right, 0, near), (right, 0, far),
                  (left, high, near))  # fmt: skip
            named(page, f"crate {i + 1}")
            close(page, f"crate {i + 1}", (left, 0, near), (right, high, near), (right, 0, far))
        side = lens().rotation[0] * [1, 0, 1]
        side = side / np.linalg.norm(side)
        for name, (x, z, radius, high) in (("post", POSTS[1]), ("barrel", BARREL_AT)):
            a, b = -radius * side, radius * side
            stand(
                page, hand, "Drum", (x + a[0], 0, z + a[2]), (x + b[0], 0, z + b[2]), (x, high, z)
            )
            named(page, name)
            top = measured(page, name)
            assert top[:, 1].max() == pytest.approx(high, rel=0.05)
            middle = (top.max(axis=0) + top.min(axis=0)) / 2
            assert np.hypot(middle[0] - x, middle[2] - z) < 0.02 * np.hypot(*(x, z))
        # a flared post: its side is traced
        page.get_by_role("button", name="Shape it").click()
        page.get_by_role("button", name="Trace its side").click()
        x, z, radius, high = BARREL_AT
        for height, wide in ((0.0, 0.3), (0.5, 0.36), (0.9, 0.45)):
            hand.click(spot(x - wide * side[0], height, z - wide * side[2]))
        with one_change(page):
            page.keyboard.press("Enter")
        drum = next(p for p in scene_of(page).proxies if p.name == "barrel")
        assert drum.lip_m == pytest.approx(0.45, rel=0.08)
        assert len(drum.rings) == 1

        # the awning hangs from the front: a span between picked corners, one line on the wall
        stand(page, hand, "Card", (FACADE_X - 0.95, 0, -7.0), (FACADE_X - 0.95, 0, -9.5),
              (FACADE_X - 0.95, 2.2, -9.5))  # fmt: skip
        stand(page, hand, "Span", (FACADE_X, 2.7, -7.0), (FACADE_X, 2.7, -9.5),
              (FACADE_X - 0.95, 2.2, -7.0), (FACADE_X - 0.95, 2.2, -9.5))  # fmt: skip
        named(page, "awning")
        close(page, "awning", (FACADE_X, 2.7, -7.0), (FACADE_X, 2.7, -9.5),
              (FACADE_X - 0.95, 2.2, -9.5))  # fmt: skip
        # the footbridge, an outline across the water, and what is far
        stand(page, hand, "Card", (-4.3, 0, -33.0), (-1.5, 0, -33.0), (-1.5, 1.6, -33.0))
        named(page, "footbridge")
        close(page, "footbridge", (-1.5, 0, -33.0), (-1.5, 1.6, -33.0))
        for hung in ("Backdrop", "Dome"):
            with one_change(page):
                take_up(page, hung)
        expect(page.get_by_role("listitem")).to_have_count(12)
        complaints.clear()  # the pointer passed places where nothing can be stood


def test_a_side_is_cut_away_pushed_pulled_and_all_of_it_undone(page: Page) -> None:
    with as_it_was(page):
        hand = bare(page)
        x, z, wide, deep, high = CRATES[1]
        left, right, near, far = x - wide / 2, x + wide / 2, z + deep / 2, z - deep / 2
        stand(
            page,
            hand,
            "Box",
            (left, 0, near),
            (right, 0, near),
            (right, 0, far),
            (left, high, near),
        )
        before = scene_of(page).proxies
        page.get_by_role("button", name="Shape it").click()
        page.get_by_role("button", name="Cut a side away").click()
        with one_change(page):
            for p in ((left, 0.3, near), (x, high, near), (left + 0.05, high - 0.05, near)):
                hand.click(spot(*p))
        (solid,) = scene_of(page).proxies
        assert solid.shape.closed
        assert solid.shape.volume == pytest.approx(
            wide * deep * high - 0.5 * (wide / 2) * (high - 0.3) * deep, rel=0.06
        )
        page.keyboard.press("p")
        middle = spot(x + 0.1, high / 3, near)
        with one_change(page):  # fast: the answer comes after the hand has let go
            hand.drag(middle, spot(x + 0.1, high / 3, near + 0.4), steps=2)
        (pushed,) = scene_of(page).proxies
        assert pushed.shape.volume > solid.shape.volume * 1.2
        corner = spot(right, high, near + 0.4)
        page.get_by_label("Pull along").select_option("up")
        with one_change(page):
            hand.drag(corner, spot(right, high + 0.3, near + 0.4))
        (pulled,) = scene_of(page).proxies
        assert max(p[2] for p in pulled.corners) == pytest.approx(high + 0.3, abs=0.05)
        for _ in range(3):
            with one_change(page):
                page.get_by_role("button", name="Undo").click()
        assert scene_of(page).proxies == before


def test_several_are_taken_swept_grouped_repeated_and_carried_to_another_project(
    page: Page, complaints: list[str]
) -> None:
    with as_it_was(page):
        proxies = page.get_by_role("list", name="Proxies")
        count = proxies.get_by_role("listitem").count()
        proxies.get_by_role("button", name="crate 1 box").click()
        proxies.get_by_role("button", name="crate 3 box").click(modifiers=["Control"])
        expect(page.get_by_role("heading", name="2 proxies")).to_be_visible()
        group = page.get_by_label("Group", exact=True)
        group.fill("crates")
        with one_change(page):
            group.press("Enter")
        assert [p.name for p in scene_of(page).proxies if p.group == "crates"] == [
            "crate 1", "crate 3",
        ]  # fmt: skip
        page.get_by_label("Find proxies").fill("post")
        expect(proxies.get_by_role("listitem")).to_have_count(5)
        page.get_by_role("button", name="Take all").click()
        with one_change(page):
            page.get_by_role("button", name="Lock", exact=True).click()
        page.get_by_label("Find proxies").fill("")
        page.get_by_role("application", name="Lens view").focus()
        page.keyboard.press("Delete")
        expect(page.get_by_text("is locked, so it was left as it is")).to_be_visible()
        complaints.clear()
        expect(proxies.get_by_role("listitem")).to_have_count(count)
        with one_change(page):
            page.get_by_role("button", name="Undo").click()
        proxies.get_by_role("button", name="crate 4 box").click()
        page.get_by_role("button", name="Twin and row").click()
        with one_change(page):
            page.get_by_role("button", name="Row", exact=True).click()
        set_number(page, "How many", "3")
        with one_change(page):
            page.get_by_role("button", name="Break off").click()
        expect(proxies.get_by_role("listitem")).to_have_count(count + 2)
        page.get_by_role("application", name="Lens view").focus()
        page.keyboard.press("k")
        expect(page.get_by_role("heading", name="proxies selected")).to_contain_text("16 proxies")
        page.keyboard.press("Control+c")
        page.goto("/")
        page.get_by_role("link", name="The lantern-maker's room 1800").click()
        go_to(page, "Block")
        there = page.get_by_role("list", name="Proxies").get_by_role("listitem")
        expect(there).to_have_count(9)
        page.get_by_role("application", name="Lens view").focus()
        with one_change(page):
            page.keyboard.press("Control+v")
        expect(there).to_have_count(25)
        with one_change(page):
            page.get_by_role("button", name="Undo").click()


def test_leaks_marbles_labels_and_files(page: Page, tmp_path: Path, complaints: list[str]) -> None:
    with as_it_was(page):
        hand = Lens(page, 1920, 1280)
        proxies = page.get_by_role("list", name="Proxies")
        with one_change(page):
            page.get_by_role("button", name="Hide backdrop 1").click()
        checks = page.get_by_role("region", name="Leaks")
        checks.get_by_role("button", name="Leaks").click()
        page.get_by_role("button", name="Show leaks").click()
        expect(checks).to_contain_text("% open", timeout=15_000)
        assert float(checks.locator("small").inner_text().split("%")[0]) > 10
        expect(page.locator("svg image")).to_have_count(1)
        page.get_by_role("button", name="Stop showing leaks").click()
        with one_change(page):
            page.get_by_role("button", name="Show backdrop 1", exact=True).click()

        page.get_by_role("button", name="Marbles").click()
        page.get_by_role("button", name="Let them fall").click()
        told = page.get_by_role("region", name="Marbles").get_by_role("status")
        expect(told).to_contain_text("marbles", timeout=60_000)

        page.get_by_role("button", name="Read off").click()
        page.get_by_role("button", name="Length", exact=True).click()
        x, z, wide, deep, _ = CRATES[1]
        with one_change(page):
            hand.click(spot(x - wide / 2, 0, z + deep / 2))
            hand.click(spot(x + wide / 2, 0, z + deep / 2))
        label = page.get_by_role("button", name="length", exact=False).filter(has_text=" m").first
        assert float(label.inner_text().split()[1]) == pytest.approx(wide, rel=0.03)

        page.get_by_role("button", name="In and out").click()
        with page.expect_download() as coming:
            page.get_by_role("link", name="OBJ").click()
        path = tmp_path / "quay.obj"
        coming.value.save_as(path)
        count = proxies.get_by_role("listitem").count()
        with one_change(page):
            page.get_by_label("A blocking's file").set_input_files(path)
        expect(proxies.get_by_role("listitem")).to_have_count(2 * count)
        broken = tmp_path / "broken.glb"
        broken.write_bytes(b"not a mesh")
        page.get_by_label("A blocking's file").set_input_files(broken)
        expect(page.get_by_text("broken.glb cannot be read")).to_be_visible()
        complaints.clear()
        for _ in range(2):
            with one_change(page):
                page.get_by_role("button", name="Undo").click()
