"""Large plates: a pan in the lens view and the browser's memory against a small plate's, and the
server's memory while a large one is worked on against the plate's own bytes."""

from __future__ import annotations

import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
import psutil
from playwright.sync_api import Page, sync_playwright

from .row import Row
from .tries import Client, served

SMALL, LARGE = (1732, 1155), (12248, 8165)
STEPS = 80
FLAGS = [
    "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run",
]  # fmt: skip
# One step of a pan, and how long it took until its pixels could be read: the drawing itself goes
# on beside the page's own script.
PAN = """async (steps) => {
    const pane = document.querySelector('[aria-label="Lens view"]');
    const canvas = document.querySelector('canvas');
    const { left, top, width, height } = pane.getBoundingClientRect();
    const [x, y] = [left + width / 2, top + height / 2];
    const send = (kind, dx, dy) => pane.dispatchEvent(new PointerEvent(kind, {
        clientX: x + dx, clientY: y + dy, bubbles: true, pointerId: 1, button: 0, buttons: 1 }));
    pane.setPointerCapture = () => {};
    const pixel = new OffscreenCanvas(1, 1).getContext('2d', { willReadFrequently: true });
    send('pointerdown', 0, 0);
    const taken = [];
    for (let i = 1; i <= steps; i++) {
        const start = performance.now();
        send('pointermove', 3 * i * Math.cos(i / 13), 3 * i * Math.sin(i / 13));
        await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
        pixel.drawImage(canvas, 0, 0, 1, 1, 0, 0, 1, 1);
        pixel.getImageData(0, 0, 1, 1);
        taken.push(performance.now() - start);
    }
    send('pointerup', 0, 0);
    return taken.sort((a, b) => a - b)[steps >> 1];
}"""


@dataclass
class _Cost:
    """Milliseconds a pan's step, and bytes."""

    pan_ms: float = 0.0
    browser: int = 0
    server: int = 0
    first_picture_s: float = 0.0


def rows() -> Iterator[Row]:
    small, large = _cost(*SMALL), _cost(*LARGE)
    width, height = LARGE
    name = f"{width * height / 1e6:.0f} megapixels"
    yield Row(f"lens-view pan, {name}", "2 megapixels", large.pan_ms / small.pan_ms, 1.2)
    yield Row(f"browser memory, {name}", "2 megapixels", large.browser / small.browser, 1.5)
    yield Row(f"server memory beyond idle, {name}", "the plate's bytes, RGBA",
              large.server / (4 * width * height), 3)  # fmt: skip
    yield Row("from a picked still to its first picture, seconds", "1", large.first_picture_s, 1)


def _cost(width: int, height: int) -> _Cost:
    cost = _Cost()
    with tempfile.TemporaryDirectory() as folder, served(folder) as port:
        client = Client(port)
        client.send("GET", "/api/projects")
        (server,) = (p for p in psutil.Process().children() if "serve" in p.cmdline())
        idle = server.memory_info().rss
        with _highest(server) as highest, _browser() as page:
            page.goto(f"http://127.0.0.1:{port}/")
            picker = page.get_by_label("Still", exact=True)
            picker.wait_for(state="attached")
            still = _still(Path(folder), width, height)
            start = time.perf_counter()
            picker.set_input_files(still)
            page.wait_for_selector('[aria-label="Lens view"][data-drawn]')
            page.get_by_text("Loading the plate").wait_for(state="detached")
            cost.first_picture_s = time.perf_counter() - start
            page.get_by_role("button", name="On to Sight").click()
            page.wait_for_load_state("networkidle")
            _look_closer(page)
            cost.pan_ms = page.evaluate(PAN, STEPS)
            page.wait_for_load_state("networkidle")
            cost.browser = _size_of_browser()
        cost.server = max(highest) - idle
    return cost


def _still(folder: Path, width: int, height: int) -> Path:
    """A picture with something in every part of it."""
    rng = np.random.default_rng(1)
    rough = rng.integers(0, 256, (height // 8, width // 8, 3), dtype=np.uint8)
    picture = cv2.resize(rough, (width, height), interpolation=cv2.INTER_LINEAR)
    path = folder / "large.jpg"
    cv2.imwrite(str(path), picture, [cv2.IMWRITE_JPEG_QUALITY, 88])
    return path


@contextmanager
def _browser() -> Iterator[Page]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser.new_page(viewport={"width": 1280, "height": 800})
        browser.close()


def _look_closer(page: Page) -> None:
    """Zoom in to the plate's own pixels."""
    box = page.get_by_role("application", name="Lens view").bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    for _ in range(40):
        if "100 %" in page.get_by_text("Lens ·").inner_text() or _zoom(page) > 100:
            break
        page.mouse.wheel(0, -120)
        page.wait_for_timeout(50)
    page.wait_for_load_state("networkidle")


def _zoom(page: Page) -> float:
    return float(page.get_by_text("Lens ·").inner_text().split("·")[1].rstrip(" %"))


def _size_of_browser() -> int:
    return sum(
        p.memory_full_info().uss
        for p in psutil.Process().children(recursive=True)
        if "chromium" in p.name()
    )


@contextmanager
def _highest(process: psutil.Process) -> Iterator[list[int]]:
    """How large a process is, asked again and again meanwhile."""
    seen, over = [process.memory_info().rss], threading.Event()

    def ask() -> None:
        while not over.wait(0.02):
            seen.append(process.memory_info().rss)

    thread = threading.Thread(target=ask)
    thread.start()
    try:
        yield seen
    finally:
        over.set()
        thread.join()
