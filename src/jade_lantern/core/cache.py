"""One store for everything that can be worked out again: locked, and bounded in bytes.

Each `Cache` has a bound of its own, so that one kind of result cannot push all others out, and all
caches of the process share another one (`allow`). Whatever has not been used for longest goes
first. Sizes are estimates (`weight`): exact for arrays and bytes, sampled for long sequences.
"""

from __future__ import annotations

import functools
import sys
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from threading import Lock, RLock
from typing import Any, Generic, ParamSpec, TypeVar, cast

import numpy as np

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")
P = ParamSpec("P")

SAMPLED = 16  # elements of a long sequence that are weighed for all of them
DEEPEST = 6  # levels of nesting that are weighed


@dataclass
class _Entry:
    value: Any
    bytes: int
    used_at: float


_lock = RLock()
# All entries of all caches by (cache, key), the least recently used first.
_entries: OrderedDict[tuple[int, Any], _Entry] = OrderedDict()
_caches: dict[int, Cache[Any, Any]] = {}
_total = 0
_allowed = 1 << 30


def allow(most_bytes: int) -> None:
    """Set how many bytes all caches together may take."""
    global _allowed
    with _lock:
        _allowed = most_bytes
        _make_room()


def total_bytes() -> int:
    """How many bytes all caches together take."""
    with _lock:
        return _total


class Cache(Generic[K, V]):
    """Results by key, up to a number of bytes; the least recently used are dropped first.

    Safe to use from several threads. The last result stays even if it alone is over the bound.
    """

    def __init__(self, most_bytes: int, weigh: Callable[[V], int] | None = None) -> None:
        self.most_bytes = most_bytes
        self._weigh = weigh or weight
        self._keys: OrderedDict[K, None] = OrderedDict()
        self._making: dict[K, Lock] = {}
        self.bytes = 0
        with _lock:
            self._number = len(_caches)
            _caches[self._number] = self

    def __len__(self) -> int:
        return len(self._keys)

    def get(self, key: K) -> V | None:
        with _lock:
            entry = _entries.get((self._number, key))
            if entry is None:
                return None
            _entries.move_to_end((self._number, key))
            self._keys.move_to_end(key)
            entry.used_at = time.monotonic()
            return cast(V, entry.value)

    def put(self, key: K, value: V) -> None:
        size = self._weigh(value)
        with _lock:
            self.drop(key)
            self._add(key, value, size)
            while self.bytes > self.most_bytes and len(self._keys) > 1:
                self.drop(next(iter(self._keys)))
            _make_room()

    def of(self, key: K, make: Callable[[], V]) -> V:
        """The result for a key, made if it is not there. Threads that ask for one key at the same
        time wait for the first of them instead of making it once more."""
        found = self.get(key)
        if found is not None:
            return found
        with _lock:
            turn = self._making.setdefault(key, Lock())
        try:
            with turn:
                found = self.get(key)
                if found is None:
                    found = make()
                    self.put(key, found)
                return found
        finally:
            with _lock:
                self._making.pop(key, None)

    def drop(self, key: K) -> None:
        global _total
        with _lock:
            entry = _entries.pop((self._number, key), None)
            if entry is not None:
                del self._keys[key]
                self.bytes -= entry.bytes
                _total -= entry.bytes

    def drop_if(self, unwanted: Callable[[K], bool]) -> None:
        with _lock:
            for key in [k for k in self._keys if unwanted(k)]:
                self.drop(key)

    def drop_idle(self, idle_s: float) -> bool:
        """Drop what has not been used for so long; whether there was any."""
        now = time.monotonic()
        with _lock:
            before = len(self._keys)
            self.drop_if(lambda k: now - _entries[self._number, k].used_at >= idle_s)
            return len(self._keys) < before

    def clear(self) -> None:
        self.drop_if(lambda _: True)

    def _add(self, key: K, value: V, size: int) -> None:
        global _total
        _entries[self._number, key] = _Entry(value, size, time.monotonic())
        self._keys[key] = None
        self.bytes += size
        _total += size


def _make_room() -> None:
    while _total > _allowed and len(_entries) > 1:
        number, key = next(iter(_entries))
        _caches[number].drop(key)


def cached(
    most_bytes: int, weigh: Callable[[Any], int] | None = None
) -> Callable[[Callable[P, V]], Callable[P, V]]:
    """Remember a function's results by its positional arguments, which have to be hashable.

    The arguments count as part of what is stored: a key may be as large as its result.
    """

    def remembering(function: Callable[P, V]) -> Callable[P, V]:
        own: Callable[[Any], int] = weigh or weight
        results: Cache[Any, tuple[Any, V]] = Cache(
            most_bytes, lambda stored: weight(stored[0]) + own(stored[1])
        )

        @functools.wraps(function)
        def remembered(*args: P.args, **kwargs: P.kwargs) -> V:
            assert not kwargs
            found = results.get(args)
            if found is None:
                found = args, function(*args, **kwargs)
                results.put(args, found)
            return found[1]

        return remembered

    return remembering


def weight(value: Any, deep: int = 0) -> int:
    """About how many bytes a value takes, with all that it holds. Of long sequences a sample is
    weighed; what two parts share is counted for both."""
    if isinstance(value, np.ndarray):
        return int(value.nbytes) + 112
    if value is None or isinstance(value, bool | int | float | str | bytes) or deep >= DEEPEST:
        return sys.getsizeof(value)
    if isinstance(value, dict):
        return sys.getsizeof(value) + _of_all([*value.keys(), *value.values()], deep)
    if isinstance(value, list | tuple | set | frozenset):
        return sys.getsizeof(value) + _of_all(list(value), deep)
    held = getattr(value, "__dict__", None)
    return sys.getsizeof(value) + (_of_all(list(held.values()), deep) if held else 0)


def _of_all(values: list[Any], deep: int) -> int:
    if len(values) <= SAMPLED:
        return sum(weight(v, deep + 1) for v in values)
    step = len(values) / SAMPLED
    some = [values[int(i * step)] for i in range(SAMPLED)]
    return int(sum(weight(v, deep + 1) for v in some) * step)
