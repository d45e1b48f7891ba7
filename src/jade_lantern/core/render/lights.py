"""Suns, lamps and the light of the sky that fall on a cast, and haze in it: set up for a frame."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np

from ..arrays import Bytes, Flags, Floats, Floats32, Indices, Indices32
from ..camera import Camera
from ..mesh import Mesh, Triangles, joined
from .around import looked_up, normals_of_map, turned_about_up
from .covers import HIDES, can_be_clear, covered, is_light
from .dressing import (
    CURVED,
    CURVED_EIGHT,
    FRAME_RECORD,
    GAMMA,
    SURFACE_RECORD,
    UNDRESSED,
    Dressing,
)
from .land import Cast, Target
from .screen import Screen, inverse_depth_of, nearness_along, screen, screen_along
from .see import seen_in
from .shadow import FACE_AXES, FACES, LAMP, LIGHT_RECORD, SPREAD, SUN, edge_distance

SIDE = {"sun": 4096, "lamp": 1024}  # px, of a light's buffers
FINE_SUNS = 2  # more than so many have buffers half as wide, to save memory
BYTES_A_LIGHT = 90 << 20  # about, of what one sees
NEAR = 1e-4  # of the farthest thing round a lamp: what is nearer to it casts no shadow
ROWS_AT_ONCE = 256  # of a buffer, that are looked at for where a picture is clear
MARGIN = 8  # px of a sun's buffer that are left free on each side
Shares = Mapping[int, float]  # by proxy; of those that are not named it is 1


@dataclass(frozen=True)
class Haze:
    """colour: (3,) 0 to 1, in the picture's numbers. density: per metre, at `level_m` metres above
    the ground and below. start_m: how far from the camera it begins. fall_m: metres of height in
    which it thins to 1 / e; None where it is the same everywhere. shares: how much of it lies
    before each proxy."""

    colour: tuple[float, float, float]
    density: float
    start_m: float = 0.0
    fall_m: float | None = None
    level_m: float = 0.0
    shares: Shares = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Light:
    """A light. energy: (3,) linear: what it adds to a white plane that faces it; of a lamp, at one
    metre. place: of a lamp, metres; of a sun, the way towards it. size: of a lamp its radius,
    metres; of a sun its angular radius, degrees. around: of surroundings, their map (see
    `around`); turn_deg: how far they are turned.

    does: "adds" to the light that a picture shows already; "replaces" it, so that the picture is
    taken for what things look like in plain white light; "shades": only its shadow is seen, and
    energy says how much of the light it takes away, up to 1. shares:
    how much of it each proxy takes. casters: the proxies that cast its shadow; None for all.
    """

    kind: Literal["sun", "lamp", "sky", "surroundings"]
    energy: tuple[float, float, float]
    place: tuple[float, float, float] = (0.0, 1.0, 0.0)
    size: float = 0.0
    does: Literal["adds", "replaces", "shades"] = "adds"
    shares: Shares = field(default_factory=dict)
    casters: frozenset[int] | None = None
    around: Floats32 | None = None
    turn_deg: float = 0.0

    @property
    def spread(self) -> bool:
        """Whether it comes from all sides, so that nothing casts a shadow of it."""
        return self.kind in ("sky", "surroundings")

    def shadowing(self) -> tuple[object, ...]:
        """What its buffers depend on, besides the surfaces."""
        return self.kind, self.place, self.casters

    def falls_on(self, normals: Floats) -> Floats:
        """(N, 3) what it adds to white surfaces with normals (N, 3); of one that is spread."""
        if self.around is None:
            return np.asarray(0.5 * (1.0 + normals[:, 1:2]) * np.array(self.energy), float)
        return looked_up(self.around, turned_about_up(normals, self.turn_deg)) * self.energy


@dataclass(frozen=True)
class Dress:
    """What falls on a cast and lies before it. unseen: what lights see that is not in the cast, by
    the numbers that name it as a caster."""

    lights: tuple[Light, ...] = ()
    haze: Haze | None = None
    unseen: Mapping[int, Mesh] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.lights) or (self.haze is not None and self.haze.density > 0)


PLAIN = Dress()


@dataclass(frozen=True, eq=False)
class Sight:
    """One buffer of a light: (side, side) the surface that is nearest to it, -1 for none. depth:
    (S, 3) the nearness of each surface, linear in the buffer's pixel. flats: (S,) the flat piece
    that it is of. owners: (S,) the mesh."""

    surface: Indices32
    depth: Floats
    flats: Indices
    owners: Indices

    @cached_property
    def edges(self) -> tuple[Bytes, Floats]:
        return edge_distance(self.surface, self.depth, self.flats, self.owners)


@dataclass(frozen=True, eq=False)
class Sights:
    """All buffers of a light. onto: (3, 4) from the world to a sun's: pixels and nearness. scale:
    pixels a metre; of a lamp its focal length, px. most: the nearness of what is nearest."""

    buffers: list[Sight | None]
    onto: Floats
    scale: float
    most: float
    side: int


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
    smooth = cast.smooth[seen.triangle]
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
            return _sights(cast, light, side, unseen), cast.throwers, unseen

        sights = cast.kept(key, make)[0]
        faces = range(FACES if light.kind == "lamp" else 1)
        tilt = np.stack([_tilts(light, sights, face, seen.plane) for face in faces])
        _put(record, light, sights)
        energy, tilt = np.ascontiguousarray(energy), np.ascontiguousarray(tilt)
        record["energy"], record["tilt"] = energy.ctypes.data, tilt.ctypes.data
        record["surfaces"] = len(proxy)
        held += [energy, tilt, sights]
        touched |= (energy != 0.0).any(axis=1)
    if smooth.any():
        touched |= smooth & _put_smooth(surfaces, cast, dress, seen, smooth, normal, proxy, held)
    surfaces["number"], surfaces["on"] = np.arange(len(proxy)), touched
    surfaces["depth"], surfaces["air"], surfaces["base"] = seen.inverse_depth, air, base
    surfaces["bright"] = base.clip(0.0) ** (1.0 / GAMMA)
    surfaces["flat"], surfaces["normal"] = cast.triangles.flat[seen.triangle], normal
    frame = _frame(dress.haze, shot)
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
    triangle = seen.triangle[smooth]
    surfaces["turn"][smooth] = _turns(
        cast.triangles.corners[triangle], cast.normals[triangle], normal[smooth]
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
    facing = normal @ _unit(light.place)
    # where it only grazes a surface, the shadow that shows alone fades
    by = 4.0 * facing.clip(0.0, 0.25) if light.does == "shades" else facing.clip(0.0)
    by[smooth] = 1.0
    return np.asarray(out * by[:, None], float)


def _unit(way: tuple[float, float, float]) -> Floats:
    out: Floats = np.array(way, float) / np.linalg.norm(way)
    return out


def _put(record: np.void, light: Light, sights: Sights) -> None:
    record["kind"] = SUN if light.kind == "sun" else LAMP
    record["takes"] = light.does == "shades"
    place = _unit(light.place) if light.kind == "sun" else light.place
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


def _sights(cast: Cast, light: Light, side: int, unseen: list[Mesh]) -> Sights:
    """What a light sees of what casts its shadow. unseen: of that, what is not in the cast."""
    proxy = np.array([t.proxy for t in cast.targets], np.int64)
    casts = np.array([not is_light(cast, t) for t in cast.targets], bool)
    if light.casters is not None:
        casts &= np.isin(proxy, sorted(light.casters))
    clear = np.array([can_be_clear(cast, t) for t in cast.targets], bool)
    owner = cast.triangles.owner
    whole = [(casts & ~clear)[owner]] + [owner == i for i in np.nonzero(casts & clear)[0]]
    parts = [_Part(cast, cast.triangles.of(which), which) for which in whole if which.any()]
    if unseen:
        more, last = joined(unseen), cast.triangles.flat.max(initial=-1) + 1
        more = more._replace(flat=more.flat + last, owner=more.owner + len(cast.targets))
        parts.append(_Part(cast, more))
    if light.kind == "sun":
        return _of_sun(parts, cast.triangles.corners, light, side)
    return _of_lamp(parts, light, side)


class _Part:
    """Some of a cast's triangles, that are opaque, or a thing that light comes through."""

    def __init__(self, cast: Cast, triangles: Triangles, which: Flags | None = None) -> None:
        """which: (M,) of the cast's they are; None for others, which are opaque."""
        self.cast, self.triangles = cast, triangles
        self.target: Target | None = None
        if which is not None:
            self.numbers = np.nonzero(which)[0]
            target = cast.targets[int(triangles.owner[0])]
            self.target = target if can_be_clear(cast, target) else None

    def shown(self, seen: Screen, side: int, place_of: Callable[[Floats, Floats], Floats]) -> Any:
        """(side, side) the surface of `seen` at each pixel of a buffer, -1 for none, without those
        where its picture is clear. place_of: from pixels (N, 2) and their nearness to places."""
        surface = seen_in(seen, side, side)
        if self.target is None:
            return surface
        for top in range(0, side, ROWS_AT_ONCE):
            part = surface[top : top + ROWS_AT_ONCE]
            row, column = np.nonzero(part >= 0)
            if not len(row):
                continue
            s = part[row, column]
            at = np.stack([column + 0.5, row + top + 0.5], axis=1)
            depth = seen.inverse_depth[s]
            near = (depth[:, :2] * at).sum(axis=1) + depth[:, 2]
            of = self.numbers[seen.triangle[s]]
            alpha = covered(self.cast, self.target, of, place_of(at, near))
            clear = alpha <= HIDES
            part[row[clear], column[clear]] = -1
        return surface


