"""What a scene is dressed with, as views draw it: derived, never stored."""

from __future__ import annotations

from typing import Literal

import numpy as np
from ninja import Schema

from ..core.dress.grade import GREY_OF_PICTURE, MIDDLE_GREY, on_layers, through_curve
from ..core.dress.guests import numbers_of
from ..core.dress.ofscene import dress_of, energy_of
from ..core.dress.relief import slopes_of
from ..core.dress.table import read_table
from ..core.render.lights import Light
from ..core.scene import dressing
from ..core.scene.dressing import Does, Haze, Look
from ..core.scene.model import Scene
from ..core.value import Point3
from . import arrays, plates

CURVE_STEPS = 257


class LightShown(Schema):
    """A light that is on. energy: linear, what it adds to a white surface that faces it, of a lamp
    at one metre. place: of a lamp; of a sun, the way towards it. size: of a lamp its radius,
    metres; of a sun the tangent of its angular radius. shares: how much of it proxies take that do
    not take all. casters: the proxies that cast its shadow. around: of surroundings, the digest of
    their map by normal (see `core.render.around`), 32 bit floats, three each; their place is how
    far they are turned, degrees, and two zeros."""

    id: str
    kind: Literal["sun", "lamp", "sky", "surroundings"]
    energy: Point3
    place: Point3
    size: float
    does: Does
    shares: dict[str, float]
    casters: list[str]
    around: str | None


class HazeShown(Schema):
    """fall: 0 where the haze is as thick at any height."""

    colour: Point3
    density: float
    start: float
    fall: float
    level: float
    shares: dict[str, float]


class TableShown(Schema):
    """A 3D table of colours. digest: of its numbers, 32 bit floats, red fastest, three each. side:
    how many there are along each. low, high: the colours at its ends."""

    digest: str
    side: int
    low: Point3
    high: Point3


class LookShown(Schema):
    """linear: whether it is done in linear light. grey: what contrast turns about. curves: what 0
    to 1 becomes in each channel, at even steps; None for no change. on_layers: the lanterns and
    guests whose pictures have it; None where the whole frame has."""

    linear: bool
    exposure: float
    contrast: float
    saturation: float
    grey: float
    curves: list[Point3] | None
    on_layers: list[str] | None
    table: TableShown | None


class ReliefShown(Schema):
    """The relief of a lantern. digest: of its slopes, 16 bit floats, two each, level after level of
    the sizes (see `core.render.relief`)."""

    lantern: str
    digest: str
    sizes: list[tuple[int, int]]
    depth: float


class DressShown(Schema):
    lights: list[LightShown]
    haze: HazeShown | None
    look: LookShown | None
    reliefs: list[ReliefShown] = []


def dress_shown(scene: Scene) -> DressShown:
    # a panorama that is gone is left out of what is seen, and a frame says so
    there = tuple(one for one in scene.lights if all(map(plates.there, one.pictures())))
    scene = scene.model_copy(update={"lights": there})
    made = dress_of(scene, plates.original)
    named = list(numbers_of(scene))
    lit = [one for one in scene.lights if one.on]
    keyed = {track.part for track in scene.tracks}
    lights = []
    for part, light in zip(lit, made.lights, strict=True):
        lights.append(
            LightShown(
                id=part.id, kind=light.kind, energy=light.energy, place=place_of(part),
                size=_size(light), does=light.does,
                shares={named[i]: share for i, share in light.shares.items()},
                casters=[named[i] for i in sorted(light.casters or ())],
                around=None if light.around is None else arrays.keep(light.around.tobytes()),
            )
        )  # fmt: skip
    haze = None if scene.haze is None else _haze(scene.haze)
    look = scene.look
    seen = look is not None and look.on and (not look.plain or look.id in keyed)
    return DressShown(
        lights=lights, haze=haze, look=_look(scene, look) if look and seen else None,
        reliefs=_reliefs(scene) if lit else [],
    )  # fmt: skip


def _reliefs(scene: Scene) -> list[ReliefShown]:
    """Of what plays, that of its first picture. One whose file is gone is left out."""
    out = []
    for one in scene.lanterns:
        relief = one.relief
        if relief is None or not all(map(plates.there, one.pictures())):
            continue
        slopes = slopes_of(scene, one, plates.deep, plates.original)
        out.append(
            ReliefShown(
                lantern=one.id, digest=arrays.keep(slopes.packed().astype("<f2").tobytes()),
                sizes=[(level.shape[1], level.shape[0]) for level in slopes.levels],
                depth=relief.depth,
            )
        )  # fmt: skip
    return out


def place_of(part: dressing.Light) -> Point3:
    """Where a light is, as `LightShown` has it."""
    if isinstance(part, dressing.Sun):
        return part.way()
    if isinstance(part, dressing.Lamp):
        return part.x, part.level_m, part.z
    return (part.turn_deg, 0.0, 0.0) if isinstance(part, dressing.Surroundings) else (0.0, 1.0, 0.0)


def _size(light: Light) -> float:
    return float(np.tan(np.radians(light.size))) if light.kind == "sun" else light.size


def _haze(haze: Haze) -> HazeShown:
    return HazeShown(
        colour=haze.colour, density=haze.density, start=haze.start_m, fall=haze.fall_m or 0.0,
        level=haze.level_m, shares={one.proxy: one.share for one in haze.amounts},
    )  # fmt: skip


def _look(scene: Scene, look: Look) -> LookShown:
    curves = None
    if look.every or look.red or look.green or look.blue:
        steps = through_curve(look.every, np.linspace(0, 1, CURVE_STEPS, dtype=np.float32))
        each = [through_curve(c, steps) for c in (look.red, look.green, look.blue)]
        curves = [tuple(row) for row in np.stack(each, axis=1).tolist()]
    linear = look.space == "linear"
    return LookShown(
        linear=linear, exposure=look.exposure, contrast=look.contrast, saturation=look.saturation,
        grey=MIDDLE_GREY if linear else GREY_OF_PICTURE, curves=curves, table=_table(look),
        on_layers=on_layers(scene),
    )  # fmt: skip


def _table(look: Look) -> TableShown | None:
    if look.table is None or not plates.there(look.table):
        return None
    table = read_table(plates.original(look.table))
    return TableShown(
        digest=arrays.keep(table.values.astype("<f4").tobytes()), side=len(table.values),
        low=table.low, high=table.high,
    )  # fmt: skip


def numbers_over_time(moment: Scene, lights: list[int], haze: bool, look: bool) -> list[float]:
    """What of it changes, in the order of `arrays.TimeArrays`. lights: which of the scene's."""
    out: list[float] = []
    for i in lights:
        out += [*place_of(moment.lights[i]), *energy_of(moment.lights[i]).tolist()]
    if haze and moment.haze is not None:
        out.append(moment.haze.density)
    if look and moment.look is not None:
        out += [moment.look.exposure, moment.look.contrast, moment.look.saturation]
    return out
