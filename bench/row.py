"""One line of the bench table, and the way two things are timed side by side."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise


@dataclass(frozen=True)
class Row:
    what: str
    against: str
    ratio: float
    reach: float


def side_by_side(ours: Callable[[], object], peer: Callable[[], object], times: int) -> float:
    """The ratio of the medians of two things timed in turn, so that both meet the same machine."""
    ours(), peer()
    taken: tuple[list[float], list[float]] = ([], [])
    for _ in range(times):
        for work, into in zip((ours, peer), taken, strict=True):
            start = time.perf_counter()
            work()
            into.append(time.perf_counter() - start)
    a, b = (sorted(t)[len(t) // 2] for t in taken)
    if os.environ.get("BENCH_MS"):
        print(f"  {a * 1e3:.2f} ms against {b * 1e3:.2f} ms")
    return a / b


def added(
    ours: Callable[[], object],
    without: Callable[[], object],
    peer: Callable[[], object],
    times: int,
) -> float:
    """What one thing takes more than another, as a ratio to a third: medians of rounds in which all
    three are timed in turn."""
    more, against = [], []
    for work in (ours, without, peer):
        work()
    for _ in range(times):
        marks = [time.perf_counter()]
        for work in (ours, without, peer):
            work()
            marks.append(time.perf_counter())
        first, second, third = (b - a for a, b in pairwise(marks))
        more.append(first - second)
        against.append(third)
    a, b = sorted(more)[times // 2], sorted(against)[times // 2]
    if os.environ.get("BENCH_MS"):
        print(f"  {a * 1e3:.2f} ms more against {b * 1e3:.2f} ms")
    return a / b
