"""Low over the floor, where near things go by fast."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from ...camera import Camera
from ...pick import Pick
from ...refusal import Refusal
from ...scene.model import Scene
from ...scene.timed import tracks_of
from ...value import Length, Number
from .base import ReadyMove, Tracks, key_at, level, picked_place

SUNK_AT = 0.65  # of the shot at which it is down
# Of the way, by when it is down. A camera that sinks sooner than it goes in sees the floor in front
# of what the plate shows of it.
GONE_BY_THEN = 0.75


class LowPass(ReadyMove):
    """From the lens down to a height over the ground while it goes ahead, or towards a picked
    place, level with the ground."""

    verb: Literal["LowPass"] = "LowPass"
    called: ClassVar[str] = "low pass"
    distance_m: Number
    height_m: Length
    toward: Pick | None = None

    def tracks(self, scene: Scene, sighted: Camera) -> Tracks:
        """Three: the lens, where it is down, and the end; between them the path is smooth."""
        drop = float(sighted.position[1]) - self.height_m
        if drop <= 0:
            raise Refusal(
                f"The lens is {sighted.position[1]:.2f} m over the ground already. Give a lower "
                "height."
            )
        place = picked_place(scene, sighted, self.toward)
        way = level(sighted.forward if place is None else place - sighted.position)
        last = scene.move.frames - 1
        gone = [(0, 0.0, 0.0), (round(SUNK_AT * last), GONE_BY_THEN, 1.0), (last, 1.0, 1.0)]
        cameras = {
            frame: replace(
                sighted,
                position=sighted.position + self.distance_m * far * way - [0, drop * down, 0],
            )
            for frame, far, down in gone
        }
        return tracks_of(
            tuple(
                key_at(camera, frame, sighted, end=frame in (0, last))
                for frame, camera in cameras.items()
            )
        )

    def said(self) -> str:
        return f"Low pass {self.distance_m:.2f} m at {self.height_m:.2f} m"
