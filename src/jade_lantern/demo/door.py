"""The lantern-maker's room with its door shut: the door opens on its hinge, and the camera goes
through the doorway into the passage behind it, which a closer plate was painted for."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ..core.block.gestures import Stand
from ..core.camera import Camera, focal_px_from_35mm, rotation_of
from ..core.change import changed
from ..core.move.hinged import OpenOn
from ..core.move.ready import Push
from ..core.scene.edits import (
    AddLantern,
    AlterProxy,
    CastOn,
    Edit,
    Glaze,
    PutLanterns,
    SetShot,
    apply,
)
from ..core.scene.edits.cast import thrown_anew
from ..core.scene.gesture import Gesture
from ..core.scene.model import CastRow, LanternView, Scene
from .picture import still_in
from .room import BACK, DATUM, DOOR, FLOOR, LEAF, blocking, lens, room, seen, sighting, untouched
from .split import Painted, plate_of_file, split_and_painted

STILL_NAME = "lantern-makers-door.png"
FRAMES, FPS = 132, 24
OPENS = (8, 62)  # the frames between which the door swings
OPEN_DEG = 96.0  # away from the lens
PUSH_M = 7.7  # from the lens, a little beyond the doorway
# Closer plates of the passage are painted from just before the doorway: one as sharp as the shot
# comes to be, and a wide one for the sides next to it.
CLOSER: tuple[float, float, float] = (4.6, FLOOR + 1.05, BACK + 0.5)
PASSAGES = (("passage, closer", 20.0, (1700, 1200)), ("passage, wide", 12.0, (900, 900)))


def still(folder: Path) -> Path:
    """The still as a PNG in a folder; painted where it is not there yet."""
    return still_in(folder, STILL_NAME, room(door=True), lens())


def painted() -> Painted:
    """What the still was painted of."""
    return Painted("lantern-makers-door", room(door=True), lens(), _painted_as)


def _painted_as(proxy: str) -> set[str]:
    """What the painter knows a proxy as: with a shelf goes what stands on it."""
    if proxy.startswith("shelf"):
        first = 4 * int(proxy[-1]) - 3
        return {proxy, *(f"jar {first + k}" for k in range(4))}
    return {proxy}


def closer_lens(mm: float, size: tuple[int, int]) -> Camera:
    focal = focal_px_from_35mm(mm, *size)
    return Camera.centred(*size, focal, rotation_of(0, 0, 0), np.array(CLOSER))


def carried(
    file: bytes, name: str, folder: Path
) -> tuple[Scene, list[tuple[Edit, Scene]], list[bytes]]:
    """The new project, the steps that carry it to its move, each edit with the scene after it, and
    the plates that they bring. folder: where plates are found again that were painted before."""
    start = scene = untouched(file, name, STILL_NAME)
    steps: list[tuple[Edit, Scene]] = []
    for change in (*sighting(), *blocking()):
        edit, scene = changed(scene, change)
        steps.append((edit, scene))
    door = f"box-{scene.next_id}"
    for change in (*_stand_the_door(), *_move(door)):
        edit, scene = changed(scene, change)
        steps.append((edit, scene))
    more, plates = split_and_painted(scene, file, folder, painted())
    steps += more
    more, closer = _closer(steps[-1][1], folder)
    return start, [*steps, *more], [*plates, *closer]


def _stand_the_door() -> list[Edit | Gesture]:
    a, b, tall = DOOR
    feet = (seen(a, FLOOR, BACK), seen(b, FLOOR, BACK), seen(b, FLOOR, BACK - LEAF))
    return [Stand(kind="box", feet=feet, top=seen(a, FLOOR + tall, BACK), level_m=0.0)]


def _named(door: str) -> Edit:
    return AlterProxy.model_validate({"proxy": door, "to": {"name": "door"}})


def _move(door: str) -> list[Edit | Gesture]:
    a, b, tall = DOOR
    return [
        _named(door),
        Glaze(proxies=(door,)),
        SetShot(frames=FRAMES, fps=FPS),
        Push(distance_m=PUSH_M, toward=seen((a + b) / 2, FLOOR + tall * 0.55, BACK)),
        OpenOn(proxy=door, by_deg=OPEN_DEG, first=OPENS[0], last=OPENS[1], side="left"),
    ]


def _closer(scene: Scene, folder: Path) -> tuple[list[tuple[Edit, Scene]], list[bytes]]:
    """The steps that add lanterns before the doorway, for the passage, and their plates."""
    steps: list[tuple[Edit, Scene]] = []
    plates, ids = [], []
    x, y, z = (float(v) for v in np.subtract(CLOSER, DATUM))
    for name, mm, size in PASSAGES:
        file = f"lantern-makers-{name.replace(', ', '-')}.png"
        data = still_in(folder, file, room(), closer_lens(mm, size)).read_bytes()
        view = LanternView(position=(x, y, z), focal_mm=mm, width=size[0], height=size[1])
        added = AddLantern(name=name, view=view)
        scene = apply(scene, added)
        steps.append((added, scene))
        new = thrown_anew(scene.lanterns[-1], plate_of_file(data, file), stand_in=False)
        put = PutLanterns(lanterns=(new,), said=f"Paint for {name}")
        scene = apply(scene, put)
        steps.append((put, scene))
        plates.append(data)
        ids.append(new.id)
    passage = next(p for p in scene.proxies if p.name == "passage")
    takes = next(row.lanterns for row in scene.sheet.rows if row.proxy == passage.id)
    cast = CastOn(rows=(CastRow(proxy=passage.id, lanterns=(*ids, *takes)),))
    return [*steps, (cast, apply(scene, cast))], plates
