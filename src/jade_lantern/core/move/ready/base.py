"""What every ready move has in common. A ready move is one file beside this one: what it asks for,
and where the camera is when it is so far done."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from ...arrays import Floats
from ...block.under import under
from ...camera import NEAREST, Camera, focal_35mm, world_size
from ...pick import Pick
from ...refusal import Refusal
from ...scene.edits import Edit, PutShot
from ...scene.gesture import Gesture
from ...scene.model import Scene
from ...scene.shot import key_from, shot_path
from ...scene.timed import Key, ShotPart, tracks_of
from ...sight.measure import required_camera
from ...track import PointKey, TrackKey
from ..steer import aim_distance

CHECKED_FRAMES = 240
MOST_READY_KEYS = 60
SHARE = 0.3  # of the largest part of an error, from which on a part of the camera gets a key for it
Tracks = Mapping[ShotPart, tuple[PointKey | TrackKey, ...]]


class ReadyMove(Gesture):
    """A whole shot from one word, from the sighted camera on and over the whole shot. What it makes
    are plain keys."""

    called: ClassVar[str]
    # of the picture, by which the keyed path may differ from the wanted one
    tolerance_px: ClassVar[float] = 0.5

    def cameras(self, scene: Scene, sighted: Camera, done: Floats) -> list[Camera]:
        """Where the camera is when so much (F,) of the move is done, 0 to 1."""
        raise NotImplementedError

    def said(self) -> str:
        """What the history calls it."""
        raise NotImplementedError

    def edit(self, scene: Scene) -> Edit:
        if scene.move.frames < 2:
            raise Refusal(f"A {self.called} needs at least two frames. Make the shot longer first.")
        tracks = self.tracks(scene, required_camera(scene))
        return PutShot(called=self.said()).model_copy(
            update={str(n): keys for n, keys in tracks.items()}
        )

    def depth(self, scene: Scene, sighted: Camera) -> float:
        """How far ahead what is looked at lies, metres."""
        return nearest_depth(scene, sighted)

    def tracks(self, scene: Scene, sighted: Camera) -> Tracks:
        """The shot's keys."""
        return fitted(self, scene, sighted)


def fitted(move: ReadyMove, scene: Scene, sighted: Camera) -> Tracks:
    """Keys at a move's ends, and more of those parts of the camera, and at those frames, without
    which what lies at the move's depth would be seen farther off than its tolerance."""
    depth = move.depth(scene, sighted)
    last = scene.move.frames - 1
    frames = np.unique(np.round(np.linspace(0, last, min(CHECKED_FRAMES, last + 1))))
    t = frames / last
    wanted = move.cameras(scene, sighted, t * t * (3.0 - 2.0 * t))
    every = tracks_of(
        tuple(
            key_at(camera, int(f), sighted, end=f in (0, last))
            for f, camera in zip(frames, wanted, strict=True)
        )
    )
    at = {name: [0, len(frames) - 1] for name in every}
    while True:
        tracks = {name: tuple(every[name][i] for i in mine) for name, mine in at.items()}
        new: dict[str, object] = {"amount": 1.0, **{str(n): k for n, k in tracks.items()}}
        made = scene.move.model_copy(update=new)
        path = shot_path(scene.model_copy(update={"move": made}), frames, sighted)
        off = apart_px(path, wanted, depth)
        worst = int(np.argmax(off))
        if off[worst] <= move.tolerance_px or len(at["position"]) >= MOST_READY_KEYS:
            return tracks
        shares = _shares(wanted[worst], (path[0][worst], path[1][worst], path[2][worst]), depth)
        wanting = [n for n, px in shares.items() if px >= SHARE * max(shares.values())]
        if all(worst in at[name] for name in wanting):
            return tracks
        for name in wanting:
            at[name] = sorted({*at[name], worst})


def _shares(
    wanted: Camera, made: tuple[Floats, Floats, float], depth: float
) -> dict[ShotPart, float]:
    """About how far, px, what stands at a depth is seen off for each part of a camera that is not
    as wanted; roll goes with what is aimed at. made: its place, rotation and focal length."""
    place, turn, focal = made
    px = wanted.focal_px
    aside = float(np.linalg.norm(place - wanted.position)) / depth * px
    turned = float(np.abs(turn - wanted.rotation).max()) * px
    longer = abs(float(focal) - px) / px * wanted.width / 2
    return {"position": aside, "aim": turned, "roll_deg": turned, "focal_mm": longer}


def apart_px(path: tuple[Floats, Floats, Floats], wanted: Sequence[Camera], depth: float) -> Floats:
    """(F,) how far apart, px, a path and cameras see the corners of what stands at a depth."""
    w, h = wanted[0].width, wanted[0].height
    corners = np.array([[0.0, 0.0], [w, 0.0], [0.0, h], [w, h]])
    out = []
    for place, turn, focal, camera in zip(*path, wanted, strict=True):
        points = camera.position + camera.rays(corners) * depth
        seen = Camera(w, h, float(focal), turn, place, camera.cx, camera.cy).project(points)[0]
        out.append(float(np.abs(seen - corners).max()))
    return np.array(out)


def picked_place(scene: Scene, sighted: Camera, pick: Pick | None) -> Floats | None:
    """(3,) the place that was picked in the picture; None where none was. Raises Refusal where
    nothing is there."""
    if pick is None:
        return None
    found = under(scene, sighted, pick)
    if found is None:
        raise Refusal("Nothing stands where was picked. Pick a place on the ground or on a proxy.")
    return found.point


def subject_depth(scene: Scene, sighted: Camera, pick: Pick | None) -> float:
    """How far ahead, metres, what was picked is; what is nearest in the middle where nothing
    was."""
    place = picked_place(scene, sighted, pick)
    if place is None:
        return nearest_depth(scene, sighted)
    depth = float((place - sighted.position) @ sighted.forward)
    if depth < NEAREST * world_size(sighted):
        raise Refusal("What was picked lies behind the lens.")
    return depth


def nearest_depth(scene: Scene, camera: Camera) -> float:
    """The nearest proxy's depth in the middle of the view, at least two eye heights."""
    depths = []
    for proxy in scene.proxies:
        if proxy.hidden:
            continue
        pixels, depth = camera.project(proxy.mesh(camera).points)
        ahead = depth > NEAREST * world_size(camera)
        centre = np.abs(pixels[ahead, 0] / camera.width - 0.5) < 0.5
        depths += depth[ahead][centre].tolist()
    least = 2.0 * world_size(camera)
    return max(min(depths, default=3 * least), least)


def level(way: Floats) -> Floats:
    """A direction (3,) along the ground, of length one."""
    flat = way * [1.0, 0.0, 1.0]
    return np.asarray(flat / max(float(np.linalg.norm(flat)), 1e-9), float)


def key_at(camera: Camera, frame: int, sighted: Camera, end: bool) -> Key:
    """A key that a camera is at; end: where the move begins or ends, and is eased."""
    mm = focal_35mm(camera.focal_px, camera.width, camera.height)
    key = key_from(camera, frame, aim_distance(sighted), mm)
    return key if end else key.model_copy(update={"ease": "none"})
