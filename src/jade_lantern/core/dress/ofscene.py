"""A scene's lights and haze as the renderer takes them."""

from __future__ import annotations

from collections.abc import Sequence, Set
from dataclasses import replace

import numpy as np

from ..arrays import Floats, Floats32
from ..cache import Cache
from ..outside.panorama import read_panorama
from ..outside.process import read_apart
from ..render.around import irradiance
from ..render.dressing import GAMMA
from ..render.lights import PLAIN, Darkening, Dress, Haze, Light
from ..scene import dressing
from ..scene.model import Scene
from ..sight.measure import required_camera
from .guests import no_files, numbers_of
from .pieces import Files

MOST_MAPS = 16 << 20  # bytes
PANORAMA_READER_BYTES, PANORAMA_SECONDS = 4 << 30, 60.0

# on a blocking that has no picture yet: a low sky, and a sun that casts no shadow
OVER_A_BLOCKING = (
    Light("sky", (0.7, 0.7, 0.7), does="replaces"),
    Light("sun", (1.4, 1.4, 1.4), (-0.55, 0.6, 0.6), does="replaces", casters=frozenset()),
)

# maps of panoramas' light, by their digest
_maps: Cache[str, Floats32] = Cache(MOST_MAPS, lambda m: m.nbytes)


def dress_of_frame(scene: Scene, files: Files = no_files) -> Dress:
    """The same for a frame: a blocking without any picture is lit, so that its shapes are seen."""
    bare = scene.plate.awaited and not scene.lights and all(k.plate is None for k in scene.lanterns)
    made = dress_of(scene, files)
    return replace(made, lights=OVER_A_BLOCKING) if bare else made


def dress_of(scene: Scene, files: Files = no_files) -> Dress:
    """What falls on a scene and lies in it at its moment; proxies and guests are counted as those
    of a cast are. files: where panoramas are read from. Raises Refusal where one is gone."""
    if not scene.lights and scene.haze is None and scene.darkening is None:
        return PLAIN
    number, hidden = numbers_of(scene), {p.id for p in scene.proxies if p.hidden}
    hangs = {number[p.id] for p in scene.proxies if not p.stands}
    # what is only light takes none, and haze does not show by it
    hangs |= {number[g.id] for g in scene.guests if g.mixes != "over" and not g.hidden}
    shown = number.keys() - hidden
    lit = [one for one in scene.lights if one.on]
    lights = tuple(_light(one, number, shown, hangs, files) for one in lit)
    named = {id for one in lit for id in (*(one.casters or ()), *one.blockers)}
    unseen = {
        number[p.id]: p.mesh(required_camera(scene))
        for p in scene.proxies if p.hidden and p.id in named and p.stands
    }  # fmt: skip
    haze = None if scene.haze is None else _haze(scene.haze, number)
    dark = scene.darkening
    darkening = None
    if dark is not None:
        casts = frozenset(number[id] for id in shown if id in number) - hangs
        shares = dict.fromkeys(hangs, 0.0) | _shares(dark.amounts, number)
        darkening = Darkening(dark.strength, dark.reach_m, shares, casts)
    return Dress(lights, haze, unseen, darkening)


def _light(
    one: dressing.Light, number: dict[str, int], shown: Set[str], hangs: set[int], files: Files
) -> Light:
    """shown: what is not hidden: it casts shadows where no casters are named. hangs: what hangs
    before or round the lens, such as a sky, or is only light: it casts no shadow, and takes no
    light unless an amount says so."""
    energy: tuple[float, float, float] = tuple(energy_of(one).tolist())
    named = shown if one.casters is None else set(one.casters)
    casters = frozenset(number[id] for id in named | set(one.blockers) if id in number) - hangs
    shares = dict.fromkeys(hangs, 0.0) | _shares(one.amounts, number)
    if isinstance(one, dressing.Sun):
        return Light("sun", energy, one.way(), one.size_deg / 2, one.does, shares, casters)
    if isinstance(one, dressing.Lamp):
        place = one.x, one.level_m, one.z
        return Light("lamp", energy, place, one.radius_m, one.does, shares, casters)
    if isinstance(one, dressing.Surroundings):
        map = around_of(one.picture, one.picture_name, files)
        return Light(
            "surroundings", energy, does=one.does, shares=shares, around=map, turn_deg=one.turn_deg
        )
    return Light("sky", energy, does=one.does, shares=shares)


def around_of(digest: str, name: str, files: Files) -> Floats32:
    """The map of a panorama's light. Raises Refusal where its file is gone, or is none."""
    return _maps.of(digest, lambda: irradiance(panorama_in(files(digest), name)))


def panorama_in(data: bytes, name: str) -> Floats32:
    """A panorama's light by cell, read in a process of its own. Raises Refusal."""
    return read_apart(
        read_panorama, data, name, most_bytes=PANORAMA_READER_BYTES, seconds=PANORAMA_SECONDS
    )


def energy_of(one: dressing.Light) -> Floats:
    """(3,) what a light adds to a white surface that faces it, linear; of a lamp, at one metre. Of
    one whose shadow only is seen, how much of the light its shadow takes away."""
    if one.does == "shades":
        return np.full(3, min(one.strength, 1.0))
    energy = one.strength * np.power(np.array(one.colour, float), GAMMA)
    return np.asarray(energy * one.reach_m**2 if isinstance(one, dressing.Lamp) else energy, float)


def _shares(amounts: Sequence[dressing.Amount], number: dict[str, int]) -> dict[int, float]:
    return {number[one.proxy]: one.share for one in amounts if one.proxy in number}


def _haze(one: dressing.Haze, number: dict[str, int]) -> Haze:
    shares = _shares(one.amounts, number)
    return Haze(one.colour, one.density, one.start_m, one.fall_m, one.level_m, shares)
