"""What a frame leaves behind besides its picture: planes of depth, place and the like, of the
surface that fills most of each pixel; how much of each pixel is filled; and its light by
lantern."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Any, Literal, NamedTuple, get_args

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..arrays import Floats, Floats32, Indices, Indices32
from ..camera import Camera
from ..picture.premultiplied import straight
from ..threads import in_threads
from .dressing import UNDRESSED, Dressing, fill_darkening, fill_light
from .expose import expose
from .land import Cast, Thrower, plate_records
from .lights import PLAIN, Dress
from .lit import dressing_of
from .pyramid import WHITE, pyramid
from .screen import Screen, screen
from .throws import Buffers, Throws
from .tile import NOTHING

Plane = Literal[
    "depth",
    "id",
    "position",
    "normal",
    "motion",
    "coverage",
    "lanterns",
    "light",
    "shadow",
    "darkening",
    "haze",
    "ungraded",
]
PLANES: tuple[Plane, ...] = get_args(Plane)
OF_PLACES: tuple[Plane, ...] = ("depth", "id", "position", "normal", "motion")


class Film(NamedTuple):
    """A frame (H, W). What was not asked for is None.

    beauty: (H, W, 4) its alpha not multiplied in, in the kind of the plates: uint8, uint16 or
    float32. depth: along the camera's axis, metres; infinite where nothing is. id: the proxy, -1
    where nothing is. position, normal: (H, W, 3) in the world, zero where nothing is; normals face
    the camera. motion: (H, W, 2) how far what is seen moves to the next frame, px right and down;
    zero where nothing is. All these are of one place, at the pixel's centre.

    coverage: the share of a pixel that proxies fill, whatever is cast on them. lanterns:
    (L, H, W, 4) what each lantern adds, premultiplied, 0 to 1; their colours and those of haze
    (H, W, 4) add up to the picture's, and the alpha of each is the picture's. light: (H, W, 3) by
    how much what is seen at the pixel's centre is brighter than its picture, linear; 1 where
    nothing is. shadow: (H, W, 3) the share of that which no shadow takes away, so that light over
    it is what there would be without any. darkening: (H, W) the share of it that darkening leaves.
    ungraded: the beauty before any look.
    """

    beauty: NDArray[Any]
    depth: Floats32 | None = None
    id: Indices32 | None = None
    position: Floats32 | None = None
    normal: Floats32 | None = None
    motion: Floats32 | None = None
    coverage: Floats32 | None = None
    lanterns: Floats32 | None = None
    light: Floats32 | None = None
    shadow: Floats32 | None = None
    darkening: Floats32 | None = None
    haze: Floats32 | None = None
    ungraded: NDArray[Any] | None = None


def film(
    cast: Cast,
    shot: Camera,
    planes: Collection[Plane] = (),
    following: tuple[Cast, Camera] | None = None,
    dress: Dress = PLAIN,
) -> Film:
    """One frame of the shot camera's size, and the planes that are asked for. following: what is
    looked at in the next frame, and from where; for motion. dress: what falls on it. Light by
    lantern takes plates of more than eight bit, in which it adds up, as that of haze does."""
    kinds = {one.plate.depth for one in cast.throwers if one.plate is not None}
    if len(kinds) > 1:
        raise ValueError("plates of one frame are kept in one kind")
    depth = kinds.pop() if kinds else "eight"
    shape = (shot.height, shot.width)
    of_places = [plane for plane in OF_PLACES if plane in planes]
    lit = {"light", "shadow", "darkening"}.intersection(planes)
    filled = of_places or lit
    fills = np.empty(shape if filled else (0, 0), np.int32)
    set_up, throws, dressing = None, None, UNDRESSED
    out = _blank(shape, depth == "eight")
    if len(cast.triangles.corners) and cast.throwers:
        set_up = screen(cast.triangles, shot, cast.near_m, cast.planes, cast.fronts(shot))
        if len(set_up.surface):
            throws = cast.throws(set_up, shot)
            records = plate_records(cast.throwers)
            dressing, _held = dressing_of(cast, dress, set_up, shot)
            expose(out, fills, set_up.arrays, throws, records, cast.buffers, dressing)
        else:
            set_up = None
    if set_up is None:
        fills[:] = NOTHING
    if depth == "eight":
        beauty = out.view(np.uint8).reshape(*shape, 4)
    else:
        beauty = straight(out, np.dtype(np.float32 if depth == "float" else np.uint16), spent=True)
    made: dict[str, Any] = {}
    if of_places:
        made = _of_places(cast, shot, set_up, fills, of_places, following)
    if "ungraded" in planes:
        made["ungraded"] = beauty
    if "coverage" in planes:
        made["coverage"] = _coverage(shape, set_up)
    if "lanterns" in planes:
        made["lanterns"] = _by_lantern(cast, shape, set_up, throws, dressing, depth)
    if "haze" in planes:
        made["haze"] = _of_haze(cast, shape, set_up, throws, dressing, depth)
    if "darkening" in planes:
        made["darkening"] = np.ones(shape, np.float32)
        if len(dressing.surfaces):
            given = fills, dressing, made["darkening"]
            in_threads(shape[0], lambda begin, end: fill_darkening(*given, begin, end))
    if {"light", "shadow"}.intersection(planes):
        light = _of_light(shape, fills, dressing)
        if "light" in planes:
            made["light"] = light
        if "shadow" in planes:
            made["shadow"] = np.ones((*shape, 3), np.float32)
            if set_up is not None and len(dressing.surfaces):
                bare, _held = dressing_of(cast, _without_shadows(dress), set_up, shot)
                whole = _of_light(shape, fills, bare)
                np.divide(light, whole, out=made["shadow"], where=whole > 0)
    return Film(beauty, **made)


def _of_light(shape: tuple[int, int], fills: Indices32, dressing: Dressing) -> Floats32:
    """(H, W, 3) by how much surfaces are brighter than their picture."""
    out = np.ones((*shape, 3), np.float32)
    if len(dressing.surfaces):
        given = (fills, dressing, out)
        in_threads(shape[0], lambda begin, end: fill_light(*given, begin, end))
    return out


def _without_shadows(dress: Dress) -> Dress:
    lights = tuple(replace(one, casters=frozenset()) for one in dress.lights)
    return replace(dress, lights=lights, unseen={})


def _blank(shape: tuple[int, int], eight: bool) -> NDArray[Any]:
    return np.zeros(shape, np.uint32) if eight else np.zeros((*shape, 4), np.float32)


def _by_lantern(
    cast: Cast, shape: tuple[int, int], set_up: Screen | None, throws: Throws | None, dressing:
    Dressing, depth: Any,
) -> Floats32:  # fmt: skip
    """(L, H, W, 4) the frame once for each lantern, with the light of no other."""
    if depth == "eight":
        raise ValueError("light by lantern does not add up in eight bit")
    out = np.zeros((len(cast.throwers), *shape, 4), np.float32)
    if set_up is None or throws is None:
        return out
    given, dressing = dressing, _of_colour(dressing, 0.0)
    for k, layer in enumerate(out):
        alone = [replace(one, dark=i != k) for i, one in enumerate(cast.throwers)]
        none = np.empty((0, 0), np.int32)
        expose(layer, none, set_up.arrays, throws, plate_records(alone), cast.buffers, dressing)
    lighter = [k for k, one in enumerate(cast.throwers) if one.mixing == "lighten"]
    if lighter:  # what they add hangs on what is behind them: the rest of the frame
        whole, none = np.zeros_like(out[0]), np.empty((0, 0), np.int32)
        records = plate_records(cast.throwers)
        expose(whole, none, set_up.arrays, throws, records, cast.buffers, given)
        haze = _of_haze(cast, shape, set_up, throws, given, depth) * np.float32(WHITE[depth])
        out[lighter[0], ..., :3] += (whole - out.sum(axis=0) - haze)[..., :3]
    out /= np.float32(WHITE[depth])
    if depth == "sixteen":  # the picture is clipped to what it keeps, so its layers are, all alike
        total, most = out[..., :3].sum(axis=0), out[0, ..., 3:].clip(0, 1)
        out[..., :3] *= np.where(total > 0, np.minimum(total, most) / np.maximum(total, 1e-9), 0)
    return out


def _of_haze(
    cast: Cast, shape: tuple[int, int], set_up: Screen | None, throws: Throws | None, dressing:
    Dressing, depth: Any,
) -> Floats32:  # fmt: skip
    """(H, W, 4) the frame with the light of no lantern: what haze alone shows."""
    if depth == "eight":
        raise ValueError("light by lantern does not add up in eight bit")
    out = np.zeros((*shape, 4), np.float32)
    if set_up is None or throws is None or not len(dressing.surfaces):
        return out
    dark = [replace(one, dark=True) for one in cast.throwers]
    none = np.empty((0, 0), np.int32)
    expose(out, none, set_up.arrays, throws, plate_records(dark), cast.buffers, dressing)
    out /= np.float32(WHITE[depth])
    return out


def _of_colour(dressing: Dressing, times: float) -> Dressing:
    """The same with the haze's colour so many times as bright."""
    frame = dressing.frame.copy()
    frame["haze"] *= times
    return dressing._replace(frame=frame)


