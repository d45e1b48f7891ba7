"""Where the trick would show in one frame: maps of leak, spill, stretch and reveal, from the same
visibility and mappings that the renderer uses."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numba import carray, njit

from ..arrays import Flags, Floats32, Indices, Indices32
from ..camera import Camera
from ..mesh import Mesh
from ..threads import in_threads
from .land import EDGES, Cast, Target, Thrower
from .lookup import folded, footprint_of, nine
from .occlusion import hider, pointer, unhidden
from .screen import ScreenArrays
from .see import behind, see
from .through import LEAST
from .throws import Buffers, Places, Throws

TOO_FAR = 1.5  # shot pixels per plate pixel above which a picture counts as stretched
STOP = EDGES.index("stop")
LEAST_PIXELS = 6144  # that are worth a thread's call of their own


@dataclass(frozen=True)
class Diagnosis:
    """Maps (H, W) of one frame.

    owner: the proxy that a pixel shows, -1 for none; where pictures are clear, the one that fills
    most of it, of which all else is asked. lantern: the one whose picture shows most of there, -1
    for none. leak: no proxy is there, or nothing of them but what is clear. reveal: a proxy is
    there, but none of its lanterns sees the point. spill: the picture that lands there is of
    something nearer to the lantern. stretch: shot pixels per plate pixel along the worst axis, 0
    where no picture lands.
    """

    owner: Indices
    lantern: Indices32
    leak: Flags
    spill: Flags
    reveal: Flags
    stretch: Floats32

    @property
    def stretched(self) -> Flags:
        return self.stretch > TOO_FAR

    @property
    def maps(self) -> dict[str, Flags]:
        """The boolean maps by name."""
        return {
            "leak": self.leak, "spill": self.spill, "stretch": self.stretched,
            "reveal": self.reveal,
        }  # fmt: skip

    def shares(self) -> dict[str, float]:
        """Each map's share of the frame's pixels."""
        return {name: float(where.mean()) for name, where in self.maps.items()}

    def shares_of(self, proxy: int) -> dict[str, float]:
        """The same, counting only pixels that show one proxy."""
        return self._within(self.owner == proxy, ("spill", "stretch", "reveal"))

    def shares_by(self, lantern: int) -> dict[str, float]:
        """The same, counting only pixels on which one lantern's picture lands."""
        return self._within(self.lantern == lantern, ("spill", "stretch"))

    def _within(self, mine: Flags, names: tuple[str, ...]) -> dict[str, float]:
        maps = self.maps
        return {name: float((maps[name] & mine).mean()) for name in names}


class DiagnosedCast:
    """A cast that can be diagnosed from any camera. width: px, of the lanterns' visibility buffers;
    several times a shot's width is enough for its edges to be exact."""

    def __init__(self, targets: list[Target], throwers: list[Thrower], width: int) -> None:
        self.cast = Cast(targets, throwers, width, every_buffer=True)
        self.proxy = np.array([t.proxy for t in targets] or [0], np.int64)
        self._take(throwers)

    def _take(self, throwers: list[Thrower]) -> None:
        self._clear = [
            None if one.clear is None else np.ascontiguousarray(one.clear, np.float32)
            for one in throwers
        ]
        fitted = [one.fitted for one in throwers]
        self.places = Places(
            np.array([c.width for c in fitted], float), np.array([c.height for c in fitted], float),
            np.array([EDGES.index(one.edge) for one in throwers], np.int64),
            np.array([one.through for one in throwers], bool),
            np.array([one.strength for one in throwers], float),
            np.array([0 if c is None else c.ctypes.data for c in self._clear], np.int64),
            np.array([(1, 1) if c is None else c.shape[::-1] for c in self._clear], np.int64)
            .reshape(-1, 2), self.proxy,
        )  # fmt: skip

    def thrown_by(self, throwers: list[Thrower]) -> DiagnosedCast:
        """The same targets under the same lanterns with other plates, of the same sizes, and
        strengths."""
        other = copy(self)
        other.cast = self.cast.thrown_by(throwers)
        other._take(throwers)
        return other

    def from_(self, shot: Camera) -> Diagnosis:
        """The diagnosis of the frame that a shot camera sees."""
        cast = self.cast
        seen = see(cast.triangles, shot, cast.near_m, cast.planes)
        maps = _blank(seen.surface.shape)
        if (seen.surface >= 0).any():
            throws = cast.throws(seen.screen, shot)
            given = (seen.screen.arrays, throws, self.places, cast.buffers, maps)
            for _ in range(len(seen.screen.owner)):  # each surface is met once at most
                _diagnose_layer(seen.surface, given)
                if not throws.clear.any() or not ((maps.left > LEAST) & (seen.surface >= 0)).any():
                    break
                seen = behind(seen)
        leak = maps.left > maps.most
        owner = np.full(leak.shape, -1, np.int64)
        there = ~leak
        if there.any():
            owner[there] = self.proxy[seen.screen.owner[maps.surface[there]]]
            maps.lantern[leak], maps.stretch[leak] = -1, 0
            maps.spill[leak] = maps.reveal[leak] = False
        return Diagnosis(owner, maps.lantern, leak, maps.spill, maps.reveal, maps.stretch)


