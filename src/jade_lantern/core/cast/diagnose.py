"""Where the trick would show in one frame: leak, spill, stretch and reveal, by the renderer's own
visibility."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Flags, Floats, Indices
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from .render import mappings
from .see import Seen, see

TOO_FAR = 1.5  # shot pixels a plate pixel, past which a picture counts as stretched
SAME = 1e-6  # of a depth: nearer than so much more is the same place


@dataclass(frozen=True)
class Diagnosis:
    """Maps (H, W) of one frame. owner: which mesh a pixel shows, -1 for none.

    leak: nothing is there for the picture to land on. reveal: what shows there the lantern does
    not see. spill: of that, where a nearer thing's picture lands. stretch: shot pixels per plate
    pixel along the worst axis; 0 where no picture lands.
    """

    owner: Indices
    leak: Flags
    spill: Flags
    reveal: Flags
    stretch: Floats

    @property
    def stretched(self) -> Flags:
        return self.stretch > TOO_FAR

    def shares(self) -> dict[str, float]:
        """Of all pixels of the frame."""
        return {
            "leak": float(self.leak.mean()), "spill": float(self.spill.mean()),
            "stretch": float(self.stretched.mean()), "reveal": float(self.reveal.mean()),
        }  # fmt: skip

    def shares_of(self, mesh: int) -> dict[str, float]:
        """The same for what one mesh shows, still of all pixels of the frame."""
        mine = self.owner == mesh
        maps = {"spill": self.spill, "stretch": self.stretched, "reveal": self.reveal}
        return {name: float((m & mine).mean()) for name, m in maps.items()}


class Thrown:
    """Meshes with the plate of one lantern thrown onto them, looked at from any camera. What the
    lantern sees is worked out at `width` pixels, best several times that of a shot."""

    def __init__(self, meshes: list[Mesh], lantern: Camera, width: int) -> None:
        self.corners, self.owner = joined(meshes)
        self.lantern = lantern
        self.near = NEAREST * world_size(lantern)
        height = max(round(width * lantern.height / lantern.width), 1)
        self.seen_at = np.array([width / lantern.width, height / lantern.height])
        self.by_lantern = see(self.corners, self.owner, lantern.resized(width, height), self.near)

    def from_(self, shot: Camera) -> Diagnosis:
        """What shows from a shot camera."""
        seen = see(self.corners, self.owner, shot, self.near)
        shape = seen.surface.shape
        spill, reveal = np.zeros(shape, bool), np.zeros(shape, bool)
        stretch = np.zeros(shape)
        rows, columns = np.nonzero(seen.surface >= 0)
        surface = seen.surface[rows, columns].astype(np.int64)
        if len(surface):
            at = np.stack([columns + 0.5, rows + 0.5], axis=1)
            to = mappings(seen.screen, shot, self.lantern)
            pixel, inside, worst = _thrown(to, surface, at, self.lantern)
            hidden = self._hidden(seen, shot, surface, at, pixel, inside)
            reveal[rows, columns] = ~inside | hidden
            spill[rows, columns] = inside & hidden
            stretch[rows, columns] = np.where(inside, worst, 0.0)
        return Diagnosis(seen.owner, seen.surface < 0, spill, reveal, stretch)

    def _hidden(
        self, seen: Seen, shot: Camera, surface: Indices, at: Floats, pixel: Floats, inside: Flags
    ) -> Flags:
        """Which places, seen at pixels of the shot, the lantern sees something before."""
        depth = 1.0 / seen.inverse_depth_at(surface, at)
        h = np.concatenate([at, np.ones((len(at), 1))], axis=1)
        place = shot.position + (h @ np.linalg.inv(shot.projection()).T) * depth[:, None]
        far = (place - self.lantern.position) @ self.lantern.projection()[2]
        out = inside.copy()
        pixel = pixel * self.seen_at
        height, width = self.by_lantern.surface.shape
        # what hides a place shows at all four of the lantern's pixels round it: at one alone it
        # may be a silhouette that the place lies beside
        for down in (0, 1):
            for across in (0, 1):
                row = np.floor(pixel[:, 1] - 0.5).astype(int) + down
                column = np.floor(pixel[:, 0] - 0.5).astype(int) + across
                row = np.clip(row, 0, height - 1)
                column = np.clip(column, 0, width - 1)
                nearest = self.by_lantern.surface[row, column].astype(np.int64)
                out &= nearest >= 0
                look = np.nonzero(out)[0]
                nearer = self.by_lantern.inverse_depth_at(nearest[look], pixel[look])
                # a plane that both show is one place, whatever rounding says
                mine = seen.screen.plane[surface[look]]
                other = self.by_lantern.screen.plane[nearest[look]]
                same = np.abs(mine - other).max(axis=1) < SAME * np.abs(mine).max(axis=1).clip(1)
                out[look] = (nearer * far[look] > 1 + SAME) & ~same
        return out


def _thrown(
    to: Floats, surface: Indices, at: Floats, lantern: Camera
) -> tuple[Floats, Flags, Floats]:
    """Where shot pixels (N, 2) of surfaces (N,) fall in the plate (N, 2), which of them inside
    it, and how many shot pixels a plate pixel gets along the worst axis (N,)."""
    H = to[surface]
    u, v, w = (H[:, i, 0] * at[:, 0] + H[:, i, 1] * at[:, 1] + H[:, i, 2] for i in range(3))
    ahead = w > 0
    w = np.where(ahead, w, 1.0)
    pixel = np.stack([u / w, v / w], axis=1)
    inside = ahead & (pixel >= 0).all(axis=1)
    inside &= (pixel[:, 0] < lantern.width) & (pixel[:, 1] < lantern.height)
    ux, uy = ((H[:, 0, k] - pixel[:, 0] * H[:, 2, k]) / w for k in (0, 1))
    vx, vy = ((H[:, 1, k] - pixel[:, 1] * H[:, 2, k]) / w for k in (0, 1))
    a, b, c = ux**2 + vx**2, uy**2 + vy**2, ux * uy + vx * vy
    least = 0.5 * (a + b - np.sqrt((a - b) ** 2 + 4 * c**2))
    return pixel, inside, 1 / np.sqrt(np.maximum(least, 1e-12))