def _coverage(shape: tuple[int, int], set_up: Screen | None) -> Floats32:
    """(H, W) the alpha of the frame with white everywhere."""
    out = np.zeros((*shape, 4), np.float32)
    if set_up is None:
        return out[..., 3]
    white = Thrower.laid_on(pyramid(np.ones((1, 1, 3), np.float32)))
    count = len(set_up.owner)
    middle = np.array([[0.0, 0.0, 0.5], [0.0, 0.0, 0.5], [0.0, 0.0, 1.0]])
    throws = Throws(
        np.arange(count + 1), np.zeros(count, np.int64), np.tile(middle, (count, 1, 1)),
        set_up.inverse_depth, set_up.plane, np.zeros(count, bool),
    )  # fmt: skip
    buffers = Buffers(
        np.zeros(1, np.int64), np.ones((1, 2), np.int64), np.ones((1, 2)), np.zeros((1, 3)),
        np.zeros((1, 4)), np.zeros(1, np.int64), np.zeros(1, np.int64),
    )  # fmt: skip
    none = np.empty((0, 0), np.int32)
    expose(out, none, set_up.arrays, throws, plate_records([white]), buffers, UNDRESSED)
    return np.ascontiguousarray(out[..., 3])


def _of_places(
    cast: Cast, shot: Camera, set_up: Screen | None, fills: Indices32, planes: list[Plane],
    following: tuple[Cast, Camera] | None,
) -> dict[str, Any]:  # fmt: skip
    """The planes that are of the surface which fills most of a pixel. fills: (H, W) which one."""
    shape = fills.shape

    def room(plane: Plane, kind: Any, *more: int) -> Any:
        return np.empty((*shape, *more) if plane in planes else (0,) * (2 + len(more)), kind)

    of = (
        room("depth", np.float32), room("id", np.int32), room("position", np.float32, 3),
        room("normal", np.float32, 3), room("motion", np.float32, 2),
    )  # fmt: skip
    if set_up is None:
        surfaces = np.zeros((0, 3)), np.zeros((0, 4)), np.zeros(0, np.int64)
    else:
        proxies = np.array([t.proxy for t in cast.targets], np.int64)[set_up.owner]
        surfaces = set_up.inverse_depth, set_up.plane, proxies
    carried, ahead, place = np.zeros((0, 3, 4)), np.eye(3), np.zeros(3)
    if "motion" in planes:
        if following is None:
            raise ValueError("motion is to the next frame, which was not given")
        then, lens = following
        carried = _carried(cast, then, set_up)
        ahead, place = np.asarray(lens.projection(), float), lens.position
    rays = shot.unprojection()
    given = (fills, *surfaces, rays, shot.position, carried, ahead, place, *of)
    in_threads(shape[0], lambda begin, end: _fill_rows(*given, begin, end))
    return {name: plane for name, plane in zip(OF_PLACES, of, strict=True) if name in planes}


