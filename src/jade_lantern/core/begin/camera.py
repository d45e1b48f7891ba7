"""A camera from a file as the sighted one, and as the shot's."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..block.blocking import brought
from ..camera import Camera, focal_35mm, tilt_roll_yaw
from ..cast.inside import going_inside
from ..outside.camera_paths import KINDS, CameraPath, read_camera_paths
from ..outside.process import read_apart
from ..proxy import Solid
from ..refusal import Refusal
from ..scene.edits import AddProxies, BringCamera, Edit
from ..scene.model import CameraPass, Given, PassFrame, Scene
from ..scene.moment import pictures_at
from ..scene.plate import Plate
from ..scene.timed import MOST_KEYS, Move
from ..sight.measure import required_camera
from ..track import AimKey, PointKey, TrackKey
from ..value import FARTHEST, Length, Value, name_of
from .ground import Ground, GroundPicks
from .world import World

MOST_BYTES = 300 << 20
MOST_UNITS = 1e9  # of a file, from its zero
SAME_ASPECT = 0.01  # share by which a camera's frame may be another shape than the plate
SAME_FOCAL = 0.02  # and its focal length another than what is sighted


class CameraAsked(Value):
    """How a file's camera is taken. camera: its name there; the first one where it is left out.
    place: where its own numbers say; so that at the reference frame it is the camera that is
    sighted; or so that what is picked lies on the ground. frame: of the file, counted from 0, that
    the still is: the reference. size: metres for each of the file's own, where it was made at
    another size. eye_height_m: lifts all so that the camera is so high at that frame; of what is
    picked it gives the size, where picks do not."""

    camera: str | None = None
    place: Literal["own", "sighted", "picked"] = "own"
    frame: Annotated[int, Field(ge=0, le=100_000)] = 0
    eye_height_m: Length | None = None
    size: Annotated[float, Field(gt=1e-6, lt=1e6)] = 1.0
    picks: GroundPicks | None = None


class CameraCome(NamedTuple):
    """The edit that takes a camera in; what is odd about it, in words; and what took its world to
    the scene's."""

    edit: Edit
    said: list[str]
    world: World


def camera_paths_in(data: bytes, name: str) -> list[CameraPath]:
    """The cameras of a file, read in a process of its own. name: by whose ending it is read. Raises
    Refusal."""
    kind = Path(name).suffix.lower().lstrip(".")
    name = name_of(name, "file")
    if kind not in KINDS:
        raise Refusal(f"{name} is not a GLB, USD or JSON, so no camera was taken from it.")
    if len(data) > MOST_BYTES:
        raise Refusal(f"{name} is larger than {MOST_BYTES >> 20} MB. Save its camera by itself.")
    return read_apart(read_camera_paths, data, kind, name)


