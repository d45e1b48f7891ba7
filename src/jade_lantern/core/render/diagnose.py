"""Where the trick would show in one frame: maps of leak, spill, stretch and reveal, from the same
visibility and mappings that the renderer uses."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import carray, njit

from ..arrays import Flags, Floats32, Indices, Indices32
from ..camera import Camera
from ..mesh import Mesh
from ..threads import in_threads
from .land import EDGES, Cast, Target, Thrower
from .lookup import folded, footprint_of, nine
from .occlusion import hidden, hider, pointer
from .screen import ScreenArrays
from .see import see
from .throws import Buffers, Places, Throws

TOO_FAR = 1.5  # shot pixels per plate pixel above which a picture counts as stretched
STOP = EDGES.index("stop")


@dataclass(frozen=True)
class Diagnosis:
    """Maps (H, W) of one frame.

    owner: the proxy that a pixel shows, -1 for none. lantern: the topmost one whose picture lands
    there, -1 for none. leak: no proxy is there. reveal: a proxy is there, but none of its lanterns
    sees the point. spill: the picture that lands there is of something nearer to the lantern.
    stretch: shot pixels per plate pixel along the worst axis, 0 where no picture lands.
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
        self._clear = [
            None if one.clear is None else np.ascontiguousarray(one.clear, np.float32)
            for one in throwers
        ]
        fitted = [one.fitted for one in throwers]
        self.places = Places(
            np.array([c.width for c in fitted], float), np.array([c.height for c in fitted], float),
            np.array([EDGES.index(one.edge) for one in throwers], np.int64),
            np.array([one.through for one in throwers], bool),
            np.array([one.strength > 0 for one in throwers], bool),
            np.array([0 if c is None else c.ctypes.data for c in self._clear], np.int64),
            np.array([(1, 1) if c is None else c.shape[::-1] for c in self._clear], np.int64)
            .reshape(-1, 2), self.proxy,
        )  # fmt: skip

    def from_(self, shot: Camera) -> Diagnosis:
        """The diagnosis of the frame that a shot camera sees."""
        cast = self.cast
        seen = see(cast.triangles, shot, cast.near_m)
        shape = seen.surface.shape
        lantern = np.full(shape, -1, np.int32)
        spill, reveal = np.zeros(shape, bool), np.zeros(shape, bool)
        stretch = np.zeros(shape, np.float32)
        owner = np.full(shape, -1, np.int64)
        there = seen.surface >= 0
        if there.any():
            throws = cast.throws(seen.screen, shot)
            screen = seen.screen.arrays
            in_threads(
                shape[0],
                lambda begin, end: _diagnose_rows(
                    seen.surface, screen, throws, self.places, cast.buffers, lantern, spill, reveal,
                    stretch, begin, end,
                ),
            )  # fmt: skip
            owner[there] = self.proxy[seen.owner[there]]
        return Diagnosis(owner, lantern, ~there, spill, reveal, stretch)


def thrown(meshes: list[Mesh], lantern: Camera, width: int) -> DiagnosedCast:
    """One lantern cast on all meshes, to be diagnosed."""
    return DiagnosedCast(
        [Target(m, proxy=i) for i, m in enumerate(meshes)], [Thrower(lantern)], width
    )


@njit(cache=True, nogil=True, error_model="numpy")
def _diagnose_rows(
    surface: Indices32, screen: ScreenArrays, throws: Throws, places: Places, buffers: Buffers,
    lantern: Indices32, spill: Flags, reveal: Flags, stretch: Floats32, begin: int, end: int,
) -> None:  # fmt: skip
    """Fill rows begin to end of the maps, which start out as "nothing found"."""
    for row in range(begin, end):
        y = row + 0.5
        for column in range(surface.shape[1]):
            s = surface[row, column]
            if s < 0:
                continue
            x = column + 0.5
            z = throws.inverse[s]
            inverse = z[0] * x + z[1] * y + z[2]
            reached = False
            for t in range(throws.first[s], throws.first[s + 1]):
                k, h = throws.lantern[t], nine(throws.mapping, t)
                w = h[6] * x + h[7] * y + h[8]
                if w <= 0.0 or not places.lit[k]:
                    continue
                u = (h[0] * x + h[1] * y + h[2]) / w
                v = (h[3] * x + h[4] * y + h[5]) / w
                if places.edge[k] == STOP and not (
                    0.0 <= u < places.right[k] and 0.0 <= v < places.bottom[k]
                ):
                    continue
                if places.clear[k] != 0 and _clear_at(places, k, u, v) < 0.5:
                    continue
                behind = False
                if buffers.address[k] != 0:
                    inside = 0.0 <= u < places.right[k] and 0.0 <= v < places.bottom[k]
                    if inside:
                        behind = hidden(buffers, k, u, v, w / inverse, throws.plane[s])
                if behind and not places.through[k]:
                    continue
                if lantern[row, column] < 0:
                    lantern[row, column] = k
                    if behind:  # a proxy's own front on its own back is not spill
                        other = hider(buffers, k, u, v)
                        mine = screen.owner[s]
                        spill[row, column] = (
                            other >= 0 and places.proxy[other] != places.proxy[mine]
                        )
                    _, _, _, minor = footprint_of(h, x, y)
                    stretch[row, column] = 1.0 / np.sqrt(max(minor, 1e-12))
                if not behind:
                    reached = True
                    break
            reveal[row, column] = not reached


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
