"""Proxies that move over the shot: a door on its hinge, a boat that goes by."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from ..block.hinges import Corners, Side, hinge_of
from ..proxy import Stood
from ..refusal import Refusal
from ..scene.edits import Edit, PutTracks, SetTrack
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..scene.moment import at
from ..scene.timed import TrackedNumber
from ..sight.measure import required_camera
from ..track import Ease, TrackKey
from ..value import Id, Number

FrameNumber = Annotated[int, Field(ge=0, le=100_000)]
KEYED: tuple[TrackedNumber, ...] = ("x", "level_m", "z", "turn_deg")


class OpenOn(Gesture):
    """Open a proxy on a hinge, as a door, a lid or a ramp, from one frame to another: by an angle
    about one of its edges (see `TurnOnEdge`)."""

    verb: Literal["OpenOn"] = "OpenOn"
    proxy: Id
    by_deg: Annotated[float, Field(ge=-720, le=720)]
    first: FrameNumber
    last: FrameNumber
    side: Side = "left"
    edge: Corners | None = None
    ease: Ease = "both"

    def edit(self, scene: Scene) -> Edit:
        if self.last <= self.first:
            raise Refusal("It opens from one frame to a later one.")
        camera = required_camera(scene)
        proxy = _stood(scene, self.proxy)
        axis = hinge_of(proxy, camera, self.side, self.edge)
        keys = (
            TrackKey(frame=self.first, value=0.0, ease=self.ease),
            TrackKey(frame=self.last, value=self.by_deg, ease=self.ease),
        )
        return SetTrack(part=self.proxy, of="hinge_deg", keys=keys, axis=axis)


class KeyProxy(Gesture):
    """Key where a proxy is at a frame: its place, level and turn; what is left out is as it is
    there. One that has not moved yet is keyed where it was put at the first frame too."""

    verb: Literal["KeyProxy"] = "KeyProxy"
    proxy: Id
    frame: FrameNumber
    x: Number | None = None
    z: Number | None = None
    level_m: Number | None = None
    turn_deg: Number | None = None
    ease: Ease = "both"

    def edit(self, scene: Scene) -> Edit:
        proxy = _stood(scene, self.proxy)
        tracks = {t.of: t.keys for t in scene.tracks if t.part == proxy.id}
        unhinged = tuple(t for t in scene.tracks if t.of != "hinge_deg")
        now: Any = at(scene.model_copy(update={"tracks": unhinged}), float(self.frame))
        there = _stood(now, self.proxy)
        new = {}
        for name in KEYED:
            given = getattr(self, name)
            keys = tracks.get(name, ())
            if given is None and not keys:
                continue
            value = getattr(there, name) if given is None else given
            kept = [k for k in keys if k.frame != self.frame]
            if not keys and self.frame > 0:
                kept = [TrackKey(frame=0, value=getattr(proxy, name), ease=self.ease)]
            key = TrackKey(frame=self.frame, value=value, ease=self.ease)
            new[name] = tuple(sorted([*kept, key], key=lambda k: k.frame))
        if not new:
            raise Refusal(f"Say where {proxy.name} is to be.")
        return PutTracks(part=self.proxy, keys=new)


def _stood(scene: Scene, id: str) -> Stood:
    proxy = the_one(scene.proxies, id, "proxy")
    if not isinstance(proxy, Stood):
        raise Refusal(f"{proxy.name} hangs before the lens, so it does not move.")
    return proxy
