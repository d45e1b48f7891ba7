"""The drawn footbridge, whose perspective disagrees with itself, blocked with no more than reach
and pulled corners, so that every proxy lies where it is drawn."""

from __future__ import annotations

from dataclasses import dataclass

from ..core.block.gestures import Hang, LayGround, Stand
from ..core.block.parts import Part, in_world, solid_named
from ..core.block.pull import PullPart
from ..core.change import changed
from ..core.picture import read_still
from ..core.scene.edits import (
    AddTrace,
    AlterProxy,
    Edit,
    SetDatum,
    SetEyeHeight,
    SetLock,
    TrustHeading,
)
from ..core.scene.gesture import Gesture
from ..core.scene.model import Scene, Sighting
from ..core.scene.plate import Plate
from ..core.sight.measure import required_camera
from .companions import bridge_lines

Pixel = tuple[float, float]

DECK_M, EYE_M = 1.42, 2.4  # over the water
TRACED = 6  # lines of a heading


@dataclass(frozen=True)
class Panel:
    """A sheet of the bridge: its corners as they are drawn, round it from its near foot; and the
    two feet that it is stood by at first, on the level of the deck."""

    name: str
    kind: str
    feet: tuple[Pixel, Pixel]
    drawn: tuple[Pixel, Pixel, Pixel, Pixel]


def sheets() -> list[Panel]:
    """The deck, both rails and the near beam, by the ends of the lines that are drawn."""
    lines = bridge_lines()
    away = [ends for heading, ends in lines if heading == "away"]
    across = [ends for heading, ends in lines if heading == "across"]
    (_, deck_l, rail_l), (_, deck_r, rail_r) = away[:3], away[3:]
    near, far = across[0], across[18]
    low = across[19]
    return [
        Panel("deck", "floor", (near[0], far[1]), (near[0], near[1], far[1], far[0])),
        Panel("right rail", "card", deck_r, (deck_r[0], deck_r[1], rail_r[1], rail_r[0])),
        # the left rail is drawn crossing its own deck, so it is a strip that stands over it
        Panel("left rail", "card", deck_l, _strip(rail_l, 12.0)),
        Panel("left beam", "card", deck_l, _strip(deck_l, 12.0)),
        Panel("near beam", "card", low, (low[0], low[1], near[1], near[0])),
    ]


def _strip(line: tuple[Pixel, Pixel], px: float) -> tuple[Pixel, Pixel, Pixel, Pixel]:
    """A strip so many pixels high above a line."""
    (a, b), (c, d) = line
    return (a, b), (c, d), (c, d - px), (a, b - px)


def carried(file: bytes, name: str) -> list[tuple[Edit, Scene]]:
    """The steps from the drawing to its blocking: each edit with the scene after it."""
    read = read_still(file)
    plate = Plate(
        name="footbridge.png", width=read.width, height=read.height, digest=read.digest,
        format=read.format, bits=read.bits,
    )  # fmt: skip
    scene = Scene(name=name, plate=plate, sighting=Sighting())
    steps: list[tuple[Edit, Scene]] = []

    def do(change: Edit | Gesture) -> None:
        nonlocal scene
        edit, scene = changed(scene, change)
        steps.append((edit, scene))

    for change in sighting():
        do(change)
    do(LayGround())
    do(Hang())
    for sheet in sheets():
        do(Stand(kind=sheet.kind, feet=sheet.feet, level_m=DECK_M, along="free"))
        id = scene.proxies[-1].id
        do(AlterProxy.model_validate({"proxy": id, "to": {"name": sheet.name}}))
        # its corners are numbered as they go round it; each is pulled to where it is drawn
        for corner, to in zip(_corners(scene, id, sheet.drawn), sheet.drawn, strict=True):
            do(PullPart(proxy=id, part=Part(corner=corner), to=to, along="view"))
    return steps


def _corners(scene: Scene, id: str, drawn: tuple[Pixel, ...]) -> list[int]:
    """The numbers of a sheet's corners in the order in which they are drawn: round it, from the
    one that shows nearest to the first."""
    camera = required_camera(scene)
    solid = solid_named(scene, id, camera)
    ((loop, *_),) = solid.shape.faces.values()
    seen, _ = camera.project(in_world(solid, solid.shape.at(loop)))
    best: tuple[float, list[int]] | None = None
    for order in (list(range(4)), list(range(4))[::-1]):
        for first in range(4):
            turned = order[first:] + order[:first]
            off = sum(
                float((seen[i][0] - x) ** 2 + (seen[i][1] - y) ** 2)
                for i, (x, y) in zip(turned, drawn, strict=True)
            )
            if best is None or off < best[0]:
                best = (off, [loop[i] for i in turned])
    assert best is not None  # there were eight orders to choose from
    return best[1]


def sighting() -> list[Edit | Gesture]:
    """Across and Up are trusted; the lines that go away are traced, and not believed."""
    lines = bridge_lines()
    out: list[Edit | Gesture] = []
    for heading in ("across", "up", "away"):
        mine = [ends for h, ends in lines if h == heading]
        step = max(len(mine) // TRACED, 1)
        out += [AddTrace(heading=heading, points=ends) for ends in mine[::step][:TRACED]]
    foot = max((ends[0] for h, ends in lines if h == "up"), key=lambda p: p[1])
    return [
        *out, TrustHeading(heading="away", trust=0.0), SetDatum(point=foot),
        SetEyeHeight(metres=EYE_M), SetLock(locked=True),
    ]  # fmt: skip
