"""A scene at a moment: its tracked numbers put in. What is derived from a scene, such as a frame or
a diagnosis, is derived from a scene at a moment and knows no time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from ..arrays import Floats
from ..proxy import Similarity
from ..refusal import Refusal
from ..track import unwound, values_at
from .model import Scene, Track, TrackedNumber

TURNS = {"turn_deg"}
PLACES: tuple[TrackedNumber, ...] = ("x", "level_m", "z")


def at(scene: Scene, frame: float) -> Scene:
    """The scene at a frame. What is not tracked is the same object as in the scene, and a scene
    without tracks is itself, so that what was worked out from them still holds."""
    return moments(scene, np.array([frame], float))[0]


def moments(scene: Scene, frames: Floats) -> list[Scene]:
    """The scene at each of some frames (F,)."""
    if not scene.tracks:
        return [scene for _ in frames]
    values = [values_at(t.keys, frames, t.of in TURNS) for t in scene.tracks]
    known: dict[tuple[float, ...], Scene] = {}  # where nothing moves it is one scene
    out = []
    for row in np.array(values).T.tolist():
        moment = known.get(tuple(row))
        if moment is None:
            moment = known[tuple(row)] = _with(scene, row)
        out.append(moment)
    return out


def _with(scene: Scene, values: Sequence[float]) -> Scene:
    """The scene with a value for each of its tracks."""
    new: dict[str, dict[str, float]] = {}
    for track, value in zip(scene.tracks, values, strict=True):
        if track.of in TURNS:
            value = (value + 180.0) % 360.0 - 180.0
        if track.of == "strength":
            value = min(max(value, 0.0), 1.0)
        new.setdefault(track.part, {})[track.of] = value

    def put(part: Any) -> Any:
        to = new.get(part.id)
        same = to is None or all(getattr(part, name) == value for name, value in to.items())
        return part if same else part.model_copy(update=to)

    return scene.model_copy(
        update={
            "proxies": tuple(put(p) for p in scene.proxies),
            "lanterns": tuple(put(one) for one in scene.lanterns),
        }
    )


def check_tracks(scene: Scene) -> None:
    """Raises Refusal where a track is of nothing, of a number that its part does not have, twice of
    the same, or not in the order of its frames."""
    parts: dict[str, Any] = {part.id: part for part in (*scene.proxies, *scene.lanterns)}
    seen = set()
    for track in scene.tracks:
        part = parts.get(track.part)
        if part is None:
            raise Refusal("A track is of a part that is not there.")
        if track.of not in type(part).model_fields:
            raise Refusal(f"{part.name} has nothing that is called {track.of}, to be tracked.")
        if (track.part, track.of) in seen:
            raise Refusal(f"{part.name} has two tracks of {track.of}.")
        seen.add((track.part, track.of))
        frames = [key.frame for key in track.keys]
        if frames != sorted(set(frames)):
            raise Refusal(f"Two keys of {part.name} stand on one frame, or they are not in order.")
        if frames[-1] > scene.move.frames - 1:
            raise Refusal(
                f"{part.name} has a key at frame {frames[-1]}, past the end of a shot of "
                f"{scene.move.frames} frames. Make the shot longer first."
            )
        if track.of == "strength" and not all(0 <= key.value <= 1 for key in track.keys):
            raise Refusal(f"The strength of {part.name} goes from 0 to 1.")


def carried_tracks(tracks: tuple[Track, ...], by: Similarity) -> tuple[Track, ...]:
    """Tracks after the world's zero or size has changed, or after it has turned by quarters.

    Raises Refusal where it has turned otherwise: a way along one heading is then one along both.
    """
    zero = np.array(by.moved((0.0, 0.0, 0.0)))
    ways = {
        "x": np.array(by.moved((1.0, 0.0, 0.0))) - zero,
        "level_m": np.array(by.moved((0.0, 1.0, 0.0))) - zero,
        "z": np.array(by.moved((0.0, 0.0, 1.0))) - zero,
    }
    out = []
    for track in tracks:
        of, values = track.of, np.array([key.value for key in track.keys], float)
        if of in TURNS:
            values = unwound(values) + by.turn_deg
            if (np.abs(np.diff(values)) > 180.0).any():
                # whole turns more, so that all are beyond 180 and `unwound` keeps the steps
                values += 360.0 * (np.floor((180.0 - values.min()) / 360.0) + 1.0)
        elif of in ways:
            axis = int(np.argmax(np.abs(ways[of])))
            if np.abs(np.delete(ways[of], axis)).max() > 1e-9 * by.scale:
                raise Refusal("What moves over time can be turned by quarters only.")
            of, values = PLACES[axis], ways[of][axis] * values + zero[axis]
        keys = tuple(
            key.model_copy(update={"value": value})
            for key, value in zip(track.keys, values.tolist(), strict=True)
        )
        out.append(track.model_copy(update={"of": of, "keys": keys}))
    return tuple(out)


def tracks_in_step(before: Scene, after: Scene) -> Scene:
    """The scene without the tracks of parts that went."""
    same = after.proxies is before.proxies and after.lanterns is before.lanterns
    if same or not after.tracks:
        return after
    there = {part.id for part in (*after.proxies, *after.lanterns)}
    kept: tuple[Track, ...] = tuple(t for t in after.tracks if t.part in there)
    return after if len(kept) == len(after.tracks) else after.model_copy(update={"tracks": kept})
