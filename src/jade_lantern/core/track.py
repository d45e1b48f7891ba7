"""A number over time: keys, how it is come to and left at each, and its value at any frame."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np
import scipy  # its submodules load on first use
from pydantic import Field

from .arrays import Flags, Floats
from .value import Number, Value

Ease = Literal["none", "out", "in", "both"]  # speed is zero on leaving a key, arriving, or both
Frame = Annotated[int, Field(ge=0, le=100_000)]
EASED_IN = {"in", "both"}
EASED_OUT = {"out", "both"}


class TrackKey(Value):
    """A value at a frame. hold: it stays until the next key, and jumps there."""

    frame: Frame
    value: Number
    ease: Ease = "both"
    hold: bool = False


def values_at(keys: Sequence[TrackKey], frames: Floats, turn: bool = False) -> Floats:
    """(F,) the value at frames (F,), not all of them whole; before the first key and after the last
    as it is there.

    A monotone cubic through the keys (Fritsch & Butland 1984): between two of them it never leaves
    their span, so it holds where they are equal. turn: values are degrees, and angles are unwound
    first (see `unwound`).
    """
    times = np.array([k.frame for k in keys], float)
    values = np.array([k.value for k in keys], float)
    if turn:
        values = unwound(values)
    at = np.clip(frames, times[0], times[-1])
    if len(keys) == 1:
        return np.full(len(at), values[0])
    warped = eased(times, [k.ease for k in keys], at)
    out = scipy.interpolate.PchipInterpolator(times, values)(warped)
    i = np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(keys) - 1)
    near, far = values[i], values[np.minimum(i + 1, len(keys) - 1)]
    out = np.clip(out, np.minimum(near, far), np.maximum(near, far))  # rounding may leave the span
    return np.where(np.array([k.hold for k in keys])[i], near, out)


def unwound(degrees: Floats) -> Floats:
    """Angles (K,), degrees, with whole turns added so that each step is the shorter way round.

    A step that begins or ends beyond 180 degrees either way is kept as it is: such angles count
    turns, as 720 does.
    """
    steps = np.diff(degrees)
    short = (steps + 180.0) % 360.0 - 180.0
    counted = np.abs(degrees) > 180.0
    steps = np.where(counted[1:] | counted[:-1], steps, short)
    return np.concatenate([degrees[:1], degrees[0] + np.cumsum(steps)])


def eased(times: Floats, eases: Sequence[Ease], frames: Floats) -> Floats:
    """Frames (F,) moved within their stretch between two of at least two times (K,) as the eases of
    the keys ask. frames: none before the first key or after the last."""
    i = np.clip(np.searchsorted(times, frames, side="right") - 1, 0, len(times) - 2)
    span = times[i + 1] - times[i]
    t = (frames - times[i]) / span
    leave = 1.0 - _among(eases, EASED_OUT)[i]
    arrive = 1.0 - _among(eases, EASED_IN)[i + 1]
    s = (t**3 - 2 * t**2 + t) * leave + (-2 * t**3 + 3 * t**2) + (t**3 - t**2) * arrive
    out: Floats = times[i] + s * span
    return out


def _among(eases: Sequence[Ease], which: set[str]) -> Flags:
    return np.array([ease in which for ease in eases], bool)
