"""Guests by hand: stood where a place is picked, carried along, made as high as a picked top."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from ..arrays import Floats
from ..block.under import Under, under
from ..camera import Camera, world_size
from ..pick import Pick, height_over, on_level, ray_of
from ..proxy.kind import angles_of
from ..refusal import Refusal
from ..scene.edits import AddGuest, AlterGuest, Edit
from ..scene.edits.edit import the_one
from ..scene.edits.guests import facts_of
from ..scene.gesture import Gesture
from ..scene.guests import Guest, GuestKind, ModelGuest, WordsGuest
from ..scene.model import Scene
from ..sight.measure import required_camera

LEVEL = 0.7  # cosine of the slope up to which things stand upright on a surface
OFF = 1e-3  # of the world's size: how far from a surface something lies that lies on it
READS, SHOWS = 0.08, 0.35  # of the frame's height: a capital letter of new words, a new picture
LEAST_HIGH_M = 0.002
TOO_HIGH = 0.9  # of the frame's height: what is seen larger than that is asked about
MILLIMETRES = 100.0  # metres: what is higher is taken for a model in millimetres


class StandGuest(Gesture):
    """Stand a guest at a picked place: upright and turned to the lens on what is level, flat on
    anything else, and flat wherever it is if it lies. Words and pictures are made as high as reads
    there, unless their height is given."""

    verb: Literal["StandGuest"] = "StandGuest"
    guest: Guest
    at: Pick
    lies: bool = False
    height_m: float | None = None

    def edit(self, scene: Scene) -> Edit:
        sighted = required_camera(scene)
        found = _found(scene, sighted, self.at)
        guest = self.guest
        height = self.height_m or _height(guest, sighted, found.point)
        stands = _standing(found, sighted, self.lies)
        new = guest.model_copy(update={**stands, "height_m": max(height, LEAST_HIGH_M)})
        return AddGuest(guest=new)


class CarryGuest(Gesture):
    """Carry a guest to under the pointer: on its own level, up and down above its foot, or onto
    whatever is seen there."""

    verb: Literal["CarryGuest"] = "CarryGuest"
    guest: str
    to: Pick
    way: Literal["level", "up", "onto"] = "level"

    def edit(self, scene: Scene) -> Edit:
        guest = the_one(scene.guests, self.guest, "guest")
        sighted = required_camera(scene)
        if self.way == "onto":
            found = _found(scene, sighted, self.to)
            lies = guest.lean_deg == -90.0
            stands = _standing(found, sighted, lies)
            kept = {} if lies or guest.lean_deg else {"turn_deg": guest.turn_deg}
            to = {**stands, **(kept if found.normal[1] >= LEVEL else {})}
        elif self.way == "up":
            high = height_over(sighted, guest.foot[None], self.to)
            to = {"level_m": round(guest.level_m + high, 6)}
        else:
            x, _, z = on_level(sighted, self.to, guest.level_m).round(6).tolist()
            to = {"x": x, "z": z}
        return AlterGuest(guest=guest.id, to=facts_of(to))


class SizeGuest(Gesture):
    """Make a guest as high as a picked top; its foot stays."""

    verb: Literal["SizeGuest"] = "SizeGuest"
    guest: str
    top: Pick

    def edit(self, scene: Scene) -> Edit:
        guest = the_one(scene.guests, self.guest, "guest")
        sighted = required_camera(scene)
        if guest.lean_deg or guest.roll_deg:
            high = _along(guest, sighted, self.top)
        else:
            high = height_over(sighted, guest.foot[None], self.top)
        if high < LEAST_HIGH_M:
            raise Refusal(f"{guest.name} would have no height: pick its top above its foot.")
        return AlterGuest(guest=guest.id, to=facts_of({"height_m": round(high, 6)}))


def _along(guest: GuestKind, camera: Camera, top: Pick) -> float:
    """How far a picked place is along a guest's own up, where its ray passes nearest to that."""
    origin, ray = ray_of(camera, top)
    up, foot = guest.frame()[0][:, 1], guest.foot
    ray = ray / np.linalg.norm(ray)
    across = float(up @ ray)
    if 1.0 - across * across < 1e-6:
        raise Refusal("It is looked at along its own height here. Look at it from elsewhere.")
    away = foot - origin
    return float((across * (away @ ray) - away @ up) / (1.0 - across * across))


