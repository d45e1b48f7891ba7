"""What the machine has."""

from __future__ import annotations

import ctypes
import gc
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import psutil

GROUP_LIMIT = Path("/sys/fs/cgroup/memory.max")


@lru_cache(maxsize=1)
def memory_bytes() -> int:
    """Memory that this program may use at the most: the machine's, or what its container allows."""
    total = int(psutil.virtual_memory().total)
    with suppress(OSError, ValueError):
        total = min(total, int(GROUP_LIMIT.read_text()))
    return total


def give_memory_back() -> None:
    """Return freed memory to the system; the C library would keep it for later (glibc)."""
    gc.collect()
    with suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)
