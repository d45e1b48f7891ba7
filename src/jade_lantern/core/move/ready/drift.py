"""As if held by hand."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ...arrays import Floats
from ...camera import Camera, rotation_of, tilt_roll_yaw
from ...scene.model import Scene
from ...scene.shot import shot_cameras
from ...scene.timed import tracks_of
from ...value import Length
from . import base

WAVES_A_SECOND = (0.23, 0.61, 1.13)  # slow sway, breath and a hand's unrest
SHARES = (0.62, 0.28, 0.10)
KEYS_A_SECOND = 5.0
ROLL = 0.4  # of the turn, that it rolls by
MASK = (1 << 64) - 1


class Drift(base.ReadyMove):
    """Unrest on top of the move as it is keyed, or of the lens: up to about so many metres and
    degrees each way. The same seed is the same unrest on every machine."""

    verb: Literal["Drift"] = "Drift"
    called: ClassVar[str] = "drift"
    seed: Annotated[int, Field(ge=0, le=10**9)] = 1
    sway_m: Length
    turn_deg: Annotated[float, Field(ge=0, le=45)] = 0.4

    def tracks(self, scene: Scene, sighted: Camera) -> base.Tracks:
        last, fps = scene.move.frames - 1, scene.move.fps
        count = max(round(last / fps * KEYS_A_SECOND), 2)
        count = min(count, last)
        frames = np.unique(np.round(np.linspace(0, last, count + 1)))
        whole = scene.model_copy(update={"move": scene.move.model_copy(update={"amount": 1.0})})
        sway = self.unrest(frames / fps)
        keys = []
        for frame, camera, by in zip(
            frames, shot_cameras(whole, frames, sighted), sway, strict=True
        ):
            tilt, roll, yaw = tilt_roll_yaw(camera.rotation)
            step = camera.rotation.T @ (self.sway_m * by[:3])
            turn, nod, tip = self.turn_deg * by[3:] * (1.0, 1.0, ROLL)
            moved = replace(
                camera, position=camera.position + step,
                rotation=rotation_of(tilt + nod, roll + tip, yaw + turn),
            )  # fmt: skip
            keys.append(base.key_at(moved, int(frame), sighted, end=False))
        return tracks_of(tuple(keys))

    def unrest(self, seconds: Floats) -> Floats:
        """(F, 6) numbers from -1 to 1 at times (F,): three of place, three of turn; nought at the
        first. Rounded to millionths, so that no machine's sine tells."""
        out = np.zeros((len(seconds), 6))
        for k in range(6):
            for wave, (rate, share) in enumerate(zip(WAVES_A_SECOND, SHARES, strict=True)):
                phase, bend = (_chance(self.seed, k, wave, i) for i in range(2))
                angle = 2.0 * np.pi * (rate * (0.8 + 0.4 * bend) * seconds + phase)
                out[:, k] += share * (np.sin(angle) - np.sin(2.0 * np.pi * phase)) / 2.0
        return np.round(out, 6)

    def said(self) -> str:
        return f"Drift {self.sway_m * 100:.1f} cm"


def _chance(*numbers: int) -> float:
    """A number from 0 to 1 that follows from whole numbers alone (SplitMix64; Steele, Lea & Flood
    2014), so that it is the same in every version of every library."""
    state = 0
    for number in numbers:
        state = (state ^ number) & MASK
        state = (state + 0x9E3779B97F4A7C15) & MASK
        z = state
        z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & MASK
        z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & MASK
        state = z ^ (z >> 31)
    return state / 2.0**64
