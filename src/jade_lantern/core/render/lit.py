"""How a frame is dressed: the tables of its surfaces and lights, set up for one view."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..arrays import Flags, Floats, Indices
from ..camera import Camera
from ..mesh import Mesh
from .around import normals_of_map
from .dressing import (
    CURVED,
    CURVED_EIGHT,
    FRAME_RECORD,
    GAMMA,
    SURFACE_RECORD,
    UNDRESSED,
    Dressing,
)
from .land import Cast
from .lights import Darkening, Dress, Haze, Light, Shares
from .nearby import nearby
from .relief import relief_record
from .screen import Screen
from .shadow import FACES, LAMP, LIGHT_RECORD, SUN
from .sights import Sights, sights, tilts, unit

SIDE = {"sun": 4096, "lamp": 1024}  # px, of a light's buffers
FINE_SUNS = 2  # more than so many have buffers half as wide, to save memory


def dressing_of(
    cast: Cast, dress: Dress, seen: Screen, shot: Camera
) -> tuple[Dressing, list[object]]:
    """The tables by which a frame is dressed, and what they hold addresses of: they are valid as
    long as that is held. seen: the surfaces that the shot camera sees."""
    if not dress:
        return UNDRESSED, []
    proxy = np.array([t.proxy for t in cast.targets], np.int64)[seen.owner]
    normal = seen.plane[:, :3] * np.where(
        seen.plane[:, :3] @ shot.position >= seen.plane[:, 3], 1.0, -1.0
    )[:, None]  # fmt: skip
    shadowing = [light for light in dress.lights if not light.spread and any(light.energy)]
    air = np.zeros(len(proxy))
    if dress.haze is not None and dress.haze.density > 0:
        air = _shares(dress.haze.shares, proxy)
    surfaces = np.zeros(len(proxy), SURFACE_RECORD)
    held: list[object] = []
    lit = any(any(light.energy) for light in dress.lights)
    relief = _put_relief(surfaces, cast, seen, held) if lit else np.zeros(len(proxy), bool)
    smooth = cast.smooth[seen.triangle] | relief
    base, left = np.zeros((len(proxy), 3)), np.ones(len(proxy))
    for light in dress.lights:
        share = _shares(light.shares, proxy)
        if light.does == "replaces":
            left = np.minimum(left, 1.0 - share.clip(0.0, 1.0))
        if light.spread and any(light.energy):
            base += share[:, None] * light.falls_on(normal)
    base[smooth] = 0.0
    base += left[:, None]
    touched = (air > 0) | (base != 1.0).any(axis=1)
    lights = np.zeros(len(shadowing), LIGHT_RECORD)
    suns = sum(light.kind == "sun" for light in shadowing)
    for record, light in zip(lights, shadowing, strict=True):
        energy = _energy(light, normal, smooth) * _shares(light.shares, proxy)[:, None]
        side = SIDE[light.kind] // (1 if suns <= FINE_SUNS else 2)
        unseen = [dress.unseen[n] for n in sorted(light.casters or ()) if n in dress.unseen]
        key = (*light.shadowing(), side, *_clearness(cast), *map(id, unseen))

        # what the key has identities of is held with it, so that they stay its own
        def make(light: Light = light, side: int = side, unseen: list[Mesh] = unseen) -> Any:
            return sights(cast, light, side, unseen), cast.throwers, unseen

        its = cast.kept(key, make)[0]
        faces = range(FACES if light.kind == "lamp" else 1)
        tilt = np.stack([tilts(light, its, face, seen.plane) for face in faces])
        _put(record, light, its)
        energy, tilt = np.ascontiguousarray(energy), np.ascontiguousarray(tilt)
        record["energy"], record["tilt"] = energy.ctypes.data, tilt.ctypes.data
        record["surfaces"] = len(proxy)
        held += [energy, tilt, its]
        touched |= (energy != 0.0).any(axis=1)
    if smooth.any():
        touched |= smooth & _put_smooth(surfaces, cast, dress, seen, smooth, normal, proxy, held)
    surfaces["number"] = np.arange(len(proxy))
    surfaces["depth"], surfaces["air"], surfaces["base"] = seen.inverse_depth, air, base
    surfaces["bright"] = base.clip(0.0) ** (1.0 / GAMMA)
    surfaces["flat"], surfaces["normal"] = cast.triangles.flat[seen.triangle], normal
    frame = _frame(dress.haze, shot)
    if dress.darkening is not None and dress.darkening.strength > 0:
        touched |= _put_darkening(frame, surfaces, cast, dress.darkening, seen, proxy, held)
    surfaces["on"] = touched
    exact = any(one.plate is not None and one.plate.depth != "eight" for one in cast.throwers)
    frame["curved"] = CURVED if exact else CURVED_EIGHT
    frame["lights"] = len(lights)
    frame["lamps"] = sum(light.kind == "lamp" for light in shadowing)
    return Dressing(frame, surfaces, lights), held


def _clearness(cast: Cast) -> tuple[object, ...]:
    """What tells casts apart by where light comes through, that share where things stand."""
    return tuple(
        (id(cast.throwers[k].plate), cast.throwers[k].strength, cast.throwers[k].mixing)
        for t in cast.targets for k in t.lanterns if cast.throwers[k].can_be_clear
    )  # fmt: skip


def _shares(shares: Shares, proxy: Indices) -> Floats:
    out = np.ones(len(proxy))
    for which, share in shares.items():
        out[proxy == which] = share
    return out


def _frame(haze: Haze | None, shot: Camera) -> np.ndarray:
    out = np.zeros(1, FRAME_RECORD)
    out["place"], out["rays"], out["pixel"] = (
        shot.position,
        shot.unprojection(),
        1.0 / shot.focal_px,
    )
    if haze is not None:
        out["haze"], out["density"], out["start"] = haze.colour, haze.density, haze.start_m
        out["fall"], out["level"] = haze.fall_m or 0.0, haze.level_m
    return out


def _put_smooth(
    surfaces: np.ndarray, cast: Cast, dress: Dress, seen: Screen, smooth: Flags, normal: Floats,
    proxy: Indices, held: list[object],
) -> bool:  # fmt: skip
    """Tell of surfaces whose normal is another one at each place what that is, and the light that
    comes to them from all sides. smooth: (S,) which they are. held: what is to be held, added to.
    Returns whether any light falls on any."""
    surfaces["smooth"] = smooth
    own = cast.smooth[seen.triangle]
    triangle = seen.triangle[own]
    if len(triangle):
        surfaces["turn"][own] = _turns(
            cast.triangles.corners[triangle], cast.normals[triangle], normal[own]
        )
    spread = [light for light in dress.lights if light.spread and any(light.energy)]
    if spread:
        way = normals_of_map()
        each = [light.falls_on(way).astype(np.float32) for light in spread]
        for which in np.unique(proxy[smooth]).tolist():
            one = np.zeros_like(each[0])
            for light, map in zip(spread, each, strict=True):
                one += np.float32(light.shares.get(which, 1.0)) * map
            held.append(one)
            surfaces["around"][smooth & (proxy == which)] = one.ctypes.data
    return bool(dress.lights)


def _put_relief(surfaces: np.ndarray, cast: Cast, seen: Screen, held: list[object]) -> Flags:
    """Tell of surfaces the relief of the first lantern on them that has one; returns (S,) which
    have."""
    of = np.zeros(len(cast.targets), np.int64)
    made: dict[int, int] = {}
    for i, target in enumerate(cast.targets):
        if target.laid is not None or target.rest is not None:
            continue
        for k in target.lanterns:
            one = cast.throwers[k]
            if one.relief is None:
                continue
            if k not in made:
                record, packed = relief_record(one.fitted, *one.relief)
                held += [record, packed]
                made[k] = record.ctypes.data
            of[i] = made[k]
            break
    surfaces["relief"] = of[seen.owner]
    return np.asarray(surfaces["relief"] != 0)


def _put_darkening(
    frame: np.ndarray, surfaces: np.ndarray, cast: Cast, darkening: Darkening, seen: Screen,
    proxy: Indices, held: list[object],
) -> Flags:  # fmt: skip
    """Tell of surfaces what darkens them; returns (S,) which are."""
    there = nearby(cast, darkening, _clearness(cast))
    faces, near, first = there.faces, there.near, there.first
    held.append(there)
    frame["faces"], frame["total"], frame["reach"] = (
        faces.ctypes.data, len(faces), darkening.reach_m
    )  # fmt: skip
    flat = cast.triangles.flat[seen.triangle]
    dark = darkening.strength * _shares(darkening.shares, proxy)
    surfaces["near"] = near.ctypes.data + near.itemsize * first[flat]
    surfaces["count"] = np.where(dark > 0, first[flat + 1] - first[flat], 0)
    surfaces["dark"] = dark
    return np.asarray(surfaces["count"] > 0)


def _turns(corners: Floats, normals: Floats, facing: Floats) -> Floats:
    """(N, 3, 4) matrices from places (x, y, z, 1) on triangles (N, 3, 3) to the normal there,
    straight between those of the corners (N, 3, 3); on the side of the facing ones (N, 3)."""
    side = np.where((normals.sum(axis=1) * facing).sum(axis=1) < 0, -1.0, 1.0)
    normals = normals * side[:, None, None]
    a, u, v = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    across = np.cross(u, v)
    square = np.maximum((across * across).sum(axis=1), np.finfo(float).tiny)[:, None]
    along_u, along_v = np.cross(v, across) / square, np.cross(across, u) / square
    out = np.empty((len(a), 3, 4))
    out[..., :3] = (normals[:, 1] - normals[:, 0])[:, :, None] * along_u[:, None]
    out[..., :3] += (normals[:, 2] - normals[:, 0])[:, :, None] * along_v[:, None]
    out[..., 3] = normals[:, 0] - (out[..., :3] @ a[:, :, None])[..., 0]
    return out


def _energy(light: Light, normal: Floats, smooth: Flags) -> Floats:
    """(S, 3) what a light adds to surfaces that see it; of a lamp, and to smooth ones, squarely,
    and of a lamp at one metre."""
    out = np.tile(np.array(light.energy, float), (len(normal), 1))
    if light.kind == "lamp":
        return out
    facing = normal @ unit(light.place)
    # where it only grazes a surface, the shadow that shows alone fades
    by = 4.0 * facing.clip(0.0, 0.25) if light.does == "shades" else facing.clip(0.0)
    by[smooth] = 1.0
    return np.asarray(out * by[:, None], float)


def _put(record: np.void, light: Light, sights: Sights) -> None:
    record["kind"] = SUN if light.kind == "sun" else LAMP
    record["takes"] = light.does == "shades"
    place = unit(light.place) if light.kind == "sun" else light.place
    record["place"], record["side"] = place, sights.side
    record["size"] = np.tan(np.radians(light.size)) if light.kind == "sun" else light.size
    record["onto"], record["scale"], record["most"] = sights.onto, sights.scale, sights.most
    for i, one in enumerate(sights.buffers):
        if one is None:
            continue
        record["address"][i] = one.surface.ctypes.data
        record["depth"][i] = one.depth.ctypes.data
        record["flats"][i], record["count"][i] = one.flats.ctypes.data, len(one.flats)
        edges, peaks = one.edges
        record["edges"][i], record["peaks"][i] = edges.ctypes.data, peaks.ctypes.data
