"""What the machine has."""

from __future__ import annotations

import ctypes
import gc
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import psutil

from ..core.refusal import Refusal

USABLE = 0.8  # of the memory, by one piece of work
GROUP_LIMIT = Path("/sys/fs/cgroup/memory.max")


@lru_cache(maxsize=1)
def memory_bytes() -> int:
    """Memory that this program may use at the most: the machine's, or what its container allows."""
    total = int(psutil.virtual_memory().total)
    with suppress(OSError, ValueError):
        total = min(total, int(GROUP_LIMIT.read_text()))
    return total


def require_memory(need: float, what: str) -> None:
    """Raises Refusal where something needs more memory than this program may use."""
    have = memory_bytes()
    if need > USABLE * have:
        raise Refusal(
            f"{what} needs about {need / 1e9:.1f} GB of memory, and this machine has "
            f"{have / 1e9:.1f}. Use a smaller one."
        )


def give_memory_back() -> None:
    """Return freed memory to the system; the C library would keep it for later (glibc)."""
    gc.collect()
    with suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)
