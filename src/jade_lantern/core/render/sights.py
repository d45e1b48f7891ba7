"""What suns and lamps see of what casts their shadows: their buffers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from ..arrays import Bytes, Flags, Floats, Indices, Indices32
from ..camera import Camera
from ..mesh import Mesh, Triangles, joined
from .covers import HIDES, can_be_clear, covered, is_light
from .land import Cast, Target
from .lights import Light
from .screen import Screen, inverse_depth_of, nearness_along, screen, screen_along
from .see import seen_in
from .shadow import FACE_AXES, FACES, SPREAD, edge_distance

BYTES_A_LIGHT = 90 << 20  # about, of what one sees
NEAR = 1e-4  # of the farthest thing round a lamp: what is nearer to it casts no shadow
ROWS_AT_ONCE = 256  # of a buffer, that are looked at for where a picture is clear
MARGIN = 8  # px of a sun's buffer that are left free on each side


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


def unit(way: tuple[float, float, float]) -> Floats:
    out: Floats = np.array(way, float) / np.linalg.norm(way)
    return out


def sights(cast: Cast, light: Light, side: int, unseen: list[Mesh]) -> Sights:
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
    way = unit(light.place)
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


def tilts(light: Light, sights: Sights, face: int, plane: Floats) -> Floats:
    """(S, 3) the nearness of planes (S, 4) to a light, linear in the pixel of one of its buffers;
    zero for a plane that is seen edge-on, which the light does not reach."""
    if sights.buffers[face] is None:
        return np.zeros((len(plane), 3))
    if light.kind == "sun":
        return nearness_along(plane, sights.onto)
    return inverse_depth_of(plane, _face_camera(light, face, sights.side))