def _of_sun(parts: list[_Part], every: Floats, light: Light, side: int) -> Sights:
    """every: (M, 3, 3) the corners of all that its shadow may fall on or come from."""
    triangles = [part.triangles for part in parts]
    way = _unit(light.place)
    aside = np.eye(3)[int(np.argmin(np.abs(way)))]
    right = np.cross(aside, way)
    right /= np.linalg.norm(right)
    axes = np.array([right, np.cross(way, right), way])
    if not parts:
        return Sights([None], np.zeros((3, 4)), 1.0, 1.0, side)
    # shadows fall away from the light: what counts is beneath what casts them
    inside = np.concatenate([t.corners.reshape(-1, 3) for t in triangles]) @ axes.T
    low, high = inside.min(axis=0), inside.max(axis=0)
    deep = (every.reshape(-1, 3) @ axes[2]).min()
    span = max(high[2] - deep, 1e-6)
    scale = (side - 2 * MARGIN) / max(high[0] - low[0], high[1] - low[1], 1e-9)
    onto = np.zeros((3, 4))
    onto[:2, :3], onto[2, :3] = axes[:2] * scale, axes[2]
    onto[:2, 3] = MARGIN - low[:2] * scale
    onto[2, 3] = span - deep  # from one to two spans, so that it is nowhere near zero
    back = np.linalg.inv(onto[:, :3])

    def place_of(at: Floats, near: Floats) -> Floats:
        out: Floats = (np.column_stack([at, near]) - onto[:, 3]) @ back.T
        return out

    seen = [(part, screen_along(part.triangles, onto, side, side)) for part in parts]
    sight = _sight(seen, side, place_of)
    return Sights([sight], onto, float(scale), float(2 * span), side)


