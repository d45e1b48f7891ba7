"""A number over time: keys, how it is come to and left at each, and its value at any frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
import scipy  # its submodules load on first use
from pydantic import Field

from .arrays import Flags, Floats, Indices
from .value import Id, Number, Point3, Value

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


class PointKey(Value):
    """A place at a frame, in the world. hold: as of a `TrackKey`."""

    frame: Frame
    at: Point3
    ease: Ease = "both"
    hold: bool = False


class AimKey(PointKey):
    """What is aimed at from a frame on: a place in the world; with proxy, a place in that proxy's
    own frame, which is followed wherever the proxy goes; with way, a direction that is looked
    along wherever the camera is."""

    proxy: Id | None = None
    way: bool = False

    @property
    def aim(self) -> tuple[Point3, str | None, bool]:
        """What is aimed at, to be compared with another key's."""
        return self.at, self.proxy, self.way


AnyKey = TrackKey | PointKey


def values_at(keys: Sequence[TrackKey], frames: Floats, turn: bool = False) -> Floats:
    """(F,) the value at frames (F,), not all of them whole; before the first key and after the last
    as it is there.

    A monotone cubic through the keys (Fritsch & Butland 1984): between two of them it never leaves
    their span, so it holds where they are equal. turn: values are degrees, and angles are unwound
    first (see `unwound`).
    """
    values = np.array([k.value for k in keys], float)
    return _between(keys, unwound(values) if turn else values, frames)


def points_at(keys: Sequence[PointKey], frames: Floats) -> Floats:
    """(F, 3) the place at frames (F,), each of its numbers as in `values_at`."""
    return _between(keys, np.array([k.at for k in keys], float), frames)


def _between(keys: Sequence[AnyKey], values: Floats, frames: Floats) -> Floats:
    """values: (K,) or (K, D) at the keys."""
    times, at = times_of(keys), warped(keys, frames)
    if len(keys) == 1:
        return np.repeat(values, len(at), axis=0)
    out = _cubic(times.tobytes(), values.tobytes(), values.shape)(at)
    i = stretch_of(keys, frames)
    near, far = values[i], values[np.minimum(i + 1, len(keys) - 1)]
    # rounding may leave the span
    return np.asarray(np.clip(out, np.minimum(near, far), np.maximum(near, far)), float)


@lru_cache(maxsize=64)  # a try asks for one track at several sets of frames
def _cubic(times: bytes, values: bytes, shape: tuple[int, ...]) -> Callable[[Floats], Floats]:
    """The monotone cubic through values at times, both as the bytes of 64 bit floats."""
    cubic: Callable[[Floats], Floats] = scipy.interpolate.PchipInterpolator(
        np.frombuffer(times), np.frombuffer(values).reshape(shape)
    )
    return cubic


def times_of(keys: Sequence[AnyKey]) -> Floats:
    """(K,) the frames of keys."""
    return np.array([k.frame for k in keys], float)


def stretch_of(keys: Sequence[AnyKey], frames: Floats) -> Indices:
    """(F,) the key at or before each of some frames (F,); the first one before it."""
    times = times_of(keys)
    at = np.clip(frames, times[0], times[-1])
    return np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(keys) - 1)


def warped(keys: Sequence[AnyKey], frames: Floats) -> Floats:
    """Frames (F,), no earlier than the first key and no later than the last, moved within their
    stretch as eases ask, and back to its beginning where it holds."""
    times = times_of(keys)
    at = np.clip(frames, times[0], times[-1])
    if len(keys) == 1:
        return np.asarray(at, float)
    i = stretch_of(keys, frames)
    holds = np.array([k.hold for k in keys], bool)[i]
    return np.where(holds, times[i], eased(times, [k.ease for k in keys], at))


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
