"""Hands on the lens view: where a picture point is on the page, and gestures there."""

from __future__ import annotations

import base64
import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import Page, expect

from tests.answers import whole

Point = tuple[float, float]


class Lens:
    """The lens view fitted to the picture, as a hand finds it."""

    def __init__(self, page: Page, width: int, height: int) -> None:
        self.page, self.width, self.height = page, width, height

    def at(self, p: Point) -> Point:
        box = self.page.get_by_role("application", name="Lens view").bounding_box()
        assert box
        zoom = min(box["width"] / self.width, box["height"] / self.height)
        return (
            box["x"] + box["width"] / 2 + (p[0] - self.width / 2) * zoom,
            box["y"] + box["height"] / 2 + (p[1] - self.height / 2) * zoom,
        )

    def drag(self, a: Point, b: Point, steps: int = 6) -> None:
        self.page.mouse.move(*self.at(a))
        self.page.mouse.down()
        self.page.mouse.move(*self.at(b), steps=steps)
        self.page.mouse.up()

    def click(self, p: Point) -> None:
        self.page.mouse.move(*self.at(p))
        self.page.mouse.down()
        self.page.mouse.up()


def state(page: Page) -> dict[str, Any]:
    """What the server holds of the open project."""
    number = page.url.split("/project/")[1].split("/")[0]
    return whole(page.request.get(f"/api/projects/{number}").json())


def wait_drawn(page: Page) -> None:
    """Wait until the views show what they mean to."""
    page.wait_for_function(
        """() => {
            const views = [...document.querySelectorAll('[role=application]')];
            const loading = views.some((v) => v.innerText.includes('Loading the plate'));
            const drawn = views.every(({ dataset: d }) => d.drawn && d.due === undefined);
            return views.length > 0 && drawn && !loading;
        }""",
        polling=100,
    )


def drawn(page: Page, view: str) -> NDArray[np.uint8]:
    """What a view's part of the canvas shows, (H, W, 3)."""
    wait_drawn(page)
    address = page.locator("canvas").first.evaluate("c => c.toDataURL('image/png')")
    data = np.frombuffer(base64.b64decode(address.split(",")[1]), np.uint8)
    canvas = page.locator("canvas").first.bounding_box()
    pane = page.get_by_role("application", name=view).bounding_box()
    assert canvas
    assert pane
    left, top = round(pane["x"] - canvas["x"]), round(pane["y"] - canvas["y"])
    right, bottom = left + int(pane["width"]), top + int(pane["height"])
    picture = cv2.imdecode(data, cv2.IMREAD_COLOR_RGB)
    return np.asarray(picture[top:bottom, left:right])


def kept(page: Page, revision: int) -> None:
    """Wait until the page stands on a revision, or a later one."""
    page.wait_for_function(
        "(n) => Number(document.querySelector('[data-revision]')?.dataset.revision) >= n",
        arg=revision,
        polling=50,
    )


@contextmanager
def one_change(page: Page) -> Iterator[None]:
    """Do something that is to change the project, and wait until the page stands on what came of
    it. In a project whose history has branches, a later revision may have any higher number."""
    shown = page.locator("[data-revision]")
    before = shown.get_attribute("data-revision")
    yield
    expect(shown).not_to_have_attribute("data-revision", before or "")


def open_project(page: Page, name: str) -> None:
    page.goto("/")
    page.get_by_role("link", name=f"{name} 1920").click()
    wait_drawn(page)


def take_up(page: Page, name: str) -> None:
    """Press what stands a proxy, in the row or behind *More*."""
    group = page.get_by_role("group", name="Stand a proxy")
    more = group.get_by_role("button", name="▾")
    expect(more).to_be_visible()
    usual = group.get_by_role("button", name=name, exact=True)
    if usual.count():
        usual.click()
        return
    more.click()
    page.get_by_role("dialog", name="More to stand").get_by_role(
        "button", name=re.compile(rf"^{name}\b")
    ).click()


def go_to(page: Page, station: str) -> None:
    page.get_by_role("link", name=station, exact=True).click()


@contextmanager
def as_it_was(page: Page) -> Iterator[None]:
    """Do something to the quay, and leave it as it was, for those who come after."""
    open_project(page, "Lantern Quay")
    go_to(page, "Block")
    number = page.url.split("/project/")[1].split("/")[0]
    before = state(page)["revision"]
    try:
        yield
    finally:
        head = page.request.get(f"/api/projects/{number}/head").json()["revision"]
        page.request.post(
            f"/api/projects/{number}/history/{before}",
            data={"base": head}, headers={"X-Jade-Lantern": "1"},
        )  # fmt: skip
