"""Where the trick would show in one frame: maps of leak, spill, stretch and reveal, and the share
of the frame that each takes, from the same surfaces and mappings that the renderer uses.

Maps are of pixels' middles. Shares are areas: pixels in which something begins, or in which
surfaces meet, are sampled (`parts.py`), so that a slit narrower than a pixel counts as much as it
is wide. What a lantern sees is asked exactly (`hiders.py`).
"""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..arrays import Flags, Floats32, Indices, Indices32
from ..camera import Camera
from ..mesh import Mesh
from ..threads import in_threads
from .hiders import Hiders, hiders
from .land import EDGES, Cast, Target, Thrower
from .layer import layer_at, lent, pulled_at
from .parts import CELL, KINDS, WHOLE, Parts, edge_pixels, sample_pixels
from .screen import ScreenArrays, binned_by
from .see import behind, see
from .through import LEAST
from .throws import Buffers, Places, Throws

TOO_FAR = 1.5  # frame pixels per plate pixel above which a picture counts as stretched
LEAST_PIXELS = 6144  # that are worth a thread's call of their own
LEAST_SAMPLED = 256  # the same, of pixels that are sampled


@dataclass(frozen=True)
class Diagnosis:
    """Maps (H, W) of one frame.

    owner: the proxy that a pixel shows, -1 for none; where pictures are clear, the one that fills
    most of it, of which all else is asked. lantern: the one whose picture shows most of there, -1
    for none. leak: no proxy is there, or nothing of them but what is clear. reveal: a proxy is
    there, but none of its lanterns sees the point. spill: the picture that lands there is of
    something nearer to the lantern. stretch: frame pixels per plate pixel along the worst axis, 0
    where no picture lands. too_far: the stretch above which a picture counts as stretched. parts:
    how much of each pixel is what.
    """

    owner: Indices
    lantern: Indices32
    leak: Flags
    spill: Flags
    reveal: Flags
    stretch: Floats32
    too_far: float
    parts: Parts
    pixels: float  # in the frame

    @property
    def stretched(self) -> Flags:
        return self.stretch > self.too_far

    @property
    def maps(self) -> dict[str, Flags]:
        """The boolean maps by name."""
        return {
            "leak": self.leak, "spill": self.spill, "stretch": self.stretched,
            "reveal": self.reveal,
        }  # fmt: skip

    def areas(self, *kinds: str) -> NDArray[np.uint8]:
        """(K, H, W) how much of each pixel some kinds take, in parts of WHOLE."""
        return self.parts.wrong[[KINDS.index(name) for name in kinds]]

    def share(self, kind: str, where: Flags | None = None) -> float:
        """A kind's share of the frame's area, 0 to 1; that which lies in the pixels `where`."""
        (area,) = self.areas(kind)
        total = area.sum(dtype=np.int64) if where is None else area[where].sum(dtype=np.int64)
        return float(total) / (WHOLE * self.pixels)

    def shares(self) -> dict[str, float]:
        """Each kind's share of the frame's area."""
        return {name: self.share(name) for name in KINDS}

    def shares_of(self, proxy: int) -> dict[str, float]:
        """The same, counting only what shows one proxy."""
        mine = self.parts.owner == proxy
        return {name: self.share(name, mine) for name in ("spill", "stretch", "reveal")}

    def shares_by(self, lantern: int) -> dict[str, float]:
        """The same, counting only where one lantern's picture lands."""
        mine = self.parts.lantern == lantern
        return {name: self.share(name, mine) for name in ("spill", "stretch")}


