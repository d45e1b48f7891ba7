"""Compiled loops over independent parts, shared out among threads.

Kernels release the interpreter's lock (`nogil`), so plain threads run them side by side. Numba's
own `parallel=True` does the same, but compiles a second function for every loop and starts a pool
that cannot be entered from two threads at once in all of its backends.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cache
from threading import Lock

# Parts that each thread gets on average. Parts cost unequally, and a thread that is done takes
# another; more parts balance better, but each costs a call into compiled code (about 30 µs).
PARTS_PER_THREAD = 6


def thread_count() -> int:
    """Threads that a loop is shared among: JADE_LANTERN_THREADS, or one for each processor that
    this process may use."""
    return int(os.environ.get("JADE_LANTERN_THREADS", 0)) or len(os.sched_getaffinity(0))


@cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(max(thread_count() - 1, 1), thread_name_prefix="kernel")


os.register_at_fork(after_in_child=_pool.cache_clear)  # a fork has the pool, but not its threads


def in_threads(count: int, work: Callable[[int, int], object], least: int = 1) -> None:
    """Call work(begin, end) for parts of range(count) that together cover it, and return when all
    are done. The calling thread works too, so a call inside of work cannot wait for ever.

    work: a compiled loop that may run for several parts at once. least: iterations that are worth
    a part of their own. Raises what work raises first; parts under way are finished before that.
    """
    threads = min(thread_count(), count // max(least, 1))
    if threads <= 1:
        if count:
            work(0, count)
        return
    size = max(-(-count // (threads * PARTS_PER_THREAD)), least)
    parts = _Parts(iter(range(0, count, size)), count, size, work)
    others: list[Future[None]] = [_pool().submit(parts.run) for _ in range(threads - 1)]
    try:
        parts.run()
    finally:
        for other in others:
            if not other.cancel():
                other.result()


class _Parts:
    """Parts of a loop, handed to whichever thread asks next."""

    def __init__(
        self, begins: Iterator[int], count: int, size: int, work: Callable[[int, int], object]
    ) -> None:
        self._begins, self._count, self._size, self._work = begins, count, size, work
        self._lock = Lock()

    def run(self) -> None:
        try:
            while (begin := self._next()) is not None:
                self._work(begin, min(begin + self._size, self._count))
        except BaseException:
            with self._lock:
                self._begins = iter(())
            raise

    def _next(self) -> int | None:
        with self._lock:
            return next(self._begins, None)
