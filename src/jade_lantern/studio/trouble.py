"""What goes wrong in the machine rather than in what was asked for, in words."""

from __future__ import annotations

import errno
import sqlite3

from django.db import DatabaseError

FULL = (
    "The disk is full, so this was not kept; everything kept before is safe. Make room, then try "
    "again."
)
BUSY = "Too much is going on at once, so this was not done. Nothing was changed; try again."
NO_MEMORY = "There is not enough memory for this, so it was not done. Nothing was changed."
UNKNOWN = "Something went wrong in the program, so this was not done. Nothing was changed."


class Busy(Exception):
    """Asked for while too much of the same is under way."""


def in_words(error: BaseException) -> tuple[int, str]:
    """The HTTP status and the words for an error that is no Refusal."""
    if isinstance(error, Busy):
        return 503, BUSY
    if isinstance(error, MemoryError):
        return 507, NO_MEMORY
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
        return 507, FULL
    if isinstance(error, DatabaseError | sqlite3.Error):
        # SQLite tells a file that may not grow as "disk I/O error"
        if "full" in str(error) or "disk I/O" in str(error):
            return 507, FULL
        if "locked" in str(error):
            return 503, BUSY
    return 500, UNKNOWN