def _of_lamp(parts: list[_Part], light: Light, side: int) -> Sights:
    focal = 0.5 * side / SPREAD
    place = np.array(light.place, float)
    corners = np.concatenate([part.triangles.corners for part in parts] or [np.zeros((0, 3, 3))])
    ahead = (corners - place) @ FACE_AXES[:, 2].T  # (M, 3, FACES)
    near = max(NEAR * float(np.abs(ahead).max(initial=0.0)), 1e-6)
    buffers = []
    for face in range(FACES):
        camera = _face_camera(light, face, side)

        def place_of(at: Floats, nearness: Floats, camera: Camera = camera) -> Floats:
            out: Floats = camera.position + camera.rays(at) / nearness[:, None]
            return out

        seen = [(part, screen(part.triangles, camera, near)) for part in parts]
        buffers.append(_sight(seen, side, place_of))
    # of a direction within a face at least 1 / sqrt(3) goes ahead
    most = np.sqrt(3.0) / max(_least_distance(corners, place), near)
    return Sights(buffers, np.zeros((3, 4)), focal, most, side)


def _least_distance(corners: Floats, place: Floats) -> float:
    """A distance, metres, within which there is none of triangles (M, 3, 3)."""
    away = corners - place
    sides = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
    by_corner = np.linalg.norm(away, axis=2).min(axis=1) - sides
    normal = np.cross(away[:, 1] - away[:, 0], away[:, 2] - away[:, 0])
    length = np.maximum(np.linalg.norm(normal, axis=1), np.finfo(float).tiny)
    by_plane = np.abs((normal * away[:, 0]).sum(axis=1)) / length
    return float(np.maximum(by_plane, by_corner).min(initial=np.inf))


