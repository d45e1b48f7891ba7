"""A process that reads a file for us, with a limit of memory and time.

Readers of foreign formats are large native libraries; some files make them loop for ever, take all
memory or crash. Such a file costs its process, and is refused in words. A process that has read a
file is used again for the next one, since importing the readers takes longer than most files.
"""

from __future__ import annotations

import atexit
import os
import pickle
import select
import shutil
import struct
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any, TypeVar

from ..refusal import Refusal

T = TypeVar("T")

MOST_BYTES = 2 << 30  # memory that a reader may use
MOST_SECONDS = 60.0
AT_ONCE = 2
MOST_READS = 200  # after which a process is replaced, in case a reader leaks
LENGTH = struct.Struct("<Q")
ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "NUMBA_NUM_THREADS": "1"}
TOO_LONG = "Reading it took longer than {:.0f} seconds, so it was not brought in."
TOO_MUCH = "Reading it takes more memory than {:.1f} GB, or crashes its reader: it was not taken."


class _Process:
    """One reader, asked over a pair of pipes."""

    def __init__(self, most_bytes: int) -> None:
        self.most_bytes, self.reads = most_bytes, 0
        asked, self._ask = os.pipe()
        self._answers, answer = os.pipe()
        # Its temporary files go with it, should it be killed over one.
        self._folder = tempfile.mkdtemp(prefix="jade-lantern-")
        words = [sys.executable, "-m", f"{__package__}.reader", str(asked), str(answer)]
        self._process = subprocess.Popen(
            [*words, str(most_bytes)], pass_fds=(asked, answer), stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd="/",
            env={**os.environ, **ONE_THREAD, "TMPDIR": self._folder},
        )  # fmt: skip
        os.close(asked)
        os.close(answer)

    def ask(self, question: Any, until: float) -> Any:
        """Raises TimeoutError, and EOFError where the process has died."""
        self.reads += 1
        body = pickle.dumps(question, protocol=5)
        try:
            self._write(LENGTH.pack(len(body)) + body, until)
        except BrokenPipeError as error:
            raise EOFError from error
        (length,) = LENGTH.unpack(self._read(LENGTH.size, until))
        return pickle.loads(self._read(length, until))  # from our own process, not from the file

    def _write(self, data: bytes, until: float) -> None:
        os.set_blocking(self._ask, False)
        view = memoryview(data)
        while view:
            _, ready, _ = select.select([], [self._ask], [], max(until - time.monotonic(), 0))
            if not ready:
                raise TimeoutError
            view = view[os.write(self._ask, view[: 1 << 20]) :]

    def _read(self, count: int, until: float) -> bytes:
        out = bytearray()
        while len(out) < count:
            ready, _, _ = select.select([self._answers], [], [], max(until - time.monotonic(), 0))
            if not ready:
                raise TimeoutError
            piece = os.read(self._answers, min(count - len(out), 1 << 20))
            if not piece:
                raise EOFError
            out += piece
        return bytes(out)

    def end(self) -> None:
        for end in (self._ask, self._answers):
            with suppress(OSError):
                os.close(end)
        self._process.kill()
        self._process.wait()
        shutil.rmtree(self._folder, ignore_errors=True)


_idle: list[_Process] = []
_lock = threading.Lock()
_turn = threading.BoundedSemaphore(AT_ONCE)


def read_apart(
    reader: Callable[..., T], *args: Any, most_bytes: int = MOST_BYTES,
    seconds: float = MOST_SECONDS,
) -> T:  # fmt: skip
    """What reader(*args) returns, worked out in a process of its own. reader: a function of a
    module; its arguments and its answer have to be picklable.

    Raises Refusal where the reader does, and where it takes more memory or time than it may.
    """
    until = time.monotonic() + seconds
    if not _turn.acquire(timeout=seconds):
        raise Refusal("Other files are being read just now. Bring it in again in a moment.")
    process = None
    try:
        process = _taken(most_bytes)
        outcome, answer = process.ask((reader.__module__, reader.__qualname__, args), until)
        if process.reads < MOST_READS and outcome != "memory":
            with _lock:
                _idle.append(process)
            process = None
    except TimeoutError as error:
        raise Refusal(TOO_LONG.format(seconds)) from error
    except EOFError as error:
        raise Refusal(TOO_MUCH.format(most_bytes / 1e9)) from error
    finally:
        if process is not None:
            process.end()
        _turn.release()
    if outcome == "read":
        out: T = answer
        return out
    if outcome == "memory":
        raise Refusal(TOO_MUCH.format(most_bytes / 1e9))
    raise Refusal(answer)


@atexit.register
def end_idle() -> None:
    """End the processes that wait for the next file."""
    with _lock:
        idle, _idle[:] = list(_idle), []
    for process in idle:
        process.end()


def _taken(most_bytes: int) -> _Process:
    with _lock:
        for process in _idle:
            if process.most_bytes == most_bytes and process._process.poll() is None:
                _idle.remove(process)
                return process
        stale, _idle[:] = list(_idle), []
    for process in stale:  # of another limit, or dead
        process.end()
    return _Process(most_bytes)
