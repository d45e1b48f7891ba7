"""Results that can be worked out again: bounded in bytes, alone and together, from many threads."""

from __future__ import annotations

import random
import threading
import time

import numpy as np
import pytest

from jade_lantern.core import cache
from jade_lantern.core.cache import Cache, cached, weight


@pytest.fixture(autouse=True)
def _as_before():
    yield
    cache.allow(1 << 30)


def test_the_least_recently_used_goes_first():
    own: Cache[str, bytes] = Cache(3000, len)
    for name in "abc":
        own.put(name, bytes(1000))
    own.get("a")
    own.put("d", bytes(1000))
    assert [name for name in "abcd" if own.get(name) is not None] == ["a", "c", "d"]
    assert own.bytes == 3000


def test_all_together_stay_under_what_is_allowed():
    before = cache.total_bytes()
    one: Cache[int, bytes] = Cache(1 << 20, len)
    two: Cache[int, bytes] = Cache(1 << 20, len)
    for i in range(100):
        (one if i % 2 else two).put(i, bytes(10_000))
    assert cache.total_bytes() - before == 1_000_000
    cache.allow(300_000)
    assert cache.total_bytes() <= 300_000
    assert one.get(99) is not None
    one.clear()
    two.clear()


def test_many_threads_lose_no_key_and_keep_the_count():
    own: Cache[int, np.ndarray] = Cache(40_000)
    wrong: list[object] = []

    def work(seed: int) -> None:
        chance = random.Random(seed)
        try:
            for _ in range(4000):
                key = chance.randrange(60)
                found = own.of(key, lambda key=key: np.full(chance.randrange(1, 400), key))
                assert (found == key).all()
        except Exception as error:
            wrong.append(error)

    threads = [threading.Thread(target=work, args=(seed,)) for seed in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []
    assert own.bytes == sum(weight(own.get(k)) for k in range(60) if own.get(k) is not None)
    assert own.bytes <= 40_000


def test_what_two_ask_for_at_once_is_made_once():
    own: Cache[str, int] = Cache(1000)
    made = []

    def make() -> int:
        made.append(1)
        time.sleep(0.05)
        return 7

    threads = [threading.Thread(target=own.of, args=("a", make)) for _ in range(5)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (own.get("a"), len(made)) == (7, 1)


def test_a_failure_is_not_remembered():
    own: Cache[str, int] = Cache(1000)
    with pytest.raises(ZeroDivisionError):
        own.of("a", lambda: 1 // 0)
    assert own.of("a", lambda: 3) == 3


def test_arguments_count_and_equal_ones_are_answered_again():
    calls = []

    @cached(10_000)
    def total(numbers: tuple[float, ...]) -> float:
        calls.append(len(numbers))
        return sum(numbers)

    assert total((1.0, 2.0)) == total((1.0, 2.0)) == 3.0
    assert calls == [2]
    total(tuple(float(i) for i in range(2000)))  # its arguments alone are over the bound
    total((1.0, 2.0))
    assert calls == [2, 2000, 2]


@pytest.mark.parametrize("count", [10, 1000, 100_000])
def test_a_sampled_weight_is_near_the_whole(count):
    rows = [tuple(float(j) for j in range(3)) for _ in range(count)]
    assert weight(rows) == pytest.approx(count * (8 + weight(rows[0])), rel=0.15, abs=200)
