"""The number of a movie's first picture, by the timecode that its camera wrote."""

from __future__ import annotations

import re

WRITTEN = re.compile(r"^(\d{1,2}):([0-5]\d):([0-5]\d)([:;.])(\d{1,3})$")
MINUTES = 10  # of each so many, the first drops no numbers


def number_at(timecode: str, rate: float) -> int:
    """The number of the frame at a timecode (SMPTE ST 12-1), counted from 0 at 00:00:00:00. A
    semicolon or a stop before the frames means that numbers are dropped, which a rate near 30 or 60
    does. 0 where it is none."""
    found = WRITTEN.match(timecode.strip())
    whole = round(rate)
    if found is None or whole < 1:
        return 0
    hours, minutes, seconds, frames = (int(found[k]) for k in (1, 2, 3, 5))
    if frames >= whole:
        return 0
    minutes += 60 * hours
    number = (60 * minutes + seconds) * whole + frames
    if found[4] != ":" and whole % 30 == 0:
        number -= whole // 15 * (minutes - minutes // MINUTES)
    return number
