"""The demo projects: one carried through to a move, one untouched, both on the same still."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ..core.block.gestures import Hang, Stand
from ..core.camera import Camera
from ..core.change import changed
from ..core.move.cut import CutTo
from ..core.move.limits import KeepWithin
from ..core.move.ready import LowPass, Push
from ..core.picture import read_still
from ..core.proxy import Box, Floor
from ..core.scene.edits import (
    AddTape,
    AddTrace,
    AlterProxy,
    Edit,
    SetDatum,
    SetEyeHeight,
    SetLock,
    StandProxy,
    apply,
)
from ..core.scene.gesture import Gesture
from ..core.scene.model import Heading, Scene, Sighting
from ..core.scene.plate import LensFacts, Plate
from ..core.value import NEW_ID, Point2
from .picture import still_in
from .split import Painted
from .world import (
    BARREL_AT,
    CRATES,
    EYE_HEIGHT_M,
    FACADE_X,
    POSTS,
    QUAY_EDGE_X,
    STACKED,
    WATER_Y,
    WORKSHOPS,
    lens,
    quay,
)

STILL_NAME = "lantern-quay.png"
DATUM = (FACADE_X, 0.0, WORKSHOPS[0].far_z)  # the foot of the corner between two workshops
HAND_PX = 0.35  # how far a careful hand is off

# edges that can be seen in the still: heading, and both ends in the world
EDGES: tuple[tuple[Heading, tuple[float, float, float], tuple[float, float, float]], ...] = (
    ("away", (FACADE_X, 0.0, -4.8), (FACADE_X, 0.0, -11.0)),
    ("away", (FACADE_X, 3.16, -4.4), (FACADE_X, 3.16, -6.1)),
    ("away", (0.0, 0.0, -6.6), (0.0, 0.0, -13.2)),
    ("away", (FACADE_X, 5.9, -15.3), (FACADE_X, 5.9, -20.5)),
    ("up", (FACADE_X, 0.05, -6.2), (FACADE_X, 4.9, -6.2)),
    ("up", (FACADE_X, 0.9, -11.0), (FACADE_X, 6.2, -11.0)),
    ("up", (2.275, 0.0, -5.9), (2.275, 0.85, -5.9)),
    ("across", (2.275, 0.0, -5.9), (3.225, 0.0, -5.9)),
    ("across", (1.35, 0.0, -7.7), (2.15, 0.0, -7.7)),
    ("across", (2.275, 0.85, -5.9), (3.225, 0.85, -5.9)),
    ("across", (FACADE_X, 4.6, -15.2), (FACADE_X + 3.0, 4.6, -15.2)),
)


def demo_still(folder: Path) -> Path:
    """The demo still as a PNG in a folder; painted where it is not there yet."""
    return still_in(folder, STILL_NAME, quay(), lens())


def untouched(still: bytes, name: str = "Lantern Quay, untouched") -> Scene:
    """A new project on the demo still."""
    read = read_still(still)
    plate = Plate(
        name=STILL_NAME, width=read.width, height=read.height, digest=read.digest,
        format=read.format, bits=read.bits, lens=LensFacts(),
    )  # fmt: skip
    return Scene(name=name, plate=plate, sighting=Sighting(made="render"))


def carried(still: bytes, name: str = "Lantern Quay") -> list[tuple[Edit, Scene]]:
    """The steps that carry the demo still through Sight, Block and Move: each edit with the scene
    after it, the first being the untouched project."""
    scene = untouched(still, name)
    steps: list[tuple[Edit, Scene]] = []
    changes: list[Edit | Gesture] = [*_sighting(), *_blocking(), Push(distance_m=1.7)]
    for change in changes:
        edit, scene = changed(scene, change)
        steps.append((edit, scene))
    return steps


def painted() -> Painted:
    """What the demo still was painted of."""
    return Painted("lantern-quay", quay(), lens(), painted_as)


def painted_as(proxy: str) -> set[str]:
    """What the painter knows a proxy as: a workshop is its front, sides, roof and all that hangs
    on it."""
    kind, _, number = proxy.partition(" ")
    if kind != "workshop":
        return {proxy}
    return {
        f"{part} {number}" for part in ("workshop", "gable", "roof", "awning", "sign", "lantern")
    }


def seen(camera: Camera, point: tuple[float, float, float]) -> Point2:
    """The pixel a world point of the quay is seen at."""
    pixel, _ = camera.project(np.array(point))
    return float(pixel[0]), float(pixel[1])


def driven(scene: Scene) -> list[tuple[Edit, Scene]]:
    """The steps that give the painted quay its move: a wide cut, low over the quay, driven to where
    it just stands up."""
    steps: list[tuple[Edit, Scene]] = []
    changes: tuple[Gesture, ...] = (
        CutTo(width=1920, height=1080), LowPass(distance_m=3.2, height_m=0.7)
    )  # fmt: skip
    for change in changes:
        edit, scene = changed(scene, change)
        steps.append((edit, scene))
    edit = KeepWithin().within(scene, None)  # its plates have no alpha
    return [*steps, (edit, apply(scene, edit))]


def _sighting() -> list[Edit | Gesture]:
    camera, hand = lens(), np.random.default_rng(7)
    out: list[Edit | Gesture] = []
    for heading, a, b in EDGES:
        ends = []
        for end in (a, b):
            x, y = np.array(seen(camera, end)) + hand.normal(0, HAND_PX, 2)
            ends.append((min(max(float(x), 0), camera.width), min(max(float(y), 0), camera.height)))
        out.append(AddTrace(heading=heading, points=tuple(ends)))
    out.append(SetDatum(point=seen(camera, DATUM)))
    out.append(SetEyeHeight(metres=EYE_HEIGHT_M))
    slab = (seen(camera, (0.9, 0.0, -6.0)), seen(camera, (0.9, 0.0, -7.5)))
    out.append(AddTape(points=slab, length_m=1.5))
    out.append(SetLock(locked=True))
    return out


def _blocking() -> list[Edit | Gesture]:
    """Numbers for what is large and far, picks in the picture for what is near."""
    camera = lens()
    dx, dz = -DATUM[0], -DATUM[2]
    length = 75.0
    out: list[Edit | Gesture] = [
        StandProxy(
            proxy=Floor(
                id=NEW_ID, name="quay", x=QUAY_EDGE_X + 6 + dx, z=-length / 2 + 2 + dz,
                width_m=12.0, depth_m=length,
            )
        ),
        StandProxy(
            proxy=Floor(
                id=NEW_ID, name="water", x=QUAY_EDGE_X - 30 + dx, z=-length / 2 + 2 + dz,
                width_m=60.0, depth_m=length, level_m=WATER_Y,
            )
        ),
    ]  # fmt: skip
    for i, w in enumerate(WORKSHOPS):
        out.append(
            StandProxy(
                proxy=Box(
                    id=NEW_ID, name=f"workshop {i + 1}", x=FACADE_X + 3 + dx,
                    z=(w.near_z + w.far_z) / 2 + dz, width_m=6.0, depth_m=w.near_z - w.far_z,
                    height_m=w.height_m,
                )
            )
        )  # fmt: skip
    for x, z, wide, deep, high in CRATES:
        left, right, front, back = x - wide / 2, x + wide / 2, z + deep / 2, z - deep / 2
        feet = tuple(
            seen(camera, (a, 0.0, b)) for a, b in ((left, front), (right, front), (right, back))
        )
        out.append(Stand(kind="box", feet=feet, top=seen(camera, (left, high, front))))
    x, z, wide, deep, high, level = STACKED
    out.append(
        StandProxy(
            proxy=Box(
                id=NEW_ID, name="crate on top", x=x + dx, z=z + dz, width_m=wide, depth_m=deep,
                height_m=high, level_m=level,
            )
        )
    )  # fmt: skip
    for x, z, radius, high in (BARREL_AT, *POSTS[:5]):
        side = lens().rotation[0] * [1, 0, 1]
        side = side / np.linalg.norm(side) * radius
        feet = tuple(seen(camera, (x + s * side[0], 0.0, z + s * side[2])) for s in (-1, 1))
        out.append(Stand(kind="drum", feet=feet, top=seen(camera, (x, high, z))))
    out.append(Hang(distance_m=110.0, margin=0.3))
    return out + _named()


def _named() -> list[Edit | Gesture]:
    """Names for what was picked in the picture, which the scene numbered by kind."""
    first = len(EDGES) + 1 + 1 + 2 + len(WORKSHOPS)  # ids count traces, the tape and proxies
    out: list[Edit | Gesture] = []
    for i in range(len(CRATES)):
        out.append(_rename(f"box-{first + i}", f"crate {i + 1}"))
    first += len(CRATES) + 1
    for i, name in enumerate(["barrel", *(f"post {k + 1}" for k in range(5))]):
        out.append(_rename(f"drum-{first + i}", name))
    return out


def _rename(id: str, name: str) -> Edit:
    return AlterProxy.model_validate({"proxy": id, "to": {"name": name}})
