"""Large plates in the views: they appear, sharpen where one looks, and say when they cannot."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.lens import drawn, wait_drawn

RATIO = 1  # what the viewport drew is looked at

WIDTH, HEIGHT = 6000, 4000  # 24 megapixels


@pytest.fixture(scope="module")
def picture() -> np.ndarray:
    """Every pixel its own grey, on slow waves by which a place is told."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    slow = 110 + 40 * np.sin(x / 390) + 40 * np.cos(y / 270)
    fine = np.random.default_rng(8).integers(-50, 51, (HEIGHT, WIDTH))
    grey = np.clip(slow + fine, 0, 255).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)


@pytest.fixture(scope="module")
def large(picture: np.ndarray, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("large") / "large.png"
    cv2.imwrite(str(path), picture, [cv2.IMWRITE_PNG_COMPRESSION, 1])
    return path


def bring(page: Page, path: Path) -> None:
    page.goto("/")
    page.get_by_label("Still", exact=True).set_input_files(path)
    expect(page.get_by_text(f"{WIDTH} × {HEIGHT}")).to_be_visible(timeout=60_000)


def close_in(page: Page) -> float:
    """Zoom in on the middle past the plate's own pixels: the zoom that it came to."""
    box = page.get_by_role("application", name="Lens view").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    zoom = 0.0
    while zoom < 2:
        page.mouse.wheel(0, -150)
        words = page.get_by_text("Lens ·").inner_text()
        zoom = float(words.split("·")[1].rstrip(" %")) / 100
    return zoom


def test_a_plate_of_24_megapixels_sharpens_to_its_own_pixels(page, large, picture):
    bring(page, large)
    wait_drawn(page)
    whole = drawn(page, "Lens view")
    assert whole[whole.shape[0] // 2].std() > 15  # the waves are there
    zoom = close_in(page)
    # a region round the picture's middle, larger than what is seen of it
    around = picture[HEIGHT // 2 - 700 : HEIGHT // 2 + 700, WIDTH // 2 - 900 : WIDTH // 2 + 900, 0]
    alike = 0.0
    for _ in range(40):
        page.wait_for_timeout(500)
        seen = drawn(page, "Lens view").astype(np.float32).mean(axis=2)
        # little of it: the zoom is written in whole percents, and far out that is half a pixel
        side, (h, w) = round(60 * zoom), seen.shape
        middle = seen[h // 2 - side : h // 2 + side, w // 2 - side : w // 2 + side]
        part = cv2.resize(middle, (120, 120), interpolation=cv2.INTER_AREA)[10:-10, 10:-10]
        # two screen pixels and more for each of the plate: its own grain is found again
        alike = float(
            cv2.matchTemplate(around.astype(np.float32), part, cv2.TM_CCOEFF_NORMED).max()
        )
        if alike > 0.65:
            break
    assert alike > 0.65  # a level of half the pixels comes to no more than 0.5


def test_a_plate_that_does_not_come_says_so_and_comes_when_it_can(page, large, complaints):
    page.route("**/plate/**", lambda route: route.abort())
    bring(page, large)
    expect(page.get_by_text("Trying again")).to_be_visible()
    page.unroute("**/plate/**")
    expect(page.get_by_text("Trying again")).to_be_hidden()
    wait_drawn(page)
    assert drawn(page, "Lens view").std() > 10
    # tiles that fail while it is looked at closer leave what is there, and are asked for again
    page.route(
        "**/plate/*/0/**", lambda route: route.fulfill(status=503, json={"message": "Busy."})
    )
    close_in(page)
    expect(page.get_by_text("The plate could not be loaded. Busy.")).to_be_visible()
    assert drawn(page, "Lens view").std() > 5
    page.unroute("**/plate/*/0/**")
    expect(page.get_by_text("Trying again")).to_be_hidden()
    complaints.clear()


def test_a_plate_is_answered_by_its_digest_alone(page, large):
    bring(page, large)
    number = page.url.split("/project/")[1].split("/")[0]
    other = page.request.get(f"/api/projects/{number}/plate/{'0' * 64}/levels")
    assert other.status == 404