def camera_come(paths: list[CameraPath], asked: CameraAsked, scene: Scene) -> CameraCome:
    """The edit that takes one of a file's cameras in. Raises Refusal where it cannot be a camera
    here, in words."""
    path = chosen(paths, asked.camera)
    count = len(path.places)
    if asked.frame >= count:
        raise Refusal(
            f"{path.name} has {count:,} frames, so there is none of number {asked.frame}."
        )
    if count > MOST_KEYS:
        raise Refusal(
            f"{path.name} has {count:,} frames, and {MOST_KEYS:,} can be brought in at once. Save "
            "the part of it that is used."
        )
    plate = scene.plate
    said: list[str] = []
    focals = _focals_px(path, plate, said)
    if abs(path.middle[0] - 0.5) > 1.0 or abs(path.middle[1] - 0.5) > 1.0:
        raise Refusal(f"{path.name} looks past its own frame: its lens is shifted by too much.")
    mm = focal_35mm(1.0, plate.width, plate.height) * focals
    if (mm < 2).any() or (mm > 2000).any():
        raise Refusal(
            f"{path.name} has a focal length of {mm.min():.3g} to {mm.max():.3g} mm in 35 mm "
            "terms, which no lens has. Look at the size of its film in the program that saved it."
        )
    world = _world(path, asked, scene, focals, said)
    places, turns = world.moved(path.places), world.turned(path.turns)
    if abs(places).max() > FARTHEST:
        raise Refusal(
            f"{path.name} is {abs(places).max():.3g} m from the zero of its file, which is too "
            "far. Say what size one metre of it is, or move it nearer there."
        )
    rate = None if path.rate is None else min(max(path.rate, 1.0), 240.0)
    if plate.playing is not None and count > 1 and plate.playing.count != count:
        said.append(
            f"The camera has {count:,} frames and {plate.name} {plate.playing.count:,} pictures."
        )
    begun = scene.move
    if path.begins is not None and plate.playing is None:  # footage has its own numbers
        begun = begun.model_copy(update={"first": path.begins})
    given = None
    if asked.place == "sighted":
        sighted = required_camera(scene)
        if count == 1:
            raise Refusal(f"{path.name} does not move, so there is nothing to add to the sighting.")
        if abs(focals[asked.frame] / sighted.focal_px - 1) > SAME_FOCAL:
            said.append(
                f"Its focal length is {focals[asked.frame]:,.0f} px, and what is sighted "
                f"{sighted.focal_px:,.0f} px: one of the two is off."
            )
        mm = mm * (sighted.focal_px / focals[asked.frame])
    else:
        eye = float(places[asked.frame, 1])
        if eye <= 0.01:
            raise Refusal(
                f"{path.name} is {eye:.2f} m high, and nothing can be stood on a ground that it is "
                "not above. Give the eye height that it has at this frame, and all is lifted."
            )
        if eye > 1000:
            said.append(f"It is {eye:,.0f} m above the ground: is its file in metres?")
        axes = turns[asked.frame]
        given = Given(
            name=path.name[:80] or "camera", position=_point(places[asked.frame]),
            axes=(_point(axes[0]), _point(axes[1]), _point(axes[2])),
            focal_px=float(focals[asked.frame]), centre=_centre(path, plate),
        )  # fmt: skip
    if count == 1:
        return CameraCome(BringCamera(camera=given), said, world)
    edit = BringCamera(
        camera=given, move=_move(begun, rate, places, turns, mm),
        passed=_passed(path.name, asked.frame, places, turns, mm),
    )  # fmt: skip
    return CameraCome(edit, said, world)


def _world(
    path: CameraPath, asked: CameraAsked, scene: Scene, focals: Floats, said: list[str]
) -> World:  # fmt: skip
    """What takes a camera's own world to the scene's. focals: (F,) px of the plate."""
    place, turn = path.places[asked.frame], path.turns[asked.frame]
    if asked.place == "sighted":
        sighted = required_camera(scene)
        by = sighted.rotation.T @ turn
        return World(asked.size, by, sighted.position - asked.size * (by @ place))
    if asked.place == "picked":
        if asked.picks is None:
            raise Refusal("No places on the ground are picked, so there is nothing to place it by.")
        one, other = _took(path, asked.picks, scene, focals)
        ground = Ground(asked.picks, one, other)
        apart, size = ground.apart(), asked.size
        if asked.picks.apart_m is not None:
            size = asked.picks.apart_m / apart
        elif asked.eye_height_m is not None:
            above = ground.above(place)
            if above < 1e-9 * apart:
                raise Refusal(
                    f"At its frame {asked.frame} {path.name} is not above this ground. Give what "
                    "it is from place 1 to 2."
                )
            size = asked.eye_height_m / above
        said.append(
            f"Its ground is known to ± {ground.open_deg:.2g}°; the places are {ground.off_px:.1f} "
            f"px from where they were picked. One of its metres is {size:.4g} m."
        )
        return ground.world(size)
    lift = 0.0
    if asked.eye_height_m is not None:
        lift = asked.eye_height_m - asked.size * float(place[1])
    return World(asked.size, np.eye(3), np.array([0.0, lift, 0.0]))


def _took(
    path: CameraPath, picks: GroundPicks, scene: Scene, focals: Floats
) -> tuple[Camera, Camera]:
    """The cameras that took two pictures of the plate, in their own world."""
    plate = scene.plate
    if plate.playing is None:
        raise Refusal(f"{plate.name} is one picture. Places on the ground are picked in two.")
    if abs(path.places).max() > MOST_UNITS:
        raise Refusal(
            f"{path.name} is too far from the zero of its file to be placed by its ground."
        )
    fps = scene.move.fps if path.rate is None else path.rate
    numbers = np.arange(len(path.places), dtype=float)
    shown = pictures_at(plate.playing, numbers, fps)
    shown[numbers < plate.playing.offset] = -1  # its first one waits there
    found = []
    for picture in picks.pictures:
        frames = np.flatnonzero(shown == picture)
        if not len(frames):
            raise Refusal(
                f"Picture {picture} of {plate.name} is shown at no frame that {path.name} has."
            )
        k = frames[0]
        found.append(Camera(
            plate.width, plate.height, float(focals[k]), path.turns[k], path.places[k],
            *_centre(path, plate),
        ))  # fmt: skip
    return found[0], found[1]


