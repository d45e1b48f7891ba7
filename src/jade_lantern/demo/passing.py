"""The Lantern Quay on film: a short pass along it, of which the camera is known frame by frame,
while somebody with a lantern goes by."""

from __future__ import annotations

import os
from pathlib import Path

import cv2
import numpy as np

from ..core.arrays import Bytes, Floats
from ..core.begin.camera import CameraAsked, camera_come
from ..core.block.gestures import Hang
from ..core.camera import Camera, rotation_of
from ..core.cast.gather import Gather
from ..core.cast.wide import AddWide
from ..core.change import changed
from ..core.deliver.movie import Movie
from ..core.move.ready import Arc
from ..core.outside.camera_paths import CameraPath
from ..core.proxy import Backdrop
from ..core.scene.edits import AddProxies, AlterLantern, CastOn, Edit
from ..core.scene.gesture import Gesture, PictureGesture
from ..core.scene.model import STILL_LANTERN, CastRow, Scene
from ..core.scene.pictures import Pictures
from .picture import paint_picture
from .project import DATUM
from .world import lens, quay

WIDTH, HEIGHT, FPS = 504, 336, 24.0
PICTURES = 48
HELD = 24  # the frame that is the still, and that the lantern is held at
FILE_NAME = "lantern-quay-pass.mp4"
CLOAK, HOOD, FLAME, GLOW = (26, 27, 40), (34, 32, 46), (255, 236, 170), (255, 178, 84)


def camera_at(number: int) -> Camera:
    """Where the camera is at a frame, in the painter's own world, whose zero is the still's foot:
    it trucks along the quay, rises a little and turns."""
    s = number / (PICTURES - 1)
    smooth = 3 * s**2 - 2 * s**3
    still = lens(WIDTH, HEIGHT)
    return Camera.centred(
        WIDTH, HEIGHT, still.focal_px, rotation_of(-1.0 - smooth, 0.4, 2.0 + 10 * smooth),
        np.array([1.0 - 2.0 * smooth, 1.5 + 0.2 * smooth, 0.6 - 0.9 * smooth]),
    )  # fmt: skip


def movie(folder: Path) -> Path:
    """The pass as an MP4 in a folder; painted where it is not there yet, which takes minutes."""
    path = folder / FILE_NAME
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(f".{os.getpid()}.part")
        shapes = quay()
        with Movie(part, WIDTH, HEIGHT, FPS) as out:
            for number in range(PICTURES):
                camera = camera_at(number)
                picture, _, _ = paint_picture(shapes, camera)
                shown = with_who_passes(picture, camera, number)
                out.add(np.dstack([shown, np.full(shown.shape[:2], 255, np.uint8)]))
        part.replace(path)
    return path


def path_of_camera() -> CameraPath:
    """The camera as a file would have it, in the scene's world, whose zero is the datum."""
    cameras = [camera_at(k) for k in range(PICTURES)]
    return CameraPath(
        name="pass along the quay", rate=FPS,
        places=np.array([c.position for c in cameras]) - DATUM,
        turns=np.array([c.rotation for c in cameras]),
        focals=np.array([c.focal_px / HEIGHT for c in cameras]), aspect=WIDTH / HEIGHT,
    )  # fmt: skip


def with_who_passes(picture: Bytes, camera: Camera, number: int) -> Bytes:
    """A picture with somebody in a cloak walking across it, a lantern in hand."""
    s = number / (PICTURES - 1)
    foot = np.array([-1.6 + 4.6 * s, 0.0, -4.6])
    bob = 0.03 * abs(np.sin(number * 0.9))

    def at(across: float, up: float) -> Floats:
        return camera.project(foot + [across, up + bob, 0.0])[0]

    def fixed(points: list[Floats]) -> list[np.ndarray]:
        """In sixteenths of a pixel, as OpenCV draws."""
        return [np.round((np.array(points) - 0.5) * 16).astype(np.int32)]

    light = at(0.42, 0.72)
    metre = float(np.linalg.norm(at(0.0, 1.0) - at(0.0, 0.0)))
    y, x = np.mgrid[0 : camera.height, 0 : camera.width] + 0.5
    away = np.hypot(x - light[0], y - light[1]) / metre
    glow = 0.55 * np.exp(-((away / 0.35) ** 2))[..., None]
    out = (picture + (255 - picture) * glow * np.array(GLOW) / 255).clip(0, 255).astype(np.uint8)
    cloak = [at(-0.26, 0.04), at(0.24, 0.04), at(0.17, 0.9), at(0.13, 1.36), at(-0.13, 1.36),
             at(-0.18, 0.85)]  # fmt: skip
    arm = [at(0.1, 1.2), at(0.44, 0.95), at(0.44, 0.87), at(0.08, 1.02)]
    for points in (cloak, arm):
        cv2.fillPoly(out, fixed(points), CLOAK, cv2.LINE_AA, 4)
    for place, radius, colour in ((at(0.02, 1.48), 0.14, HOOD), (light, 0.07, FLAME)):
        middle = fixed([place])[0][0].tolist()
        cv2.circle(out, middle, round(radius * metre * 16), colour, -1, cv2.LINE_AA, 4)
    return out


def carried(start: Scene, blocked: Scene, pictures: Pictures) -> list[tuple[Edit, Scene]]:
    """The steps from a project on the movie to one that is filmed anew: its camera taken, what was
    blocked in the still stood in it, thrown from a frame that is held, gathered into a wide picture
    before that, and seen by another camera. blocked: the quay's still, blocked."""
    come = camera_come([path_of_camera()], CameraAsked(frame=HELD), start)
    stands = tuple(p for p in blocked.proxies if not isinstance(p, Backdrop))
    held = {"lantern": STILL_LANTERN, "to": {"held": HELD, "through": False}}
    changes: list[Edit | Gesture | PictureGesture] = [
        come.edit, AddProxies(proxies=stands, said="Stand the quay"),
        Hang(distance_m=110.0, margin=0.6), AlterLantern.model_validate(held),
        AddWide(frame=HELD, name="gathered"),
    ]  # fmt: skip
    scene, steps = start, []

    def take(change: Edit | Gesture | PictureGesture) -> None:
        nonlocal scene
        edit, scene = changed(scene, change, pictures)
        steps.append((edit, scene))

    for change in changes:
        take(change)
    wide = scene.lanterns[-1].id
    take(Gather(lantern=wide))
    rows = tuple(CastRow(proxy=p.id, lanterns=(wide, STILL_LANTERN)) for p in scene.proxies)
    take(CastOn(rows=rows))
    take(Arc(angle_deg=6.0))
    return steps
