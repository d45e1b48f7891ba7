"""A lantern-maker's room above the quay: a place indoors, known exactly, painted as the quay is,
and blocked by the gestures that a hand would use."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np

from ..core.block.gestures import Stand
from ..core.block.sheets import CutOutline
from ..core.block.spans import StretchSpan
from ..core.block.works import OpenHole
from ..core.camera import Camera, focal_px_from_35mm, rotation_of
from ..core.change import changed
from ..core.move.ready import Push
from ..core.scene.edits import (
    AddTrace,
    AlterProxy,
    DeleteProxies,
    Edit,
    SetDatum,
    SetEyeHeight,
    SetLock,
)
from ..core.scene.gesture import Gesture
from ..core.scene.model import Heading, Scene, Sighting
from ..core.value import Point2
from .picture import still_in
from .split import plate_of_file
from .world import (
    BALL,
    BARREL,
    CRATE,
    CYLINDER,
    GABLE,
    LAMP,
    SHEET,
    SLABS,
    TIMBER,
    Shapes,
)

Place = tuple[float, float, float]

WIDTH, HEIGHT = 1800, 1200
STILL_NAME = "lantern-makers-room.png"
# The room lies where two lanterns of the quay light it; x from left to right, z towards the lens,
# its floor at FLOOR so that no shadow of the quay falls on it.
LEFT, RIGHT, BACK, FRONT = 1.2, 6.0, -8.6, -0.8
FLOOR, CEILING = 0.7, 3.4
EYE_HEIGHT_M = 1.5
DOOR = (4.15, 5.15, 2.05)  # left, right, height
SILL = 0.004  # over the floor, where the hole for the doorway begins: the floor stays whole
LEAF = 0.05  # how thick the door is
PASSAGE = (3.95, 5.35, -12.2, 2.4)  # left, right, back, height
PILLAR = (2.55, -5.7, 0.26, 0.26)  # middle x, z; width, depth
BENCH = (5.5, -6.3, 0.9, 2.4, 0.82)  # middle x, z; width, depth, height
CHEST = (2.3, -7.9, 1.1, 0.6, 0.62)
STOOL = (3.9, -5.4, 0.2, 0.5)  # x, z; radius, height
SHELVES = (1.0, 1.45)  # heights over the floor
SHELF = (LEFT, LEFT + 0.34, -8.0, -6.4)  # left, right, back, front
HANGING = (3.58, 2.75, -7.7)  # the lantern from the ceiling


def lens() -> Camera:
    """The camera that took the still, exactly."""
    focal = focal_px_from_35mm(25.0, WIDTH, HEIGHT)
    turn = rotation_of(-5.0, 0.6, 3.5)
    return Camera.centred(WIDTH, HEIGHT, focal, turn, np.array([3.2, FLOOR + EYE_HEIGHT_M, -1.7]))


def room(door: bool = False) -> Shapes:
    """Every surface of the room and the passage behind it, metres. door: with a shut one in the
    doorway."""
    s = Shapes()
    deep, wide, high = FRONT - BACK, RIGHT - LEFT, CEILING - FLOOR
    up, out = (0, high, 0), (0, 0, deep)
    s.add(SHEET, (LEFT, FLOOR, BACK), (wide, 0, 0), out, SLABS, s.named("floor"))
    s.add(SHEET, (LEFT, CEILING, BACK), (wide, 0, 0), out, TIMBER, s.named("ceiling"), 3)
    s.add(SHEET, (LEFT, FLOOR, BACK), out, up, GABLE, s.named("left wall"), 2)
    s.add(SHEET, (RIGHT, FLOOR, BACK), out, up, GABLE, s.named("right wall"), 2)
    back = s.named("back wall")
    a, b, tall = DOOR
    s.add(SHEET, (LEFT, FLOOR, BACK), (a - LEFT, 0, 0), up, GABLE, back, 4)
    s.add(SHEET, (b, FLOOR, BACK), (RIGHT - b, 0, 0), up, GABLE, back, 4)
    s.add(SHEET, (a, FLOOR + tall, BACK), (b - a, 0, 0), (0, high - tall, 0), GABLE, back, 4)
    left, right, end, height = PASSAGE
    along, wall = (0, 0, BACK - end), (0, height, 0)
    s.add(SHEET, (left, FLOOR, end), (right - left, 0, 0), along, SLABS, s.named("passage floor"))
    for x in (left, right):
        s.add(SHEET, (x, FLOOR, end), along, wall, GABLE, s.named(f"passage side {x}"), 1)
    s.add(SHEET, (left, FLOOR, end), (right - left, 0, 0), wall, GABLE, s.named("passage end"), 0)
    top = (left, FLOOR + height, end)
    s.add(SHEET, top, (right - left, 0, 0), along, TIMBER, s.named("passage ceiling"), 5)
    if door:
        _door(s)
    x, z, w, d = PILLAR
    s.box(x, FLOOR, z, w, high, d, TIMBER, s.named("pillar"), 7)
    for name, (x, z, w, d, h), seed in (("bench", BENCH, 20), ("chest", CHEST, 31)):
        s.box(x, FLOOR, z, w, h, d, CRATE, s.named(name), seed)
    x, z, radius, h = STOOL
    s.add(CYLINDER, (x, FLOOR, z), (radius, 0, 0), (0, h, 0), BARREL, s.named("stool"))
    _shelves(s)
    x, y, z = HANGING
    hanging = s.named("hanging lantern")
    s.add(BALL, (x, y, z), (0.17, 0, 0), (0, 0, 0), LAMP, hanging, 1)
    s.box(x, y + 0.15, z, 0.03, CEILING - y - 0.15, 0.03, TIMBER, hanging)
    return s


def _door(s: Shapes) -> None:
    """A leaf of boards with two ledges and a handle, as thick as LEAF, flush with the wall."""
    a, b, tall = DOOR
    door, middle = s.named("door"), BACK - LEAF / 2
    s.box((a + b) / 2, FLOOR, middle, b - a, tall, LEAF, CRATE, door, 9)
    for y in (0.25, tall - 0.4):
        s.box((a + b) / 2, FLOOR + y, BACK + 0.012, b - a - 0.12, 0.13, 0.024, TIMBER, door, 4)
    s.box(b - 0.12, FLOOR + 0.98, BACK + 0.03, 0.04, 0.16, 0.05, TIMBER, door, 8)


def _shelves(s: Shapes) -> None:
    a, b, back, front = SHELF
    for i, h in enumerate(SHELVES):
        shelf = s.named(f"shelf {i + 1}")
        y = FLOOR + h
        s.box((a + b) / 2, y - 0.04, (back + front) / 2, b - a, 0.04, front - back, TIMBER, shelf)
        for k in range(4):
            z = back + 0.3 + 0.35 * k
            jar = s.named(f"jar {4 * i + k + 1}")
            s.add(CYLINDER, (a + 0.17, y, z), (0.08, 0, 0), (0, 0.2, 0), BARREL, jar, k)


# edges that can be seen: heading, and both ends
EDGES: tuple[tuple[Heading, Place, Place], ...] = (
    ("away", (LEFT, FLOOR, -8.3), (LEFT, FLOOR, -5.6)),
    ("away", (LEFT, CEILING, -8.4), (LEFT, CEILING, -6.2)),
    ("away", (RIGHT, CEILING, -8.4), (RIGHT, CEILING, -6.4)),
    ("away", (5.05, FLOOR + 0.82, -7.4), (5.05, FLOOR + 0.82, -5.2)),
    ("across", (LEFT + 1.8, FLOOR, BACK), (4.1, FLOOR, BACK)),
    ("across", (LEFT + 0.2, CEILING, BACK), (RIGHT - 0.2, CEILING, BACK)),
    ("across", (DOOR[0], FLOOR + DOOR[2], BACK), (DOOR[1], FLOOR + DOOR[2], BACK)),
    ("across", (1.8, FLOOR + 0.62, -7.6), (2.8, FLOOR + 0.62, -7.6)),
    ("up", (LEFT, FLOOR + 1.7, BACK), (LEFT, CEILING - 0.1, BACK)),
    ("up", (RIGHT, FLOOR + 1.0, BACK), (RIGHT, CEILING - 0.1, BACK)),
    ("up", (DOOR[0], FLOOR + 0.1, BACK), (DOOR[0], FLOOR + 2.0, BACK)),
    ("up", (2.68, FLOOR + 0.1, -5.57), (2.68, CEILING - 0.2, -5.57)),
)
DATUM: Place = (DOOR[0], FLOOR, BACK)  # the foot of the doorway's left side
HAND_PX = 0.3


def still(folder: Path) -> Path:
    """The still as a PNG in a folder; painted where it is not there yet."""
    return still_in(folder, STILL_NAME, room(), lens())


def seen(*place: float) -> Point2:
    """The pixel a place of the room is seen at."""
    x, y = lens().project(np.array([place]))[0][0]
    return float(x), float(y)


def untouched(file: bytes, name: str, still_name: str = STILL_NAME) -> Scene:
    """A new project on the still."""
    return Scene(name=name, plate=plate_of_file(file, still_name), sighting=Sighting(made="render"))


def carried(file: bytes, name: str) -> list[tuple[Edit, Scene]]:
    """The steps that carry the still through Sight, Block and a move: each edit with the scene
    after it."""
    scene = untouched(file, name)
    steps: list[tuple[Edit, Scene]] = []
    for change in (*sighting(), *blocking(), Push(distance_m=0.8)):
        edit, scene = changed(scene, change)
        steps.append((edit, scene))
    return steps


@cache
def sighting() -> tuple[Edit | Gesture, ...]:
    """Traced as a careful hand does, with zero at the doorway's foot."""
    hand = np.random.default_rng(3)
    out: list[Edit | Gesture] = []
    for heading, a, b in EDGES:
        ends = tuple(
            (float(p[0]), float(p[1]))
            for p in (np.array(seen(*end)) + hand.normal(0, HAND_PX, 2) for end in (a, b))
        )
        out.append(AddTrace(heading=heading, points=ends))
    out += [SetDatum(point=seen(*DATUM)), SetEyeHeight(metres=EYE_HEIGHT_M)]
    return (*out, SetLock(locked=True))


