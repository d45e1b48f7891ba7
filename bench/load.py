"""Many at once: windows that follow a project and read its history while hands drag in it, a
lantern is filled and a film is made. What is held against its
own peer is the slow try: the 95th percentile of all tries against their median."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from .row import Row
from .tries import Client, dragged_project, served

QUAY = Path(__file__).parent.parent / "tests" / "data" / "quay.zip"
WINDOWS, HANDS, SECONDS, POLL_S = 20, 4, 20.0, 2.5


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(
            [sys.executable, "-m", "jade_lantern.cli", "import", str(QUAY)], check=True,
            env={**os.environ, "JADE_LANTERN_DATA": folder}, stdout=subprocess.DEVNULL,
        )  # fmt: skip
        with served(folder) as port:
            taken = _under_load(port)
            _call_off(Client(port))
    yield Row(
        f"slow tries (95 %) of {HANDS} hands, {WINDOWS} windows following, {len(taken)} tries",
        "their median",
        float(np.percentile(taken, 95) / np.median(taken)),
        5,
    )


def _call_off(client: Client) -> None:
    """End what is still being made, before its folder goes."""
    told = json.loads(client.send_raw("GET", "/api/projects/1/deliveries"))
    for one in told:
        client.send_raw("POST", f"/api/deliveries/{one['id']}/cancel", {})
    time.sleep(6)


def _under_load(port: int) -> list[float]:
    """Seconds that each try took. Any error ends the bench."""
    project, drag = dragged_project(Client(port))
    end = time.monotonic() + SECONDS
    taken: list[float] = []
    failed: list[BaseException] = []

    def keep_on(work: Callable[[Client], None]) -> None:
        client = Client(port)
        try:
            while time.monotonic() < end and not failed:
                work(client)
        except BaseException as error:
            failed.append(error)

    def hand(client: Client) -> None:
        start = time.monotonic()
        drag(client)
        taken.append(time.monotonic() - start)

    def window(client: Client) -> None:
        client.send("GET", f"{project}/head")
        client.send_raw("GET", f"{project}/history")
        time.sleep(POLL_S)

    def film_and_fill(client: Client) -> None:
        path = "/api/projects/1"
        client.send("POST", f"{path}/deliveries", {"kind": "movie", "width": 640})
        base = client.send("GET", f"{path}/head")["revision"]
        lantern = {"verb": "AddLantern", "name": f"clean {base}"}
        told = client.send("POST", f"{path}/edits", {"base": base, "change": lantern})
        own = told["changed"]["lanterns"][-1]["id"]
        fill = {"verb": "Fill", "lanterns": [own]}
        client.send_raw("POST", f"{path}/edits", {"base": base + 1, "change": fill})

    work = [hand] * HANDS + [window] * WINDOWS + [film_and_fill]
    threads = [threading.Thread(target=keep_on, args=(one,)) for one in work]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    if failed:
        raise failed[0]
    return taken