class DiagnosedCast:
    """A cast that can be diagnosed from any camera. width: px, of the lanterns' visibility buffers.
    Edges are exact at any width; what is thinner than a buffer's pixel can be missed."""

    def __init__(self, targets: list[Target], throwers: list[Thrower], width: int) -> None:
        self.cast = Cast(targets, throwers, width, every_buffer=True)
        self.hiders, self._alive = hiders(self.cast)
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

    def from_(
        self, shot: Camera, larger: float = 1.0, too_far: float = TOO_FAR,
        size: tuple[float, float] | None = None,
    ) -> Diagnosis:  # fmt: skip
        """The diagnosis of the frame that a shot camera sees. larger: how many times as wide the
        frame is that is delivered; stretch is told in its pixels. too_far: the stretch above which
        a picture counts as stretched. size: px of the camera's picture that are the frame, where it
        fills the last ones in part."""
        size = size or (float(shot.width), float(shot.height))
        cast = self.cast
        # one pixel more on each side, so that what begins beyond the frame is found at its rim
        around = replace(
            shot, width=shot.width + 2, height=shot.height + 2, cx=shot.cx + 1, cy=shot.cy + 1
        )
        first = seen = see(cast.triangles, around, cast.near_m, cast.planes)
        maps = _blank(seen.surface.shape)
        throws = cast.throws(seen.screen, around)
        given = (
            seen.screen.arrays, throws, self.places, cast.buffers, self.hiders, maps, larger
        )  # fmt: skip
        if (seen.surface >= 0).any():
            for _ in range(len(seen.screen.owner)):  # each surface is met once at most
                _diagnose_layer(seen.surface, given)
                if not throws.clear.any() or not ((maps.left > LEAST) & (seen.surface >= 0)).any():
                    break
                seen = behind(seen)
        leak = maps.left > maps.most
        owner = np.full(leak.shape, -1, np.int64)
        there = ~leak
        if there.any():
            owner[there] = self.proxy[first.screen.owner[maps.surface[there]]]
            maps.lantern[leak], maps.stretch[leak] = -1, 0
            maps.spill[leak] = maps.reveal[leak] = False
        origin = int(np.floor(around.cx)), int(np.floor(around.cy))
        parts = self._parts(first.surface, given, owner, leak, too_far, size, origin)
        within = slice(1, -1), slice(1, -1)
        return Diagnosis(
            owner[within], maps.lantern[within], leak[within], maps.spill[within],
            maps.reveal[within], maps.stretch[within], too_far, parts, size[0] * size[1],
        )  # fmt: skip

    def _parts(
        self, surface: Indices32, given: Any, owner: Indices, leak: Flags, too_far: float,
        size: tuple[float, float], origin: tuple[int, int],
    ) -> Parts:  # fmt: skip
        """How much of each pixel within the rim is what. surface, owner, leak: (H + 2, W + 2)."""
        screen, throws, places, buffers, hiders, maps, larger = given
        wrong = np.stack([leak, maps.spill, maps.stretch > too_far, maps.reveal])
        parts = Parts(
            wrong[:, 1:-1, 1:-1].astype(np.uint8) * WHOLE, owner[1:-1, 1:-1].copy(),
            maps.lantern[1:-1, 1:-1].copy(),
        )  # fmt: skip
        tables = screen, throws, places, buffers, hiders
        pixels = edge_pixels(surface, np.ascontiguousarray(wrong), *tables, size)
        high, across = (-(-n // CELL) for n in surface.shape)
        cells = *binned_by(screen.edges, screen.box, across, high, CELL), across
        in_threads(
            len(pixels),
            lambda begin, end: sample_pixels(
                pixels, *tables, self.proxy, cells, larger, too_far, size, origin, parts, begin, end
            ),
            LEAST_SAMPLED,
        )
        return parts


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
    hiders: Hiders, maps: _Maps, larger: float, begin: int, end: int,
) -> None:  # fmt: skip
    """Fill rows begin to end of the maps with what surfaces (H, W) show, where they fill more of
    the pixel than those in front of them."""
    screen, throws, places, buffers, hiders = lent(screen, throws, places, buffers, hiders)
    lefts, most = maps.left, maps.most
    for row in range(begin, end):
        y = row + 0.5
        for column in range(surface.shape[1]):
            s = surface[row, column]
            if s < 0 or lefts[row, column] <= LEAST:
                continue
            x = column + 0.5
            passes, bare, shown, spills = layer_at(
                s, x, y, screen.owner, throws, places, buffers, hiders
            )
            fills = lefts[row, column] * (1.0 - passes)
            lefts[row, column] *= passes
            if fills <= most[row, column]:
                continue
            most[row, column] = fills
            maps.surface[row, column] = s
            maps.reveal[row, column] = bare
            maps.spill[row, column] = spills
            maps.lantern[row, column] = -1 if shown < 0 else throws.lantern[shown]
            maps.stretch[row, column] = pulled_at(throws, shown, x, y, larger)
