"""The application as it is served, and a browser on it whose every complaint fails the test."""

from __future__ import annotations

import json
import os
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, expect, sync_playwright

import jade_lantern
from tests.conftest import CACHE, digest_of, made_by_one

FLAGS = [
    "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run",
    "--disable-gpu-compositing",  # a page's own layers are put together faster without a card
]  # fmt: skip

# what the browser says of its own compositor, which reads the canvas back where there is no card
READ_BACK = "GPU stall due to ReadPixels"

# ms; two browsers that draw without a graphics card share a small machine with two servers
PATIENCE = 60_000


# Device pixels a CSS pixel. Without a graphics card drawing is most of what a test takes, and only
# those that look at what was drawn need every pixel: their modules say RATIO = 1.
RATIO = 0.5


@dataclass(frozen=True)
class Served:
    address: str
    data: Path
    log: Path


@pytest.fixture(scope="session")
def demo_data(
    still_file: Path, room_file: Path, door_files: list[Path], clean_plates: list[Path],
    pass_file: Path,
) -> Path:  # fmt: skip
    """A data folder with the demo loaded, made once for each version of the application."""
    folder = CACHE / f"served-{digest_of(Path(jade_lantern.__file__).parent)}"
    with made_by_one(folder):
        if not folder.exists():
            part = folder.with_suffix(".part")
            shutil.rmtree(part, ignore_errors=True)
            (part / "demo").mkdir(parents=True)
            for file in (still_file, room_file, *door_files, *clean_plates, pass_file):
                shutil.copy(file, part / "demo")
            command = [sys.executable, "-m", "jade_lantern.cli", "demo", "--load-only"]
            environment = {**os.environ, "JADE_LANTERN_DATA": str(part)}
            subprocess.run(command, env=environment, check=True, stdout=subprocess.DEVNULL)
            part.rename(folder)
    return folder


@pytest.fixture(scope="session")
def served(tmp_path_factory: pytest.TempPathFactory, demo_data: Path) -> Iterator[Served]:
    data = tmp_path_factory.mktemp("data") / "served"
    shutil.copytree(demo_data, data)
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    log = data / "server.log"
    environment = {**os.environ, "JADE_LANTERN_DATA": str(data)}
    command = [sys.executable, "-m", "jade_lantern.cli", "demo", "--port", str(port)]
    address = f"http://127.0.0.1:{port}"
    with log.open("wb") as out:
        server = subprocess.Popen(command, env=environment, stdout=out, stderr=out)
        for _ in range(1800):
            try:
                with urllib.request.urlopen(f"{address}/api/projects", timeout=5) as answer:
                    listed = json.loads(answer.read())
                if listed["projects"] and not listed["coming"]:
                    break
            except OSError:
                assert server.poll() is None, log.read_text()
            time.sleep(0.1)
        yield Served(address, data, log)
        server.terminate()
        server.wait(10)
    # the last page may have asked for something that is still worked out when the server is stopped
    fine = ("Jade Lantern is at", "  the demo: ", "ERROR:    Cancel ")
    said = [line for line in log.read_text().splitlines() if not line.startswith(fine)]
    assert said == [], "the server's log must stay clean"


@pytest.fixture(scope="module", autouse=True)
def _as_they_were(served: Served) -> Iterator[None]:
    """What a module does to the demo's projects is gone for the next one, in whatever order."""

    def asked(path: str, body: dict[str, int] | None = None) -> Any:
        data = None if body is None else json.dumps(body).encode()
        kind = {"X-Jade-Lantern": "1", "Content-Type": "application/json"}
        request = urllib.request.Request(f"{served.address}/api/projects{path}", data, kind)
        with urllib.request.urlopen(request, timeout=30) as answer:
            return json.loads(answer.read())

    heads = {one["id"]: asked(f"/{one['id']}/head")["revision"] for one in asked("")["projects"]}
    yield
    left = {one["id"] for one in asked("")["projects"]}
    for project, head in heads.items():
        now = asked(f"/{project}/head")["revision"] if project in left else head
        if now != head:
            asked(f"/{project}/history/{head}", {"base": now})


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    expect.set_options(timeout=PATIENCE)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        yield browser
        browser.close()


@pytest.fixture
def complaints() -> list[str]:
    """What the console said; a test that means to provoke an answer of 4xx clears it."""
    return []


@pytest.fixture
def page(
    browser: Browser, served: Served, complaints: list[str], request: pytest.FixtureRequest
) -> Iterator[Page]:
    """A page as large as the module's WINDOW asks for, or as a small laptop's."""
    width, height = getattr(request.module, "WINDOW", (1280, 800))
    page = browser.new_page(
        viewport={"width": width, "height": height}, base_url=served.address,
        device_scale_factor=getattr(request.module, "RATIO", RATIO),
    )  # fmt: skip
    page.set_default_timeout(PATIENCE)

    def heard(message: ConsoleMessage) -> None:
        if message.type in ("error", "warning") and READ_BACK not in message.text:
            complaints.append(message.text)

    page.on("console", heard)
    page.on("pageerror", lambda e: complaints.append(str(e)))
    yield page
    page.close()
    assert complaints == []