def thrown(meshes: list[Mesh], lantern: Camera, width: int) -> DiagnosedCast:
    """One lantern cast on all meshes, to be diagnosed."""
    return DiagnosedCast(
        [Target(m, proxy=i) for i, m in enumerate(meshes)], [Thrower(lantern)], width
    )


class _Maps(NamedTuple):
    """Maps (H, W) that are filled layer by layer. left: the share of what is behind that comes
    through. most: the largest share of the pixel that a surface fills so far, and which."""

    left: Floats32
    most: Floats32
    surface: Indices32
    lantern: Indices32
    spill: Flags
    reveal: Flags
    stretch: Floats32


def _blank(shape: tuple[int, ...]) -> _Maps:
    return _Maps(
        np.ones(shape, np.float32), np.zeros(shape, np.float32), np.full(shape, -1, np.int32),
        np.full(shape, -1, np.int32), np.zeros(shape, bool), np.zeros(shape, bool),
        np.zeros(shape, np.float32),
    )  # fmt: skip


def _diagnose_layer(surface: Indices32, given: tuple[Any, ...]) -> None:
    least = max(LEAST_PIXELS // surface.shape[1], 1)
    in_threads(len(surface), lambda begin, end: _diagnose_rows(surface, *given, begin, end), least)


@njit(cache=True, nogil=True, error_model="numpy")
def _diagnose_rows(
    surface: Indices32, screen: ScreenArrays, throws: Throws, places: Places, buffers: Buffers,
    maps: _Maps, begin: int, end: int,
) -> None:  # fmt: skip
    """Fill rows begin to end of the maps with what surfaces (H, W) show, where they fill more of
    the pixel than those in front of them. Shares are those of `through`."""
    first, lantern, mapping, inverse_depth, planes = (
        throws.first, throws.lantern, throws.mapping, throws.inverse, throws.plane
    )  # fmt: skip
    lefts, most = maps.left, maps.most
    for row in range(begin, end):
        y = row + 0.5
        for column in range(surface.shape[1]):
            s = surface[row, column]
            if s < 0 or lefts[row, column] <= LEAST:
                continue
            x = column + 0.5
            z = inverse_depth[s]
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
                lit = 1.0
                if buffers.address[k] != 0 and inside:
                    lit = unhidden(buffers, k, u, v, w / inverse, planes[s])
                unreached *= 1.0 - (lit + (1.0 - lit) * (1.0 - alpha))
                falls = 1.0 if places.through[k] else lit
                bare *= 1.0 - (falls + (1.0 - falls) * (1.0 - alpha))
                if left * falls * alpha > shows:
                    shown, shows = t, left * falls * alpha
                    spills = False
                    if lit < 0.5:  # a proxy's own front on its own back is not spill
                        other, mine = hider(buffers, k, u, v), screen.owner[s]
                        spills = other >= 0 and places.proxy[other] != places.proxy[mine]
                left *= 1.0 - falls * alpha
                if left <= LEAST and unreached <= LEAST:
                    break
            passes = max(left - bare, 0.0)
            fills = lefts[row, column] * (1.0 - passes)
            lefts[row, column] *= passes
            if fills <= most[row, column]:
                continue
            most[row, column] = fills
            maps.surface[row, column] = s
            maps.reveal[row, column] = unreached > 0.5
            maps.spill[row, column] = spills
            maps.lantern[row, column] = -1 if shown < 0 else lantern[shown]
            if shown >= 0:
                _, _, _, minor = footprint_of(nine(mapping, shown), x, y)
                maps.stretch[row, column] = 1.0 / np.sqrt(max(minor, 1e-12))
            else:
                maps.stretch[row, column] = 0.0


@njit(cache=True, nogil=True, error_model="numpy")
def _clear_at(places: Places, k: int, u: float, v: float) -> float:
    """A plate's alpha at (u, v), nearest pixel."""
    wide, high = places.clear_size[k, 0], places.clear_size[k, 1]
    u = folded(u, places.right[k], places.edge[k])
    v = folded(v, places.bottom[k], places.edge[k])
    c = min(int(u * wide / places.right[k]), wide - 1)
    r = min(int(v * high / places.bottom[k]), high - 1)
    found = carray(pointer(places.clear[k]), (high, wide), np.float32)
    return float(found[r, c])