def _carried(cast: Cast, then: Cast, set_up: Screen | None) -> Floats:
    """(S, 3, 4) matrices that take a place on a surface to where it is in the next frame."""
    if set_up is None:
        return np.zeros((0, 3, 4))
    out = np.tile(np.eye(3, 4), (len(set_up.owner), 1, 1))
    if then is cast or len(then.triangles.corners) != len(cast.triangles.corners):
        return out
    before = cast.triangles.corners[set_up.triangle]
    after = then.triangles.corners[set_up.triangle]
    moved = np.nonzero((before != after).any(axis=(1, 2)))[0]
    if len(moved):
        turn = _axes(after[moved]) @ np.linalg.inv(_axes(before[moved]))
        from_ = before[moved, 0]
        out[moved, :, :3] = turn
        out[moved, :, 3] = after[moved, 0] - np.einsum("nij,nj->ni", turn, from_)
    return out


def _axes(corners: Floats) -> Floats:
    """(N, 3, 3) two sides and the unit normal of triangles (N, 3, 3), as columns."""
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    n = np.cross(u, v)
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    out: Floats = np.stack([u, v, n], axis=2)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _fill_rows(
    fills: Indices32, inverse_depth: Floats, plane: Floats, proxies: Indices, rays: Floats, place:
    Floats, carried: Floats, ahead: Floats, next_place: Floats, depth: Floats32, id: Indices32,
    position: Floats32, normal: Floats32, motion: Floats32, begin: int, end: int,
) -> None:  # fmt: skip
    """Fill rows begin to end of the planes that are not empty. rays: (3, 3) from pixels to rays of
    unit depth. place: (3,) the camera's. ahead: (3, 3) the projection of the next frame's camera,
    and next_place its place."""
    at, then, row, across = np.empty(3), np.empty(3), np.empty(3), rays[:, 0].copy()
    far_x, far_1 = 0.0, 0.0
    deep, named, placed, faced, moves = (
        len(depth) > 0, len(id) > 0, len(position) > 0, len(normal) > 0, len(motion) > 0
    )  # fmt: skip
    along_rays = placed or faced or moves
    for r in range(begin, end):
        y = r + 0.5
        last = np.int64(NOTHING)
        for k in range(3):
            row[k] = rays[k, 1] * y + rays[k, 2]
        for c in range(fills.shape[1]):
            s = fills[r, c]
            if s == NOTHING:
                if deep:
                    depth[r, c] = np.inf
                if named:
                    id[r, c] = NOTHING
                if placed:
                    position[r, c] = 0.0
                if faced:
                    normal[r, c] = 0.0
                if moves:
                    motion[r, c] = 0.0
                continue
            if s != last:  # neighbours mostly show the same surface
                last = s
                far_x, far_1 = inverse_depth[s, 0], inverse_depth[s, 1] * y + inverse_depth[s, 2]
            x = c + 0.5
            far = 1.0 / (far_x * x + far_1)
            if deep:
                depth[r, c] = far
            if named:
                id[r, c] = proxies[s]
            if not along_rays:
                continue
            away = 0.0
            for k in range(3):
                along = across[k] * x + row[k]
                at[k] = place[k] + far * along
                if placed:
                    position[r, c, k] = at[k]
                if faced:
                    away += along * plane[s, k]
            if faced:
                for k in range(3):
                    normal[r, c, k] = plane[s, k] if away < 0.0 else -plane[s, k]
            if moves:
                for k in range(3):
                    then[k] = carried[s, k, 3] - next_place[k]
                    for j in range(3):
                        then[k] += carried[s, k, j] * at[j]
                w = ahead[2, 0] * then[0] + ahead[2, 1] * then[1] + ahead[2, 2] * then[2]
                for k in range(2):
                    p = ahead[k, 0] * then[0] + ahead[k, 1] * then[1] + ahead[k, 2] * then[2]
                    here = x if k == 0 else y
                    motion[r, c, k] = p / w - here if w > 0.0 else 0.0
