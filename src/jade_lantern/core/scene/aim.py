"""Which way the shot camera looks, from the keys of what it is aimed at and of its roll."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Flags, Floats
from ..camera import Camera, rotation_of, tilt_roll_yaw
from ..refusal import Refusal
from ..track import AimKey, points_at, stretch_of, times_of, values_at, warped
from ..value import Point3
from .model import Scene
from .moment import moments
from .timed import Move

LEAST_AIM_M = 1e-6  # nearer than this to the camera an aim has no direction
# A turn of more degrees than this from one whole frame to the next reads as a flip: the camera
# passes through what it is aimed at, or close by.
MOST_TURN_DEG = 30.0
MOST_SAMPLES = 97  # of a stretch between two keys, before every frame of it is looked at
SAME_AIM = 1e-6  # apart from each other, relative to how far away they are


def positions(move: Move, frames: Floats, sighted: Camera) -> Floats:
    """(F, 3) where the camera is at frames (F,)."""
    if not move.position:
        return np.tile(sighted.position, (len(frames), 1))
    return points_at(move.position, frames)


def attitudes(scene: Scene, frames: Floats, sighted: Camera) -> Floats:
    """(F, 3, 3) world-to-camera rotations at frames (F,).

    Between two keys on one aim the camera looks at it at every frame; so it does before the first
    key and after the last. Between keys on two aims, and where it would flip over because it passes
    its aim (MOST_TURN_DEG), it turns evenly from one key's direction to the next one's (spherical
    linear interpolation; Shoemake 1985).
    """
    move = scene.move
    tilt, own_roll, yaw = tilt_roll_yaw(sighted.rotation)
    roll = values_at(move.roll_deg, frames, turn=True) if move.roll_deg else None
    if not move.aim:
        if roll is None:
            return np.repeat(sighted.rotation[None], len(frames), axis=0)
        return np.array([rotation_of(tilt, float(r), yaw) for r in roll])
    times = times_of(move.aim)
    # keys of the whole camera turn with their rolls in one; else roll comes on top
    whole = roll is None or [(k.frame, k.ease, k.hold) for k in move.roll_deg] == [
        (k.frame, k.ease, k.hold) for k in move.aim
    ]
    rolls = np.full(len(times), own_roll if roll is None else 0.0)
    if whole and roll is not None:
        rolls = np.array([k.value for k in move.roll_deg])
    out = np.empty((len(frames), 3, 3))
    stays = _on_one_aim(scene, frames, sighted)
    if not stays.all():
        there = looking(np.array(_ways_at_keys(scene, sighted)), rolls)
        turns = scipy.spatial.transform.Rotation.from_matrix(there)
        slerp = scipy.spatial.transform.Slerp(times, turns)
        out[~stays] = slerp(warped(move.aim, frames[~stays])).as_matrix()
    if stays.any():
        rolled = np.full(len(frames), rolls[0]) if roll is None or not whole else roll
        out[stays] = looking(ways(scene, frames[stays], sighted), rolled[stays])
    if not whole and roll is not None:
        out = np.array([rotation_of(0.0, float(r), 0.0) for r in roll]) @ out
    return out


def ways(scene: Scene, frames: Floats, sighted: Camera) -> Floats:
    """(F, 3) from the camera to what is aimed at since the last key, at frames (F,)."""
    keys = scene.move.aim
    which = stretch_of(keys, frames)
    out = np.array([key.at for key in keys], float)[which]
    places = positions(scene.move, frames, sighted)
    followed = np.array([key.proxy is not None for key in keys], bool)[which]
    if followed.any():
        out[followed] = [
            _on_proxy(moment, keys[i])
            for moment, i in zip(moments(scene, frames[followed]), which[followed], strict=True)
        ]
    along = np.array([key.way for key in keys], bool)[which]
    return np.where(along[:, None], out, out - places)


def aims_at_keys(scene: Scene, sighted: Camera) -> list[tuple[float, float, float]]:
    """A place in the world that each key of the aim aims at, on its frame."""
    if not scene.move.aim:
        return []
    frames = times_of(scene.move.aim)
    there = positions(scene.move, frames, sighted) + _ways_at_keys(scene, sighted)
    return [
        key.at if key.proxy is None and not key.way else (float(x), float(y), float(z))
        for key, (x, y, z) in zip(scene.move.aim, there, strict=True)
    ]


def aims_as_before(scene: Scene, kept: AimKey, position: Point3, aim: Point3) -> bool:
    """Whether a camera at a place, aimed at another, is aimed at what a key follows or looks
    along."""
    if kept.way:
        way = np.subtract(aim, position)
        lengths = np.linalg.norm(way) * np.linalg.norm(kept.at)
        return float(np.dot(way, kept.at)) > (1.0 - SAME_AIM) * float(lengths)
    if kept.proxy is None:
        return False
    (moment,) = moments(scene, np.array([float(kept.frame)]))
    off = float(np.linalg.norm(_on_proxy(moment, kept) - aim))
    return off < SAME_AIM * float(np.linalg.norm(np.subtract(aim, position)))


def check_aims(scene: Scene) -> None:
    """Raises Refusal where the camera is at what it is aimed at on a key's frame, an aim has no
    direction, or it follows a proxy that is not there."""
    ids = {p.id for p in scene.proxies}
    for key in scene.move.aim:
        if key.proxy is not None and (key.way or key.proxy not in ids):
            raise Refusal("The aim follows a proxy that is not there.")
        if key.way and np.linalg.norm(key.at) < LEAST_AIM_M:
            raise Refusal("The aim's direction has no length, so it is none.")
    fixed = [key for key in scene.move.aim if key.proxy is None and not key.way]
    if fixed and scene.move.position:
        away = points_at(scene.move.position, times_of(fixed)) - [key.at for key in fixed]
        if np.linalg.norm(away, axis=1).min() < LEAST_AIM_M:
            raise Refusal("The aim lies on the camera itself, so it has no direction. Move one.")


def aims_in_step(before: Scene, after: Scene) -> Scene:
    """The scene with aims at proxies that went aimed at where those were."""
    if after.proxies is before.proxies or not any(k.proxy for k in after.move.aim):
        return after
    there = {p.id for p in after.proxies}
    was = {p.id for p in before.proxies}
    gone = {k.proxy for k in after.move.aim if k.proxy not in there and k.proxy in was}
    if not gone - {None}:
        return after

    def let_go(key: AimKey) -> AimKey:
        if key.proxy is None or key.proxy in there or key.proxy not in was:
            return key
        (moment,) = moments(before, np.array([float(key.frame)]))
        x, y, z = _on_proxy(moment, key).tolist()
        return key.model_copy(update={"proxy": None, "at": (x, y, z)})

    aim = tuple(map(let_go, after.move.aim))
    return after.model_copy(update={"move": after.move.model_copy(update={"aim": aim})})


def looking(way: Floats, roll_deg: Floats) -> Floats:
    """(F, 3, 3) world-to-camera rotations that look along ways (F, 3), rolled by degrees (F,); the
    same as `camera.rotation_of`. A way straight up or down is looked along as if turned to Away."""
    way = way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    tilt = np.arcsin(np.clip(way[:, 1], -1, 1))
    yaw = np.arctan2(way[:, 0], -way[:, 2])
    nought = np.zeros_like(yaw)
    ahead = np.stack(
        [np.sin(yaw) * np.cos(tilt), np.sin(tilt), -np.cos(yaw) * np.cos(tilt)], axis=1
    )
    right = np.stack([np.cos(yaw), nought, np.sin(yaw)], axis=1)
    r = np.radians(roll_deg)[:, None]
    x = np.cos(r) * right + np.sin(r) * np.cross(right, ahead)
    return np.stack([x, np.cross(-ahead, x), -ahead], axis=1)


def _ways_at_keys(scene: Scene, sighted: Camera) -> Floats:
    return ways(scene, times_of(scene.move.aim), sighted)


def _on_proxy(moment: Scene, key: AimKey) -> Floats:
    """(3,) in the world, the place on the proxy that a key follows."""
    proxy = next((p for p in moment.proxies if p.id == key.proxy), None)
    if proxy is None:
        raise Refusal("The aim follows a proxy that is not there.")
    turn, place = proxy.frame()
    out: Floats = turn @ np.array(key.at) + place
    return out


def _turns_little(ahead: Floats) -> bool:
    """Whether no way (F, 3) turns by more than MOST_TURN_DEG to the next one."""
    ahead = ahead / np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-12)
    least = float((ahead[1:] * ahead[:-1]).sum(axis=1).min())
    return least > math.cos(math.radians(MOST_TURN_DEG))


def _on_one_aim(scene: Scene, frames: Floats, sighted: Camera) -> Flags:
    """(F,) at which frames one aim is looked at throughout."""
    keys = scene.move.aim
    times = times_of(keys)
    one = np.array([a.aim == b.aim and not a.hold for a, b in pairwise(keys)])
    for i in np.nonzero(one)[0].tolist():
        # From one sample to the next the camera goes nearly straight past a place, so where it
        # turns little over several frames, it does so from each to the next. A proxy may go round.
        some = np.linspace(times[i], times[i + 1], MOST_SAMPLES).round()
        keyed = np.clip(times_of(scene.move.position), times[i], times[i + 1])
        fixed = keys[i].proxy is None
        one[i] = (
            fixed and _turns_little(ways(scene, np.union1d(some, keyed), sighted))
        ) or _turns_little(ways(scene, np.arange(times[i], times[i + 1] + 1), sighted))
    stretch = np.minimum(stretch_of(keys, frames), max(len(one) - 1, 0))
    within = (frames >= times[0]) & (frames <= times[-1])
    return ~within | (one[stretch] if len(one) else True)
