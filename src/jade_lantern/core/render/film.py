"""What a frame leaves behind besides its picture: planes of depth, place and the like, of the
surface that fills most of each pixel."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, Literal, NamedTuple, get_args

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..arrays import Floats, Floats32, Indices, Indices32
from ..camera import Camera
from ..picture.premultiplied import straight
from ..threads import in_threads
from .expose import expose
from .land import Cast, plate_records
from .screen import screen
from .tile import NOTHING

Plane = Literal["depth", "id", "position", "normal"]
PLANES: tuple[Plane, ...] = get_args(Plane)


class Film(NamedTuple):
    """A frame (H, W). What was not asked for is None.

    beauty: (H, W, 4) its alpha not multiplied in, in the kind of the plates: uint8, uint16 or
    float32. depth: along the camera's axis, metres; infinite where nothing is. id: the proxy, -1
    where nothing is. position, normal: (H, W, 3) in the world, zero where nothing is; normals face
    the camera. All but the picture are of one place, at the pixel's centre.
    """

    beauty: NDArray[Any]
    depth: Floats32 | None = None
    id: Indices32 | None = None
    position: Floats32 | None = None
    normal: Floats32 | None = None


def film(cast: Cast, shot: Camera, planes: Collection[Plane] = ()) -> Film:
    """One frame of the shot camera's size, and the planes that are asked for."""
    depth = next((one.plate.depth for one in cast.throwers if one.plate is not None), "eight")
    shape = (shot.height, shot.width)
    eight = depth == "eight"
    out: NDArray[Any] = np.zeros(
        shape if eight else (*shape, 4), np.uint32 if eight else np.float32
    )
    fills = np.empty(shape if planes else (0, 0), np.int32)
    set_up = None
    if len(cast.triangles.corners) and cast.throwers:
        set_up = screen(cast.triangles, shot, cast.near_m, cast.planes)
        if len(set_up.surface):
            throws = cast.throws(set_up, shot)
            records = plate_records(cast.throwers)
            expose(out, fills, set_up.arrays, throws, records, cast.buffers)
        else:
            set_up = None
    if eight:
        beauty = out.view(np.uint8).reshape(*shape, 4)
    else:
        beauty = straight(out, np.dtype(np.float32 if depth == "float" else np.uint16), spent=True)
    if not planes:
        return Film(beauty)

    def room(plane: Plane, kind: Any, *more: int) -> Any:
        return np.empty((*shape, *more) if plane in planes else (0,) * (2 + len(more)), kind)

    of = (
        room("depth", np.float32), room("id", np.int32),
        room("position", np.float32, 3), room("normal", np.float32, 3),
    )  # fmt: skip
    if set_up is None:
        fills[:] = NOTHING
        surfaces = np.zeros((0, 3)), np.zeros((0, 4)), np.zeros(0, np.int64)
    else:
        proxies = np.array([t.proxy for t in cast.targets], np.int64)[set_up.owner]
        surfaces = set_up.inverse_depth, set_up.plane, proxies
    rays = np.asarray(np.linalg.inv(shot.projection()), float)
    given = (fills, *surfaces, rays, shot.position, *of)
    in_threads(shape[0], lambda begin, end: _fill_rows(*given, begin, end))
    return Film(beauty, *(plane if len(plane) else None for plane in of))


@njit(cache=True, nogil=True, error_model="numpy")
def _fill_rows(
    fills: Indices32, inverse_depth: Floats, plane: Floats, proxies: Indices, rays: Floats, place:
    Floats, depth: Floats32, id: Indices32, position: Floats32, normal: Floats32, begin: int, end:
    int,
) -> None:  # fmt: skip
    """Fill rows begin to end of the planes that are not empty. rays: (3, 3) from pixels to rays of
    unit depth. place: (3,) the camera's."""
    for r in range(begin, end):
        y = r + 0.5
        for c in range(fills.shape[1]):
            s = fills[r, c]
            if s == NOTHING:
                if len(depth):
                    depth[r, c] = np.inf
                if len(id):
                    id[r, c] = NOTHING
                if len(position):
                    position[r, c] = 0.0
                if len(normal):
                    normal[r, c] = 0.0
                continue
            x = c + 0.5
            far = 1.0 / (inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2])
            if len(depth):
                depth[r, c] = far
            if len(id):
                id[r, c] = proxies[s]
            if len(position) or len(normal):
                away = 0.0
                for k in range(3):
                    along = rays[k, 0] * x + rays[k, 1] * y + rays[k, 2]
                    away += along * plane[s, k]
                    if len(position):
                        position[r, c, k] = place[k] + far * along
                if len(normal):
                    for k in range(3):
                        normal[r, c, k] = plane[s, k] if away < 0.0 else -plane[s, k]