def _face_camera(light: Light, face: int, side: int) -> Camera:
    """The camera of one of a lamp's buffers."""
    right, down, ahead = FACE_AXES[face]
    turn = np.array([right, -down, -ahead])
    return Camera.centred(side, side, 0.5 * side / SPREAD, turn, np.array(light.place, float))


def _sight(
    seen: list[tuple[_Part, Screen]], side: int, place_of: Callable[[Floats, Floats], Floats]
) -> Sight | None:  # fmt: skip
    """What is nearest to a light among parts, each as the light sees it."""
    there = [(part, one) for part, one in seen if len(one.surface)]
    if not there:
        return None
    depth = np.concatenate([one.inverse_depth for _, one in there])
    flats = np.concatenate([part.triangles.flat[one.triangle] for part, one in there])
    owners = np.concatenate([part.triangles.owner[one.triangle] for part, one in there])
    nearest, begin = None, 0
    for part, one in there:
        own = part.shown(one, side, place_of)
        if nearest is None:
            nearest = own
        else:
            _put_nearer(nearest, own, begin, depth)
        begin += len(one.inverse_depth)
    assert nearest is not None
    return Sight(nearest, np.ascontiguousarray(depth), flats, owners)


def _put_nearer(nearest: Indices32, own: Indices32, begin: int, depth: Floats) -> None:
    """Put the surfaces of `own` into `nearest` where they are nearer. Both: (side, side), -1 for
    none; those of `own` are numbered from `begin` on in depth (S, 3)."""
    row, column = np.nonzero(own >= 0)
    new, old = own[row, column] + begin, nearest[row, column]
    at = np.stack([column + 0.5, row + 0.5, np.ones(len(row))], axis=1)
    ahead = (depth[new] * at).sum(axis=1) > np.where(
        old < 0, -np.inf, (depth[old] * at).sum(axis=1)
    )
    nearest[row[ahead], column[ahead]] = new[ahead]


def _tilts(light: Light, sights: Sights, face: int, plane: Floats) -> Floats:
    """(S, 3) the nearness of planes (S, 4) to a light, linear in the pixel of one of its buffers;
    zero for a plane that is seen edge-on, which the light does not reach."""
    if sights.buffers[face] is None:
        return np.zeros((len(plane), 3))
    if light.kind == "sun":
        return nearness_along(plane, sights.onto)
    return inverse_depth_of(plane, _face_camera(light, face, sights.side))
