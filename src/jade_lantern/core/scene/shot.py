"""Where the shot camera is at each frame, from its keys."""

from __future__ import annotations

import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Floats
from ..camera import Camera, focal_35mm, focal_px_from_35mm, tilt_roll_yaw, world_size
from ..refusal import Refusal
from ..track import times_of, warped
from .aim import aims_at_keys, attitudes, positions
from .model import Scene
from .timed import Key, Move

LEAST_FOCAL_PX = 1.0

Path = tuple[Floats, Floats, Floats]  # see `shot_path`


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
    return _cameras(shot_path(scene, frames, sighted), sighted)


def _cameras(path: Path, sighted: Camera) -> list[Camera]:
    places, turns, focals = path
    w, h = sighted.width, sighted.height
    return [
        Camera(w, h, float(f), r, p, sighted.cx, sighted.cy)
        for f, r, p in zip(focals, turns, places, strict=True)
    ]


def shot_path(scene: Scene, frames: Floats, sighted: Camera) -> Path:
    """(F, 3) places, (F, 3, 3) world-to-camera rotations and (F,) focal lengths in pixels of the
    shot camera at frames (F,).

    Position runs along a cubic through its keys that never leaves the span between two of them, so
    that it holds where two are equal (Fritsch & Butland 1984). The log of the focal length runs
    straight between keys. Of the direction see `aim.attitudes`. An ease makes the speed zero at its
    end of a stretch.
    """
    return as_driven(scene.move, sighted, keyed_path(scene, frames, sighted))


def as_driven(move: Move, sighted: Camera, path: Path) -> Path:
    """A path as its keys say, made by the move's amount."""
    if move.amount != 1.0 and move.keyed:
        return driven(sighted, move.amount, *path)
    return path


def driven(sighted: Camera, amount: float, places: Floats, turns: Floats, focals: Floats) -> Path:
    """A path (see `shot_path`) made by an amount: how far each camera is from the sighted one, in
    place and in focal length along a straight line, in direction along the shortest turn, times
    that amount."""
    rotation = scipy.spatial.transform.Rotation
    by = rotation.from_matrix(turns @ sighted.rotation.T).as_rotvec() * amount
    return (
        sighted.position + amount * (places - sighted.position),
        np.asarray(rotation.from_rotvec(by).as_matrix() @ sighted.rotation, float),
        np.maximum(sighted.focal_px + amount * (focals - sighted.focal_px), LEAST_FOCAL_PX),
    )


def keyed_path(scene: Scene, frames: Floats, sighted: Camera) -> Path:
    """The path as its keys say, whatever the move's amount (see `shot_path`)."""
    move = scene.move
    focals = np.full(len(frames), sighted.focal_px)
    if move.focal_mm:
        logs = np.log([k.value for k in move.focal_mm])
        mm = np.exp(np.interp(warped(move.focal_mm, frames), times_of(move.focal_mm), logs))
        focals = mm * focal_px_from_35mm(1.0, sighted.width, sighted.height)
    return positions(move, frames, sighted), attitudes(scene, frames, sighted), focals


def key_frames(move: Move) -> Floats:
    """(K,) frames at which any part of the shot camera has a key, in their order."""
    tracks = (move.position, move.aim, move.focal_mm, move.roll_deg)
    return np.array(sorted({key.frame for track in tracks for key in track}), float)


def shot_keys(scene: Scene, sighted: Camera, path: Path | None = None) -> list[Key]:
    """The shot camera as its keys say, whatever the move's amount, at each frame at which any part
    of it has one. path: what `keyed_path` has at those frames, where that is known."""
    move = scene.move
    frames = key_frames(move)
    if not len(frames):
        return []
    tracks = (move.position, move.aim, move.focal_mm, move.roll_deg)
    eases = {key.frame: key.ease for track in reversed(tracks) for key in track}
    aims = dict(zip((k.frame for k in move.aim), aims_at_keys(scene, sighted), strict=True))
    rolls = {key.frame: key.value for key in move.roll_deg}
    focals = {key.frame: key.value for key in move.focal_mm}
    out = []
    path = path or keyed_path(scene, frames, sighted)
    for camera, frame in zip(_cameras(path, sighted), sorted(eases), strict=True):
        mm = focals.get(frame, focal_35mm(camera.focal_px, camera.width, camera.height))
        own = key_from(camera, frame, 4.0 * world_size(sighted), mm)
        new = {"ease": eases[frame], "aim": aims.get(frame, own.aim)}
        out.append(own.model_copy(update={**new, "roll_deg": rolls.get(frame, own.roll_deg)}))
    return out


def check_shot(move: Move) -> None:
    """Raises Refusal where a key of the shot is past its end, or two stand on one frame."""
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


def _point(p: Floats) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])
