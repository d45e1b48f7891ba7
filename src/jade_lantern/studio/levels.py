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
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.picture import level_sizes, smaller

Pixels = NDArray[np.uint8]

FIRST = 2048  # px, the longer side of the level that is shown first

_lock = threading.Lock()


class _Fresh(Sequence[Pixels]):
    """Levels that are not on disk yet. The small ones, by which a plate is first shown, are made at
    once; who asks for one between them and the plate waits until it is made."""

    def __init__(self, pixels: Pixels) -> None:
        self._sizes = level_sizes(pixels.shape[1], pixels.shape[0])
        self._made: dict[int, Pixels] = {0: pixels}
        self._all = threading.Event()
        last = pixels
        for number, size in enumerate(self._sizes):
            if number and max(size) <= FIRST:
                last = self._made[number] = smaller(last, size)

    def make(self) -> None:
        """Make those that are missing."""
        try:
            for number, size in enumerate(self._sizes):
                if number not in self._made:
                    self._made[number] = smaller(self._made[number - 1], size)
        finally:
            self._all.set()

    def __len__(self) -> int:
        return len(self._sizes)

    def __getitem__(self, number: Any) -> Any:
        if number not in self._made:
            self._all.wait()
        try:
            return self._made[number]
        except KeyError as error:
            raise IndexError(number) from error


_fresh: dict[Path, _Fresh] = {}  # what is being written, by its place


def _file(plate: Path, level: int) -> Path:
    return plate.with_name(f"{plate.name}.{level}.npy")


def keep(plate: Path, pixels: Pixels, part: str) -> None:
    """Keep a plate's levels beside its file, in the background. part: how a file that is still
    being written is called."""
    if there(plate) is not None:
        return
    levels = _Fresh(pixels)
    with _lock:
        if plate in _fresh:
            return
        _fresh[plate] = levels
    threading.Thread(target=_write, args=(plate, levels, part), name="levels").start()


def _write(plate: Path, levels: _Fresh, part: str) -> None:
    try:
        levels.make()
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


def there(plate: Path) -> Sequence[Pixels] | None:
    """A plate's levels, if they are made."""
    with _lock:
        fresh = _fresh.get(plate)
    if fresh is not None:
        return fresh
    try:
        with _lock:  # Python 3.11 cannot read two headers at once: its parser loses count
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
