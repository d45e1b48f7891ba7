"""An edit kept, at the client and in the database: what it costs in a large project against a
small one, and after a long history against the first."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

from .row import Row
from .scenes import bring_in
from .tries import Client, served

MANY, FEW = 200, 5
HISTORY = 5000
TIMES = 150


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder:
        for count in (FEW, MANY):
            bring_in(folder, count)
        with served(folder) as port:
            few, many = _Hand(port, 1), _Hand(port, 2)
            for hand in (few, many):
                hand.edits(20)
            yield from _costs(Path(folder), few, many)


def _costs(folder: Path, few: _Hand, many: _Hand) -> Iterator[Row]:
    turns = [(few.edits(1)[0], many.edits(1)[0]) for _ in range(TIMES)]
    ratio = median(m for _, m in turns) / median(f for f, _ in turns)
    yield Row(f"an edit kept, {MANY} proxies, 20,000 triangles", f"{FEW} proxies", ratio, 1.5)
    grown = []
    for hand in (few, many):
        before = _bytes(folder)
        hand.edits(1000)
        grown.append(_bytes(folder) - before)
    yield Row(f"database growth of an edit, {MANY} proxies", f"{FEW} proxies",
              grown[1] / grown[0], 1.5)  # fmt: skip
    first = median(few.edits(TIMES))
    opened, listed = few.asked(few.path), few.asked("/api/projects")
    few.edits(HISTORY)
    later = median(few.edits(TIMES))
    yield Row(f"an edit kept, after {HISTORY:,}", "the first ones", later / first, 1.2)
    again = few.asked(few.path)
    yield Row(f"a project opened, after {HISTORY:,} edits", "before them", again / opened, 1.2)
    again = few.asked("/api/projects")
    yield Row(f"the list of projects, after {HISTORY:,} edits", "before them", again / listed, 1.2)


class _Hand:
    """A hand that moves one box a little, again and again."""

    def __init__(self, port: int, project: int) -> None:
        self.port, self.path, self.revision = port, f"/api/projects/{project}", 0
        self.client = Client(port)

    def edits(self, times: int) -> list[float]:
        taken = []
        if times > 1:  # a connection that stood idle meanwhile may have been closed
            self.client = Client(self.port)
        for _ in range(times):
            x = 0.001 * (self.revision + 1)
            change = {"verb": "AlterProxy", "proxy": "box-1", "to": {"x": x}}
            start = time.perf_counter()
            self.client.send(
                "POST", f"{self.path}/edits", {"base": self.revision, "change": change}
            )
            taken.append(time.perf_counter() - start)
            self.revision += 1
        return taken

    def asked(self, path: str) -> float:
        taken = []
        self.client = Client(self.port)
        for _ in range(30):
            start = time.perf_counter()
            self.client.send("GET", path)
            taken.append(time.perf_counter() - start)
        return median(taken)


def _bytes(folder: Path) -> int:
    """The database with what is still in its journal."""
    return sum(p.stat().st_size for p in folder.glob("projects.sqlite3*") if "shm" not in p.name)
