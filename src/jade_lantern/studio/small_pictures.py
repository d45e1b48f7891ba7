"""Small pictures of plates that play, so that going through them answers at once: made of every
picture in the background, and kept in a ZIP beside the plate's file."""

from __future__ import annotations

import logging
import os
import threading
import zipfile
from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from ..core.picture.encode import jpeg
from ..core.picture.source import Source, source_of
from ..core.refusal import Refusal
from ..core.store import Folder

log = logging.getLogger("jade_lantern")

LONGEST = 960  # px
QUALITY = 85
ENDING = ".small.zip"
MOST_OPEN = 16
NICE = 10  # how far what hands wait for goes before it


def coded(picture: NDArray[np.uint8]) -> bytes:
    """A JPEG of a picture (h, w, 3), or a WebP of one with alpha (h, w, 4)."""
    if picture.shape[2] == 3:
        return jpeg(picture, QUALITY)
    turned = cv2.cvtColor(picture, cv2.COLOR_RGBA2BGRA)
    ok, out = cv2.imencode(".webp", turned, [cv2.IMWRITE_WEBP_QUALITY, QUALITY])
    if not ok:
        raise OSError("The picture could not be written as WebP.")
    return out.tobytes()


class _Ready:
    """The small pictures of one plate that are there, in an archive that may still grow."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self._archive = archive
        self._lock = threading.Lock()

    def add(self, number: int, data: bytes) -> None:
        with self._lock:
            self._archive.writestr(str(number), data)

    def get(self, number: int) -> bytes | None:
        with self._lock, suppress(KeyError):
            return self._archive.read(str(number))
        return None

    def close(self) -> None:
        with self._lock:
            self._archive.close()


class SmallPictures:
    """store: where plates' files are. part: how files that are still being written are called."""

    def __init__(self, store: Callable[[], Folder], part: str) -> None:
        self._store, self._part = store, part
        self._ready: OrderedDict[Path, _Ready] = OrderedDict()
        self._making: dict[Path, threading.Thread] = {}
        self._lock = threading.Lock()

    def _place(self, digest: str) -> Path:
        path = self._store().place(digest)
        return path.with_name(path.name + ENDING)

    def of(self, digest: str, number: int) -> bytes | None:
        """The small picture of a number, None where it is not made yet; it is being made then."""
        path = self._place(digest)
        with self._lock:
            ready = self._ready.get(path)
            if ready is None and path.exists():
                try:
                    ready = self._ready[path] = _Ready(zipfile.ZipFile(path))
                except (zipfile.BadZipFile, OSError):  # another one is made
                    path.unlink(missing_ok=True)
            if ready is not None:
                self._ready.move_to_end(path)
                self._close_some()
        if ready is None:
            self.begin(digest)
            return None
        return ready.get(number)

    def _close_some(self) -> None:
        done = [path for path in self._ready if path not in self._making]
        for path in done[: max(len(done) - MOST_OPEN, 0)]:
            self._ready.pop(path).close()

    def begin(self, digest: str) -> None:
        """Make all of a plate in the background, where they are not there."""
        path = self._place(digest)
        with self._lock:
            if path in self._making or path.exists():
                return
            thread = threading.Thread(
                target=self._make, args=(digest, path), name="small pictures", daemon=True
            )
            self._making[path] = thread
        thread.start()

    def _make(self, digest: str, path: Path) -> None:
        with suppress(OSError, AttributeError):  # of this thread alone, where the system knows that
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), NICE)
        part = path.with_name(f"{self._part}{path.name}")
        try:
            with self._store().open(digest) as file:
                self._write(source_of(file), part, path)
            part.replace(path)
        except (OSError, Refusal):  # no room, or it was deleted: each is read from the plate
            log.info("no small pictures of %s were kept", digest[:12])
        finally:
            part.unlink(missing_ok=True)
            with self._lock:
                self._making.pop(path, None)
                ready = self._ready.pop(path, None)
            if ready is not None:
                ready.close()

    def _write(self, source: Source, part: Path, path: Path) -> None:
        ready = _Ready(zipfile.ZipFile(part, "w", zipfile.ZIP_STORED))
        with self._lock:
            self._ready[path] = ready
        for number in range(source.facts.count):
            ready.add(number, coded(source.small(number, LONGEST)))
            if not path.with_name(path.name.removesuffix(ENDING)).exists():
                raise Refusal("The plate was deleted.")
        with self._lock:
            self._ready.pop(path)
        ready.close()

    def settle(self) -> None:
        """Wait until all that is being made is on disk."""
        for thread in list(self._making.values()):
            thread.join()
