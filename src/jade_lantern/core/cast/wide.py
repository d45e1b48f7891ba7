"""Lanterns that stand where the shot camera does: at a frame, or behind one and wide enough to see
all that the shot will see."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera, focal_35mm, tilt_roll_yaw
from ..deadline import check_time
from ..mesh import joined
from ..refusal import Refusal
from ..render.land import near_limit
from ..render.see import see
from ..scene.edits import AddLantern, AlterLantern, Edit
from ..scene.gesture import Gesture
from ..scene.model import LanternView, Scene
from ..scene.shot import shot_camera, shot_cameras
from ..sight.measure import required_camera
from ..value import Id, Length, Name

LOOKED_AT = 160  # px, the width of the visibility buffers that visible points are taken from
MOST_FRAMES = 17
ROOM = 1.03  # margin factor around the visible points
BACK = 0.15  # distance behind the shot's camera, relative to the median depth
LEAST = 16  # px a side
LARGEST = 8192  # px, the longer side of a wide lantern's plate
WIDEST = 6.0  # tangent of half the widest angle of view


class AddWide(Gesture):
    """Add a lantern that stands behind the shot camera's place at a frame, looks as it does, and
    whose canvas holds all that the shot sees. back_m: how far behind."""

    verb: Literal["AddWide"] = "AddWide"
    frame: Annotated[int, Field(ge=0, le=100_000)] = 0
    name: Name = "wide"
    back_m: Length | None = None

    def edit(self, scene: Scene) -> Edit:
        sighted = required_camera(scene)
        seen = seen_places(scene)
        from_ = shot_camera(scene, float(min(self.frame, scene.move.frames - 1)), sighted)
        depth = (seen - from_.position) @ from_.forward
        ahead = depth[depth > 0]
        if not len(ahead):
            raise Refusal("From this frame nothing lies ahead that the shot sees.")
        back = self.back_m or BACK * float(np.median(ahead))
        return AddLantern(name=self.name, view=view_of(from_, sighted, seen, back))


class PlaceLantern(Gesture):
    """Throw a lantern from where the shot camera is at a frame, through its lens; its plate is what
    that frame shows. It throws nothing until it has a plate of its own."""

    verb: Literal["PlaceLantern"] = "PlaceLantern"
    lantern: Id
    frame: Annotated[int, Field(ge=0, le=100_000)]

    def edit(self, scene: Scene) -> Edit:
        from_ = shot_camera(
            scene, float(min(self.frame, scene.move.frames - 1)), required_camera(scene)
        )
        width, height = scene.plate.width, scene.plate.height
        tilt, roll, yaw = tilt_roll_yaw(from_.rotation)
        x, y, z = from_.position.tolist()
        view = LanternView(
            position=(x, y, z), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw, width=width,
            height=height, focal_mm=focal_35mm(from_.focal_px * width / from_.width, width, height),
        )  # fmt: skip
        return AlterLantern.model_validate({"lantern": self.lantern, "to": {"view": view}})


def seen_places(scene: Scene) -> Floats:
    """(N, 3) world points that the shot sees, sampled over its frames. Raises Refusal where it sees
    nothing."""
    sighted = required_camera(scene)
    meshes = joined([p.mesh(sighted) for p in scene.proxies if not p.hidden])
    last = scene.move.frames - 1
    numbers = np.unique(np.round(np.linspace(0, last, min(MOST_FRAMES, last + 1))))
    out = []
    for camera in shot_cameras(scene, numbers, sighted):
        check_time()
        shot = camera.at_width(LOOKED_AT)
        seen = see(meshes, shot, near_limit([sighted]))
        rows, columns = np.nonzero(seen.surface >= 0)
        if not len(rows):
            continue
        at = np.stack([columns + 0.5, rows + 0.5], axis=1)
        inverse = seen.inverse_depth_at(seen.surface[rows, columns].astype(np.int64), at)
        out.append(shot.position + shot.rays(at) / inverse[:, None])
    if not out:
        raise Refusal("The shot sees nothing that a picture could land on.")
    return np.concatenate(out)


def view_of(from_: Camera, sighted: Camera, seen: Floats, back_m: float) -> LanternView:
    """The view of a lantern, back_m behind a camera, that contains all points (N, 3). Raises
    Refusal where that takes too wide an angle."""
    position = from_.position - from_.forward * back_m
    own = (seen - position) @ from_.rotation.T
    ahead = own[:, 2] < -1e-6
    x, y = (np.abs(own[ahead, k] / -own[ahead, 2]).max() * ROOM for k in (0, 1))
    if not ahead.all() or max(x, y) > WIDEST:
        raise Refusal(
            "The shot turns too far for one lantern to see it all. Add one for a later frame too, "
            "or pull it further back."
        )
    # the plate's own resolution, unless the picture becomes too large
    focal = sighted.focal_px
    focal *= min(1.0, LARGEST / (2 * focal * max(x, y)))
    width, height = round(2 * focal * x), round(2 * focal * y)
    if min(width, height) < LEAST:
        raise Refusal("So far behind, all that the shot sees is a dot. Add it nearer.")
    tilt, roll, yaw = tilt_roll_yaw(from_.rotation)
    px, py, pz = position.tolist()
    return LanternView(
        position=(px, py, pz), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw,
        focal_mm=focal_35mm(focal, width, height), width=width, height=height,
    )  # fmt: skip