def _centre(path: CameraPath, plate: Plate) -> tuple[float, float]:
    """Its principal point, px of the plate."""
    return path.middle[0] * plate.width, path.middle[1] * plate.height


def meshes_come(data: bytes, name: str, scene: Scene, come: CameraCome) -> AddProxies:
    """The edit that brings the meshes of a camera's file in as proxies, where its camera has been
    taken, and placed like that. scene: with the camera. Raises Refusal."""
    edit = brought(data, name, scene, size=come.world.scale)
    solids = (p for p in edit.proxies if isinstance(p, Solid))
    return edit.model_copy(update={"proxies": tuple(come.world.carried(p) for p in solids)})


def said_inside(scene: Scene) -> list[str]:
    """Where the camera of a scene that was brought in is inside what stands, in words."""
    if scene.sighting.given is None and scene.passed is None:
        return []
    sighted = required_camera(scene)
    frames = [] if scene.passed is None else [f.position for f in scene.passed.frames]
    places = np.array(frames or [sighted.position.tolist()], float)
    out = []
    for name, inside in going_inside(scene, sighted, places):
        first, last = (scene.move.first + inside[k] for k in (0, -1))
        at = f"from frame {first} to {last}" if first < last else f"at frame {first}"
        when = "" if len(places) == 1 else f" {at}"
        out.append(f"It is inside {name}{when}, and sees only its inside. Move or hide that.")
    return out


def chosen(paths: list[CameraPath], name: str | None) -> CameraPath:
    """The camera of a name; without one the first that moves, or the first."""
    if name is not None:
        for path in paths:
            if path.name == name:
                return path
        there = ", ".join(path.name for path in paths[:8])
        raise Refusal(f"There is no camera {name} in this file. There are {there}.")
    return next((path for path in paths if len(path.places) > 1), paths[0])


def _focals_px(path: CameraPath, plate: Plate, said: list[str]) -> Floats:
    """(F,) focal lengths in pixels of the plate."""
    aspect = plate.width / plate.height
    if path.aspect is None or abs(path.aspect / aspect - 1) <= SAME_ASPECT:
        return path.focals * plate.height
    said.append(
        f"Its frame is {path.aspect:.4g} : 1 and the picture {aspect:.4g} : 1; what it sees from "
        "left to right was kept."
    )
    return path.focals / path.aspect * plate.width


def _move(move: Move, rate: float | None, places: Floats, turns: Floats, mm: Floats) -> Move:
    """The shot that goes as a camera does: a key on each frame, and nothing between them is eased.
    What stays the same all along has one."""
    frames = range(len(places))
    rolls = [tilt_roll_yaw(turn)[1] for turn in turns]
    still = np.ptp(mm) <= 1e-9 * mm[0]
    return move.model_copy(
        update={
            "position": tuple(PointKey(frame=k, at=_point(places[k]), ease="none") for k in frames),
            "aim": tuple(
                AimKey(frame=k, at=_point(-turns[k, 2]), way=True, ease="none") for k in frames
            ),
            "roll_deg": tuple(TrackKey(frame=k, value=rolls[k], ease="none") for k in frames),
            "focal_mm": tuple(
                TrackKey(frame=k, value=float(mm[k]), ease="none")
                for k in ([0] if still else frames)
            ),
            "fps": move.fps if rate is None else rate,
            "frames": len(places),
            "amount": 1.0,
        }
    )  # fmt: skip


def _passed(
    name: str, reference: int, places: Floats, turns: Floats, mm: Floats
) -> CameraPass:  # fmt: skip
    frames = tuple(
        PassFrame(position=_point(p), axes=(_point(t[0]), _point(t[1]), _point(t[2])), focal_mm=f)
        for p, t, f in zip(places, turns, mm.tolist(), strict=True)
    )
    return CameraPass(name=name[:80] or "camera", frames=frames, reference=reference)


def _point(p: Floats) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])