def _found(scene: Scene, camera: Camera, at: Pick) -> Under:
    found = under(scene, camera, at)
    if found is None:
        raise Refusal("Nothing is there to stand on: pick a place on the ground or on a proxy.")
    return found


def _standing(found: Under, camera: Camera, lies: bool) -> dict[str, float]:
    """Where something stands on what was picked."""
    normal, point = found.normal, found.point
    towards = camera.position - point
    turn = math.degrees(math.atan2(towards[0], towards[2]))
    lean = roll = 0.0
    if lies or abs(normal[1]) < LEVEL:
        turn, lean, roll = angles_of(_facing(normal, camera))
        point = point + OFF * world_size(camera) * normal
    x, level, z = point.round(6).tolist()
    return {
        "x": x, "level_m": level, "z": z, "turn_deg": round(turn, 4), "lean_deg": round(lean, 4),
        "roll_deg": round(roll, 4),
    }  # fmt: skip


def _facing(normal: Floats, camera: Camera) -> Floats:
    """The turn (3, 3) of what lies flat on a surface, its top up, or away from the lens on a level
    one."""
    up = np.array([0.0, 1.0, 0.0])
    if abs(normal[1]) > 0.99:
        up = np.array([camera.forward[0], 0.0, camera.forward[2]])
    up = up - (up @ normal) * normal
    up /= np.linalg.norm(up)
    return np.column_stack([np.cross(up, normal), up, normal])


def _height(guest: GuestKind, camera: Camera, point: Floats) -> float:
    """How high a new guest is at a place: of a model, as its file says."""
    if isinstance(guest, ModelGuest):
        return guest.height_m
    seen = READS if isinstance(guest, WordsGuest) else SHOWS
    return round(seen * _frame_height(camera, point), 3)


def _frame_height(camera: Camera, point: Floats) -> float:
    """How high what fills the frame is at a place, metres."""
    depth = float((point - camera.position) @ camera.forward)
    return camera.height / camera.focal_px * max(depth, 1e-3)


def doubt_of(scene: Scene, guest: GuestKind, camera: Camera) -> str | None:
    """Why a guest may look too large or too small, in words; None where it looks as it may."""
    if not isinstance(guest, ModelGuest):
        return None
    seen = guest.height_m / _frame_height(camera, guest.foot)
    if 1e-3 < seen < TOO_HIGH:
        return None
    sighting = scene.sighting
    measured = sighting.tapes or sighting.eye_height_m or sighting.distance_m
    large = "large" if seen >= TOO_HIGH else "small"
    if measured:
        return (
            f"It looks {large} here, and the place has been measured: its own size is doubtful. "
            f"Its file says {guest.file.size[1]:,.4g} high, in units that may not be metres."
        )
    return (
        f"It looks {large} here, and nobody has measured the place: lay a tape or give the eye "
        "height in Sight, or give the model another height."
    )


def natural_height(size: tuple[float, float, float], unit_m: float) -> tuple[float, str | None]:
    """How high a model stands that is so wide, high and deep in its file's units, metres, and what
    is odd about it, in words."""
    high = size[1] if size[1] > 0.01 * max(size) else max(size)
    metres = high * unit_m
    if metres > MILLIMETRES:
        return metres / 1000.0, (
            f"As its file says it would be {metres:,.0f} m high, so it was taken for millimetres: "
            f"{metres / 1000.0:,.3g} m."
        )
    if metres < LEAST_HIGH_M:
        return 1.0, "Its file says that it has next to no size, so it was made 1 m high."
    return metres, None
