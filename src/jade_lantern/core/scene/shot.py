"""Where the shot camera is at each frame, from its keys."""

from __future__ import annotations

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Floats
from ..camera import (
    Camera,
    focal_35mm,
    focal_px_from_35mm,
    rotation_of,
    tilt_roll_yaw,
    world_size,
)
from ..refusal import Refusal
from ..track import points_at, times_of, values_at, warped
from .model import Key, Move, Scene

LEAST_AIM_M = 1e-6  # nearer than this to the camera an aim has no direction


def key_from(camera: Camera, frame: int, aim_distance_m: float, focal_mm: float) -> Key:
    """The key that puts the shot camera exactly where another camera is."""
    aim = camera.position + camera.forward * aim_distance_m
    _, roll, _ = tilt_roll_yaw(camera.rotation)
    return Key(
        frame=frame,
        position=_point(camera.position),
        aim=_point(aim),
        focal_mm=focal_mm,
        roll_deg=roll,
    )


def shot_camera(scene: Scene, frame: float, sighted: Camera) -> Camera:
    """The shot camera at a frame, of the plate's size. Without keys it is the sighted camera."""
    return shot_cameras(scene, np.array([frame], float), sighted)[0]


def shot_cameras(scene: Scene, frames: Floats, sighted: Camera) -> list[Camera]:
    """The shot camera at each of some frames (see `shot_path`)."""
    if not scene.move.keyed:
        return [sighted for _ in frames]
    places, attitudes, focals = shot_path(scene, frames, sighted)
    w, h = sighted.width, sighted.height
    return [
        Camera(w, h, float(f), r, p, sighted.cx, sighted.cy)
        for f, r, p in zip(focals, attitudes, places, strict=True)
    ]


def shot_path(scene: Scene, frames: Floats, sighted: Camera) -> tuple[Floats, Floats, Floats]:
    """(F, 3) places, (F, 3, 3) world-to-camera rotations and (F,) focal lengths in pixels of the
    shot camera at frames (F,).

    Position runs along a cubic through its keys that never leaves the span between two of them, so
    that it holds where two are equal (Fritsch & Butland 1984). The log of the focal length runs
    straight between keys. The direction turns from what is aimed at at one key to what is at the
    next, so that a camera that passes its aim does not flip over. An ease makes the speed zero at
    its end of a stretch.
    """
    move = scene.move
    focals = np.full(len(frames), sighted.focal_px)
    if move.focal_mm:
        logs = np.log([k.value for k in move.focal_mm])
        mm = np.exp(np.interp(warped(move.focal_mm, frames), times_of(move.focal_mm), logs))
        focals = mm * focal_px_from_35mm(1.0, sighted.width, sighted.height)
    return _positions(move, frames, sighted), _attitudes(move, frames, sighted), focals


def shot_keys(scene: Scene, sighted: Camera) -> list[Key]:
    """The shot camera at each frame at which any part of it has a key."""
    move = scene.move
    tracks = (move.position, move.aim, move.focal_mm, move.roll_deg)
    eases = {key.frame: key.ease for track in reversed(tracks) for key in track}
    frames = np.array(sorted(eases), float)
    if not len(frames):
        return []
    aims = {key.frame: key.at for key in move.aim}
    rolls = {key.frame: key.value for key in move.roll_deg}
    focals = {key.frame: key.value for key in move.focal_mm}
    out = []
    for camera, frame in zip(shot_cameras(scene, frames, sighted), sorted(eases), strict=True):
        mm = focals.get(frame, focal_35mm(camera.focal_px, camera.width, camera.height))
        own = key_from(camera, frame, 4.0 * world_size(sighted), mm)
        new = {"ease": eases[frame], "aim": aims.get(frame, own.aim)}
        out.append(own.model_copy(update={**new, "roll_deg": rolls.get(frame, own.roll_deg)}))
    return out


def check_shot(move: Move) -> None:
    """Raises Refusal where a key of the shot is past its end, two stand on one frame, or the camera
    is at what it is aimed at."""
    for track in (move.position, move.aim, move.focal_mm, move.roll_deg):
        at = [key.frame for key in track]
        if at and at[-1] > move.frames - 1:
            raise Refusal(
                f"Frame {at[-1]} is past the end: the shot's last frame is {move.frames - 1}. "
                "Make the shot longer first."
            )
        if at != sorted(set(at)):
            raise Refusal("Two keys stand on one frame, or they are not in order.")
    if any(not 2 <= key.value <= 2000 for key in move.focal_mm):
        raise Refusal("A focal length goes from 2 to 2,000 mm, in 35 mm terms.")
    if move.aim and move.position:
        places = points_at(move.position, times_of(move.aim))
        away = np.linalg.norm(places - [key.at for key in move.aim], axis=1)
        if away.min() < LEAST_AIM_M:
            raise Refusal("The aim lies on the camera itself, so it has no direction. Move one.")


def _positions(move: Move, frames: Floats, sighted: Camera) -> Floats:
    if not move.position:
        return np.tile(sighted.position, (len(frames), 1))
    return points_at(move.position, frames)


def _attitudes(move: Move, frames: Floats, sighted: Camera) -> Floats:
    """(F, 3, 3) world-to-camera rotations."""
    tilt, own_roll, yaw = tilt_roll_yaw(sighted.rotation)
    roll = values_at(move.roll_deg, frames, turn=True) if move.roll_deg else None
    if not move.aim:
        if roll is None:
            return np.repeat(sighted.rotation[None], len(frames), axis=0)
        return np.array([rotation_of(tilt, float(r), yaw) for r in roll])
    times = times_of(move.aim)
    aims = np.array([key.at for key in move.aim])
    ways = aims - _positions(move, times, sighted)
    # keys of the whole camera turn with their rolls in one; else roll comes on top
    whole = roll is None or [(k.frame, k.ease, k.hold) for k in move.roll_deg] == [
        (k.frame, k.ease, k.hold) for k in move.aim
    ]
    rolls = np.full(len(times), own_roll if roll is None else 0.0)
    if whole and roll is not None:
        rolls = np.array([k.value for k in move.roll_deg])
    there = np.array([_looking(way, float(r)) for way, r in zip(ways, rolls, strict=True)])
    if len(there) == 1:
        out = np.repeat(there, len(frames), axis=0)
    else:
        turns = scipy.spatial.transform.Rotation.from_matrix(there)
        out = scipy.spatial.transform.Slerp(times, turns)(warped(move.aim, frames)).as_matrix()
    if not whole and roll is not None:
        out = np.array([rotation_of(0.0, float(r), 0.0) for r in roll]) @ out
    return np.asarray(out, float)


def _looking(way: Floats, roll_deg: float) -> Floats:
    """(3, 3) world-to-camera rotation that looks along a way, rolled."""
    way = way / max(float(np.linalg.norm(way)), 1e-12)
    tilt = np.degrees(np.arcsin(np.clip(way[1], -1, 1)))
    yaw = np.degrees(np.arctan2(way[0], -way[2]))
    return rotation_of(float(tilt), roll_deg, float(yaw))


def _point(p: Floats) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])
