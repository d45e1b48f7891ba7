"""Where the trick would show in one frame: leak, spill, stretch and reveal, by the renderer's own
visibility."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import carray, njit, prange

from ..arrays import Flags, Floats32, Indices, Indices32
from ..camera import Camera
from ..mesh import Mesh
from .first import hidden, hider, pointer
from .land import EDGES, Cast, Target, Thrower
from .lookup import folded, footprint_of, nine
from .see import see
from .throws import Places, Sights, Throws
from .visibility import Laid

TOO_FAR = 1.5  # shot pixels a plate pixel, past which a picture counts as stretched
STOP = EDGES.index("stop")


@dataclass(frozen=True)
class Diagnosis:
    """Maps (H, W) of one frame. owner: which proxy a pixel shows, -1 for none. lantern: whose
    picture lands there, -1 for none's.

    leak: nothing is there for a picture to land on. reveal: what shows there no lantern of its own
    sees. spill: a nearer thing's picture lands there. stretch: shot pixels per plate pixel along
    the worst axis; 0 where no picture lands.
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
        """What can be said of a place, by name."""
        return {
            "leak": self.leak, "spill": self.spill, "stretch": self.stretched,
            "reveal": self.reveal,
        }  # fmt: skip

    def shares(self) -> dict[str, float]:
        """Of all pixels of the frame."""
        return {name: float(where.mean()) for name, where in self.maps.items()}

    def shares_of(self, proxy: int) -> dict[str, float]:
        """The same for what one proxy shows, still of all pixels of the frame."""
        return self._within(self.owner == proxy, ("spill", "stretch", "reveal"))

    def shares_by(self, lantern: int) -> dict[str, float]:
        """The same for where one lantern's picture lands."""
        return self._within(self.lantern == lantern, ("spill", "stretch"))

    def _within(self, mine: Flags, names: tuple[str, ...]) -> dict[str, float]:
        maps = self.maps
        return {name: float((maps[name] & mine).mean()) for name in names}


class Told:
    """A cast that is looked at from any camera to tell where the trick would show. What lanterns
    see is worked out at `width` pixels, best several times that of a shot."""

    def __init__(self, targets: list[Target], throwers: list[Thrower], width: int) -> None:
        self.cast = Cast(targets, throwers, width, told=True)
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
        """What shows from a shot camera."""
        cast = self.cast
        seen = see(cast.corners, cast.owner, shot, cast.near_m, cast.apart)
        shape = seen.surface.shape
        lantern = np.full(shape, -1, np.int32)
        spill, reveal = np.zeros(shape, bool), np.zeros(shape, bool)
        stretch = np.zeros(shape, np.float32)
        owner = np.full(shape, -1, np.int64)
        there = seen.surface >= 0
        if there.any():
            throws = cast.throws(seen.screen, shot)
            _tell(
                seen.surface, seen.screen.laid, throws, self.places, cast.sights, lantern, spill,
                reveal, stretch,
            )  # fmt: skip
            owner[there] = self.proxy[seen.owner[there]]
        return Diagnosis(owner, lantern, ~there, spill, reveal, stretch)


def thrown(meshes: list[Mesh], lantern: Camera, width: int) -> Told:
    """One lantern thrown onto everything, to be looked at."""
    return Told([Target(m, proxy=i) for i, m in enumerate(meshes)], [Thrower(lantern)], width)


@njit(cache=True, nogil=True, parallel=True, error_model="numpy")
def _tell(
    surface: Indices32, laid: Laid, throws: Throws, places: Places, sights: Sights,
    lantern: Indices32, spill: Flags, reveal: Flags, stretch: Floats32,
) -> None:  # fmt: skip
    for row in prange(surface.shape[0]):
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
                if sights.address[k] != 0:
                    inside = 0.0 <= u < places.right[k] and 0.0 <= v < places.bottom[k]
                    if inside:
                        behind = hidden(sights, k, u, v, w / inverse, throws.plane[s])
                if behind and not places.through[k]:
                    continue
                if lantern[row, column] < 0:
                    lantern[row, column] = k
                    if behind:  # its own front on its back is no other thing's picture
                        other = hider(sights, k, u, v)
                        mine = laid.owner[s]
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
    """How much a lantern's plate covers at a place."""
    wide, high = places.clear_size[k, 0], places.clear_size[k, 1]
    u = folded(u, places.right[k], places.edge[k])
    v = folded(v, places.bottom[k], places.edge[k])
    c = min(int(u * wide / places.right[k]), wide - 1)
    r = min(int(v * high / places.bottom[k]), high - 1)
    found = carray(pointer(places.clear[k]), (high, wide), np.float32)
    return float(found[r, c])
