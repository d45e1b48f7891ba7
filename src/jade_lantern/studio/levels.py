"""Plates as levels of pixels on disk, which are mapped and not held: looking at a large plate
costs the memory of what is on screen.

They are made once, when a still comes in, from the pixels that it was just decoded to. Until they
are on disk, which takes a while, they are given out from memory.
"""

from __future__ import annotations

import tempfile
import threading
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..core.picture import level_sizes, smaller_levels

Pixels = NDArray[np.uint8]

_fresh: dict[Path, list[Pixels]] = {}  # what is being written, by its place
_lock = threading.Lock()


def _file(plate: Path, level: int) -> Path:
    return plate.with_name(f"{plate.name}.{level}.npy")


def keep(plate: Path, pixels: Pixels, part: str) -> None:
    """Keep a plate's levels beside its file, in the background. part: how a file that is still
    being written is called."""
    if there(plate) is not None:
        return
    levels = [pixels, *smaller_levels(pixels)]
    with _lock:
        if plate in _fresh:
            return
        _fresh[plate] = levels
    threading.Thread(target=_write, args=(plate, levels, part), name="levels").start()


def _write(plate: Path, levels: Sequence[Pixels], part: str) -> None:
    try:
        # the first level last: where it is, all are
        for number in reversed(range(len(levels))):
            with tempfile.NamedTemporaryFile(dir=plate.parent, prefix=part, delete=False) as file:
                try:
                    np.save(file, levels[number])
                    Path(file.name).replace(_file(plate, number))
                except BaseException:
                    Path(file.name).unlink(missing_ok=True)
                    raise
    except OSError:
        pass  # no room: they are made again when they are asked for
    finally:
        with _lock:
            _fresh.pop(plate, None)


def there(plate: Path) -> list[Pixels] | None:
    """A plate's levels, if they are made."""
    with _lock:
        fresh = _fresh.get(plate)
    if fresh is not None:
        return fresh
    try:
        first = np.load(_file(plate, 0), mmap_mode="r")
        count = len(level_sizes(first.shape[1], first.shape[0]))
        return [first, *(np.load(_file(plate, k), mmap_mode="r") for k in range(1, count))]
    except (OSError, ValueError, EOFError):
        return None


def settle() -> None:
    """Wait until everything that is being written is on disk."""
    for thread in threading.enumerate():
        if thread.name == "levels":
            thread.join()
