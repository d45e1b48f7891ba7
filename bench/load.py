"""Many at once: windows that follow a project while hands drag in it. What is held against its
own peer is the slow try: the 95th percentile of all tries against their median."""

from __future__ import annotations

import tempfile
import threading
import time
from collections.abc import Callable, Iterator

import numpy as np

from .row import Row
from .tries import Client, dragged_project, served

WINDOWS, HANDS, SECONDS, POLL_S = 20, 4, 20.0, 2.5


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder, served(folder) as port:
        taken = _under_load(port)
    yield Row(
        f"slow tries (95 %) of {HANDS} hands, {WINDOWS} windows following, {len(taken)} tries",
        "their median",
        float(np.percentile(taken, 95) / np.median(taken)),
        5,
    )


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
        time.sleep(POLL_S)

    work = [hand] * HANDS + [window] * WINDOWS
    threads = [threading.Thread(target=keep_on, args=(one,)) for one in work]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    if failed:
        raise failed[0]
    return taken
