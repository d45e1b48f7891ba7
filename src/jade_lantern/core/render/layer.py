"""What one surface shows at a place of a frame, as the maps ask it: which of its lanterns' pictures
land there, and how much comes through of what is behind."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import carray, njit

from ..arrays import Indices
from .hiders import Hiders, hider_of
from .land import EDGES
from .lookup import folded, footprint_of, nine
from .occlusion import pointer
from .screen import ScreenArrays
from .through import LEAST
from .throws import Buffers, Places, Throws

STOP = EDGES.index("stop")


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _lent(a: Any) -> Any:
    return carray(pointer(a.ctypes.data), a.shape, a.dtype)


@njit(cache=True, nogil=True, error_model="numpy")
def lent(
    screen: ScreenArrays, throws: Throws, places: Places, buffers: Buffers, hiders: Hiders
) -> tuple[ScreenArrays, Throws, Places, Buffers, Hiders]:
    """The same tables, of arrays without reference counts. Numba counts each array of a tuple up
    and down wherever the tuple is handed on, which took ten times as long as the maps."""
    return (
        ScreenArrays(
            _lent(screen.edges), _lent(screen.box), _lent(screen.surface),
            _lent(screen.inverse_depth), _lent(screen.plane), _lent(screen.owner),
            _lent(screen.eldest), _lent(screen.thin), _lent(screen.bin_start),
            _lent(screen.bin_triangles), screen.across, screen.down,
        ),
        Throws(
            _lent(throws.first), _lent(throws.lantern), _lent(throws.mapping),
            _lent(throws.inverse), _lent(throws.plane), _lent(throws.clear),
        ),
        Places(
            _lent(places.right), _lent(places.bottom), _lent(places.edge), _lent(places.through),
            _lent(places.strength), _lent(places.clear), _lent(places.clear_size),
            _lent(places.proxy),
        ),
        Buffers(
            _lent(buffers.address), _lent(buffers.size), _lent(buffers.scale), _lent(buffers.depth),
            _lent(buffers.plane), _lent(buffers.target), _lent(buffers.first),
        ),
        Hiders(
            _lent(hiders.edges), _lent(hiders.box), _lent(hiders.surface),
            _lent(hiders.first_cell), _lent(hiders.across), _lent(hiders.cell_start),
            _lent(hiders.cell_triangles), _lent(hiders.thin),
        ),
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def layer_at(
    s: int, x: float, y: float, owner: Indices, throws: Throws, places: Places, buffers: Buffers,
    hiders: Hiders,
) -> tuple[float, bool, int, bool]:  # fmt: skip
    """What surface s shows at pixel place (x, y): the share of what is behind it that comes
    through; whether none of its lanterns sees the point; the throw whose picture shows most, -1 for
    none; and whether that picture is of something nearer to its lantern. Shares are those of
    `through`."""
    first, lantern, mapping = throws.first, throws.lantern, throws.mapping
    z, plane = throws.inverse[s], throws.plane[s]
    inverse = z[0] * x + z[1] * y + z[2]
    left, bare, unreached = 1.0, 1.0, 1.0
    shown, shows, spills = -1, 0.0, False
    for t in range(first[s], first[s + 1]):
        k, h = lantern[t], nine(mapping, t)
        w = h[6] * x + h[7] * y + h[8]
        if w <= 0.0:
            continue
        u = (h[0] * x + h[1] * y + h[2]) / w
        v = (h[3] * x + h[4] * y + h[5]) / w
        inside = 0.0 <= u < places.right[k] and 0.0 <= v < places.bottom[k]
        if places.edge[k] == STOP and not inside:
            continue
        alpha = places.strength[k]
        if places.clear[k] != 0:
            alpha *= _clear_at(places, k, u, v)
        hider = -1
        if buffers.address[k] != 0 and inside:
            hider = hider_of(buffers, hiders, k, u, v, w / inverse, plane)
        lit = 1.0 if hider < 0 else 0.0
        unreached *= 1.0 - (lit + (1.0 - lit) * (1.0 - alpha))
        falls = 1.0 if places.through[k] else lit
        bare *= 1.0 - (falls + (1.0 - falls) * (1.0 - alpha))
        if left * falls * alpha > shows:
            shown, shows = t, left * falls * alpha
            # a proxy's own front on its own back is not spill
            spills = hider >= 0 and places.proxy[buffers.target[hider]] != places.proxy[owner[s]]
        left *= 1.0 - falls * alpha
        if left <= LEAST and unreached <= LEAST:
            break
    return max(left - bare, 0.0), unreached > 0.5, shown, spills


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def pulled_at(throws: Throws, throw: int, x: float, y: float, larger: float) -> float:
    """How many frame pixels a plate pixel of a throw is pulled to along the worst axis at pixel
    place (x, y), where the frame is so many times larger; 0 for no throw."""
    if throw < 0:
        return 0.0
    _, _, _, minor = footprint_of(nine(throws.mapping, throw), x, y)
    return larger / np.sqrt(max(minor, 1e-12))


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _clear_at(places: Places, k: int, u: float, v: float) -> float:
    """A plate's alpha at (u, v), nearest pixel."""
    wide, high = places.clear_size[k, 0], places.clear_size[k, 1]
    u = folded(u, places.right[k], places.edge[k])
    v = folded(v, places.bottom[k], places.edge[k])
    c = min(int(u * wide / places.right[k]), wide - 1)
    r = min(int(v * high / places.bottom[k]), high - 1)
    found = carray(pointer(places.clear[k]), (high, wide), np.float32)
    return float(found[r, c])