def blocking() -> list[Edit | Gesture]:
    """The room by its back wall; the doorway as a hole in it, with the passage behind; a pillar,
    bench and chest as boxes, the stool as a drum, shelves as spans, and the lantern as an
    outline."""
    a, b, tall = DOOR
    left, right, end, height = PASSAGE
    first = len(EDGES) + 1  # ids count the traces, then the proxies in their order
    feet = (seen(LEFT, FLOOR, BACK), seen(RIGHT, FLOOR, BACK))
    ends = (seen(left + 0.25, FLOOR, end), seen(right - 0.25, FLOOR, end))
    out: list[Edit | Gesture] = [
        Stand(kind="room", feet=feet, top=seen(RIGHT, CEILING, BACK)),
        _named(f"room-{first}", "room"),
        Stand(
            kind="box", top=seen(a, FLOOR + tall, BACK + 0.1), level_m=SILL,
            feet=(seen(a, FLOOR + SILL, BACK + 0.1), seen(b, FLOOR + SILL, BACK + 0.1),
                  seen(b, FLOOR + SILL, BACK - 0.4)),
        ),
        OpenHole(proxy=f"room-{first}", shape=f"box-{first + 1}"),
        Stand(kind="room", feet=ends, top=seen(right - 0.25, FLOOR + height, end), level_m=0.0),
        _passage(f"room-{first + 2}"),
    ]  # fmt: skip
    number = first + 3
    x, z, w, d = PILLAR
    solid = (("pillar", x, z, w, d, CEILING - FLOOR), *(
        (name, *of) for name, of in (("bench", BENCH), ("chest", CHEST))
    ))  # fmt: skip
    for name, x, z, w, d, h in solid:
        near, far, a, b = z + d / 2, z - d / 2, x - w / 2, x + w / 2
        out.append(
            Stand(
                kind="box", top=seen(a, FLOOR + h, near), level_m=0.0,
                feet=(seen(a, FLOOR, near), seen(b, FLOOR, near), seen(b, FLOOR, far)),
            )
        )  # fmt: skip
        out.append(_named(f"box-{number}", name))
        number += 1
    x, z, radius, h = STOOL
    side = lens().rotation[0] * [1, 0, 1]
    side = radius * side / np.linalg.norm(side)
    out.append(
        Stand(
            kind="drum", top=seen(x, FLOOR + h, z), level_m=0.0,
            feet=(seen(x - side[0], FLOOR, z - side[2]), seen(x + side[0], FLOOR, z + side[2])),
        )
    )  # fmt: skip
    out.append(_named(f"drum-{number}", "stool"))
    number += 1
    left, right, back, front = SHELF
    for i, h in enumerate(SHELVES):
        y = FLOOR + h
        # along the wall it hangs on, then along its free edge, held on a card stood under it
        out += [
            Stand(kind="card", feet=(seen(right, FLOOR, back), seen(right, FLOOR, front)),
                  top=seen(right, y, front), level_m=0.0, along="away"),
            _named(f"card-{number}", f"shelf {i + 1} front"),
            StretchSpan(first=(seen(left, y, back), seen(left, y, front)),
                        second=(seen(right, y, back), seen(right, y, front))),
            _named(f"span-{number + 1}", f"shelf {i + 1}"),
        ]  # fmt: skip
        number += 2
    # what the free edges were held on has done its work
    out.append(DeleteProxies(proxies=(f"card-{number - 4}", f"card-{number - 2}")))
    return [*out, *_lantern(number)]


def _lantern(number: int) -> list[Edit | Gesture]:
    """An outline round the lantern, in the plane across the room that its place on the floor is
    in."""
    x, y, z = HANGING
    feet = (seen(x - 0.3, FLOOR, z), seen(x + 0.3, FLOOR, z))
    ring = [(x + 0.19 * np.cos(t), y + 0.19 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 25)]
    outline = tuple(seen(float(px), float(py), z) for px, py in ring[:-1])
    return [
        CutOutline(feet=feet, outline=outline, level_m=0.0),
        _named(f"outline-{number}", "hanging lantern"),
    ]


def _passage(id: str) -> Edit:
    """The passage ends at the back wall, and is as wide as it is behind the doorway's sides."""
    left, right, end, height = PASSAGE
    deep = BACK - end
    return AlterProxy.model_validate({
        "proxy": id, "to": {
            "name": "passage", "depth_m": deep, "width_m": right - left,
            "x": (left + right) / 2 - DATUM[0], "z": (end + BACK) / 2 - DATUM[2],
            "height_m": height,
        },
    })  # fmt: skip


def _named(id: str, name: str) -> Edit:
    return AlterProxy.model_validate({"proxy": id, "to": {"name": name}})
