"""Hands on the lens view: where a picture point is on the page, and gestures there."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from playwright.sync_api import Page, expect

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
    answer: dict[str, Any] = page.request.get(f"/api/projects/{number}").json()
    return answer


def wait_drawn(page: Page) -> None:
    """Wait until the lens view shows what it means to."""
    page.wait_for_function(
        """() => {
            const shown = document.querySelector('canvas')?.dataset;
            return shown && shown.drawn && shown.due === undefined;
        }""",
        polling=100,
    )


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
    expect(shown).not_to_have_attribute("data-revision", before or "", timeout=20_000)


def open_project(page: Page, name: str) -> None:
    page.goto("/")
    page.get_by_role("link", name=f"{name} 1920").click()
    wait_drawn(page)


def go_to(page: Page, station: str) -> None:
    page.get_by_role("link", name=station, exact=True).click()
