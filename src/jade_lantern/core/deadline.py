"""A time by which work that a hand waits for gives up, in words."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from .refusal import Refusal

_until: ContextVar[float | None] = ContextVar("until", default=None)


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """Work inside gives up, where it next asks (`check_time`), once so many seconds have gone."""
    token = _until.set(time.monotonic() + seconds)
    try:
        yield
    finally:
        _until.reset(token)


def check_time() -> None:
    """Raises Refusal where the time has run out; to be asked in loops that may be long."""
    until = _until.get()
    if until is not None and time.monotonic() > until:
        raise Refusal("Trying this takes too long, so it was given up. Nothing was changed.")
