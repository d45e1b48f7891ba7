"""What the studio's memory grows by: after many edits, tries and broken files, against what it was
after the first hundred of them."""

from __future__ import annotations

import io
import random
import tempfile
from collections.abc import Callable, Iterator

import numpy as np
import psutil
from PIL import Image

from jade_lantern.core.picture import png

from .row import Row
from .tries import Client, served

FIRST, EDITS, TRIES, FILES = 100, 5000, 1000, 200
SIGHT = (
    {"verb": "StartByEye"}, {"verb": "SetDatum", "point": [450, 560]},
    {"verb": "SetEyeHeight", "metres": 1.6},
    {"verb": "Stand", "kind": "box", "feet": [[300, 560], [420, 560], [440, 540]],
     "top": [300, 500]},
)  # fmt: skip


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder, served(folder) as port:
        client = Client(port)
        project = f"/api/projects/{client.bring_in(png(np.zeros((600, 900, 3), np.uint8)))}"
        for base, change in enumerate(SIGHT):
            client.send("POST", f"{project}/edits", {"base": base, "change": change})
        base = len(SIGHT)

        def edit(i: int) -> None:
            change = {"verb": "RenameProject", "name": f"name {i}"}
            client.send("POST", f"{project}/edits", {"base": base + i, "change": change})

        yield Row(f"the studio's memory after {EDITS:,} edits", f"after {FIRST}",
                  _grown(port, edit, EDITS), 1.2)  # fmt: skip
        base += EDITS

        def row_of_twins(i: int) -> None:
            change = {"verb": "RowAlong", "proxy": "box-1", "along": "across", "count": 390,
                      "step_m": 0.5 + i / 1000}  # fmt: skip
            client.send("POST", f"{project}/tries", {"base": base, "change": change})

        yield Row(f"after {TRIES:,} tries of rows", f"after {FIRST}",
                  _grown(port, row_of_twins, TRIES), 1.2)  # fmt: skip
        whole = io.BytesIO()
        noise = np.random.default_rng(0).integers(0, 256, (600, 900, 3))
        Image.fromarray(noise.astype(np.uint8)).save(whole, "JPEG")
        chance = random.Random(1)

        def broken(_: int) -> None:
            data = bytearray(whole.getvalue())
            del data[chance.randrange(200, len(data)) :]
            client.try_to_bring_in(bytes(data))

        yield Row(f"after {FILES} broken files", f"after {FIRST}",
                  _grown(port, broken, FILES), 1.2)  # fmt: skip


def _grown(port: int, work: Callable[[int], None], times: int) -> float:
    """The server's memory after so many turns over what it was after the first of them."""
    first = 0
    for i in range(times):
        work(i)
        if i == FIRST - 1:
            first = _memory(port)
    return _memory(port) / first


def _memory(port: int) -> int:
    """Bytes of the process that listens on a port."""
    for process in psutil.process_iter():
        try:
            words = process.cmdline()
            if words[-2:] == ["--port", str(port)] and "serve" in words:
                return int(process.memory_info().rss)
        except psutil.Error:
            continue
    raise AssertionError("the server is gone")
