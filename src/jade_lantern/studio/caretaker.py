"""What has to be looked after while the application is served: deliveries whose worker has died,
files that nobody needs any more, memory that is not used."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from pathlib import Path

from django.conf import settings
from django.db import connection

from . import deliveries, plates

log = logging.getLogger("jade_lantern")

EVERY_S = 5.0
ROUNDS_A_SWEEP = 120


def older_database() -> Path | None:
    """A database of a form that is not read any more. It is left as it is, with all its files."""
    path: Path = settings.DATA / settings.OLDER_DATABASE
    return path if path.exists() else None


def sweep() -> None:
    """Delete what nobody needs; nothing while an older database may need it."""
    if older_database() is None:
        plates.sweep()
        deliveries.sweep()


def start(first: Callable[[], None] = lambda: None) -> threading.Event:
    """Look after things from now on, on a thread of its own, until the event that is returned is
    set. first: what is to be done there before anything else."""
    over = threading.Event()
    threading.Thread(target=_run, args=(first, over), name="caretaker", daemon=True).start()
    return over


def _run(first: Callable[[], None], over: threading.Event) -> None:
    _do(first)
    rounds = 0
    while True:
        _do(deliveries.look_after)
        if rounds % ROUNDS_A_SWEEP == 0:
            _do(sweep)
        _do(plates.let_go)
        rounds += 1
        if over.wait(EVERY_S):
            connection.close()
            return


def _do(work: Callable[[], None]) -> None:
    try:
        work()
    except Exception:  # the next round tries again
        log.exception("looking after things failed")
