"""Proposed split: the fewest plates by which no proxy gets a nearer one's picture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Flags, Floats
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from .see import see

LEAST = 6  # px of the looked-at picture: two that overlap less only touch
APART = 0.002  # of a distance: what is behind another by less lies on it


@dataclass(frozen=True)
class Split:
    """plates: for each plate in order, the meshes that are cast from it; the first is the picture
    as it is. removed: for each plate, the meshes that are to be painted out of it. crossing:
    pairs that are each in front of the other somewhere, so that no order is right for both."""

    plates: tuple[tuple[int, ...], ...]
    removed: tuple[tuple[int, ...], ...]
    crossing: tuple[tuple[int, int], ...]


def proposed_split(meshes: list[Mesh], lantern: Camera, width: int = 480) -> Split:
    """Which meshes block which in the lantern's view, looked at `width` px wide, and from that the
    fewest plates: two of which one blocks the other cannot share one.

    What nothing blocks is cast from the picture as it is. The rest is a greedy colouring of the
    graph of those that block each other, nearest first, as a painter goes on from plate to plate.
    """
    if not meshes:
        return Split((), (), ())
    before = blocking(meshes, lantern, width)
    apart = (before > 0) | (before.T > 0)
    plate = np.full(len(meshes), -1)
    for i in _nearest_first(before):
        if not before[:, i].any():
            plate[i] = 0
            continue
        taken = set(plate[apart[i] & (plate >= 0)].tolist())
        plate[i] = next(n for n in range(1, len(meshes) + 1) if n not in taken)
    own = [np.nonzero(plate == n)[0] for n in range(int(plate.max()) + 1)]
    removed = tuple(
        tuple(int(j) for j in np.nonzero(before[:, members].any(axis=1))[0]) for members in own
    )
    crossing = tuple(
        (i, j) for i in range(len(meshes)) for j in range(i) if before[i, j] and before[j, i]
    )
    return Split(tuple(tuple(int(i) for i in members) for members in own), removed, crossing)


def _nearest_first(before: Floats) -> list[int]:
    """All meshes in an order in which those that block come before those that are blocked. Of two
    that are each before the other somewhere, the one that hides more goes first."""
    left, out = list(range(len(before))), []
    ahead = np.where(before >= before.T, before, 0)
    ahead = ahead * ~((before == before.T) & np.tril(np.ones_like(before, bool)))
    while left:
        blocked = {i: float(ahead[left, i].sum()) for i in left}
        out.append(min(left, key=lambda i: (blocked[i], i)))
        left.remove(out[-1])
    return out


def blocking(meshes: list[Mesh], lantern: Camera, width: int = 480) -> Floats:
    """(N, N) how many px of mesh j mesh i hides."""
    if not meshes:
        return np.zeros((0, 0))
    height = max(round(width * lantern.height / lantern.width), 1)
    camera = lantern.resized(width, height)
    near = NEAREST * world_size(lantern)
    depths = np.stack([_depth(m, camera, near) for m in meshes]).reshape(len(meshes), -1)
    there = depths > 0
    out = np.zeros((len(meshes), len(meshes)))
    for i in range(len(meshes)):
        hides = there & there[i] & (depths * (1 + APART) < depths[i])
        out[i] = hides.sum(axis=1)
    out[out < LEAST] = 0
    return out


def _depth(mesh: Mesh, camera: Camera, near: float) -> Floats:
    """(H, W) one over the depth of a mesh by itself; 0 where it is not seen."""
    seen = see(*joined([mesh]), camera, near)
    out = np.zeros(seen.surface.shape)
    rows, columns = np.nonzero(seen.surface >= 0)
    at = np.stack([columns + 0.5, rows + 0.5], axis=1)
    if len(rows):
        surface = seen.surface[rows, columns].astype(np.int64)
        out[rows, columns] = seen.inverse_depth_at(surface, at)
    return out


def spilled(meshes: list[Mesh], lantern: Camera, plates: Split, width: int = 480) -> Flags:
    """(N,) which meshes still have a nearer one of their own plate before them."""
    before = blocking(meshes, lantern, width)
    out = np.zeros(len(meshes), bool)
    for own in plates.plates:
        for i in own:
            out[i] = any(before[j, i] for j in own if j != i)
    return out
