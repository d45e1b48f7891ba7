"""Proposed split: the fewest plates such that no proxy gets the picture of a nearer one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from .tile import SIDE, see_tile
from .visibility import TILE, ScreenArrays, screen

WIDTH = 1920  # px, the width at which hidden pixels are counted
LOOKS = 1000  # steps of the search for fewer plates
LEAST = 3  # px; proxies that overlap by less only touch
APART = 0.002  # relative distance below which one surface lies on another and does not hide it


@dataclass(frozen=True)
class CastSplit:
    """plates: for each plate in order, the meshes that are cast from it; the first is the picture
    as it is. removed: for each plate, the meshes that are to be painted out of it. crossing:
    pairs that are each in front of the other somewhere, so that no order is right for both."""

    plates: tuple[tuple[int, ...], ...]
    removed: tuple[tuple[int, ...], ...]
    crossing: tuple[tuple[int, int], ...]


def proposed_split(meshes: list[Mesh], lantern: Camera, width: int = WIDTH) -> CastSplit:
    """The fewest plates such that no two meshes share one of which one hides a part of the other.

    Meshes that nothing hides are cast from the picture as it is. The others are coloured as the
    vertices of a graph whose edges join meshes that hide each other; each colour is a plate, and
    plates are ordered from near to far. width: px, at which hidden pixels are counted.
    """
    if not meshes:
        return CastSplit((), (), ())
    before = blocking(meshes, lantern, width)
    apart = (before > 0) | (before.T > 0)
    order = np.array(_nearest_first(before))
    blocked = order[before[:, order].any(axis=0)]
    plate = np.zeros(len(meshes), np.int64)
    plate[blocked] = 1 + _fewest(apart[np.ix_(blocked, blocked)])
    own = [np.nonzero(plate == n)[0] for n in range(int(plate.max()) + 1)]
    removed = tuple(
        tuple(int(j) for j in np.nonzero(before[:, members].any(axis=1))[0]) for members in own
    )
    crossing = tuple(
        (i, j) for i in range(len(meshes)) for j in range(i) if before[i, j] and before[j, i]
    )
    return CastSplit(tuple(tuple(int(i) for i in members) for members in own), removed, crossing)


def _fewest(apart: Flags) -> Indices:
    """(N,) a colouring of the graph `apart` (N, N), with as few colours as LOOKS steps of
    backtracking find: the vertex with most colours among its neighbours is coloured next (DSATUR,
    Brélaz 1979). Colours are numbered by first occurrence."""
    count = len(apart)
    colour, best = np.full(count, -1), np.arange(count)
    beside = apart.sum(axis=1)
    least, links = _clique(apart, beside), apart.astype(np.float32)

    def next_one() -> int:
        bare = np.nonzero(colour < 0)[0]
        holds = colour[:, None] == np.arange(colour.max() + 1)
        near = ((links[bare] @ holds.astype(np.float32)) > 0).sum(axis=1)
        return int(bare[np.lexsort((beside[bare], near))[-1]])

    # stack of coloured vertices: vertex, the next colour to try for it, colours used before it
    steps = [(next_one(), 0, 0)] if count else []
    for _ in range(LOOKS + count):
        if not steps:
            break
        i, first, used = steps.pop()
        colour[i] = -1
        near = set(colour[apart[i]].tolist())
        most = int(best.max())
        c = next((c for c in range(first, min(used + 1, most)) if c not in near), None)
        if used > most or c is None:
            continue
        colour[i] = c
        steps.append((i, c + 1, used))
        used = max(used, c + 1)
        if (colour >= 0).all():
            best = colour.copy()
            if used <= least:
                break
        else:
            steps.append((next_one(), 0, used))
    met = {c: n for n, c in enumerate(dict.fromkeys(best.tolist()))}
    return np.array([met[c] for c in best.tolist()], np.int64)


def _clique(apart: Flags, beside: Indices) -> int:
    """The size of the largest clique that greedy growth finds: a lower bound on the colours."""
    most = 0
    for i in range(len(apart)):
        others, held = apart[i], 1
        while others.any():
            held += 1
            others = others & apart[np.argmax(np.where(others, beside, -1))]
        most = max(most, held)
    return most


def _nearest_first(before: Floats) -> list[int]:
    """The meshes ordered so that each comes before those it hides. Of two that each hide a part of
    the other, the one that hides more comes first."""
    left, out = list(range(len(before))), []
    ahead = np.where(before >= before.T, before, 0)
    ahead = ahead * ~((before == before.T) & np.tril(np.ones_like(before, bool)))
    while left:
        blocked = {i: float(ahead[left, i].sum()) for i in left}
        out.append(min(left, key=lambda i: (blocked[i], i)))
        left.remove(out[-1])
    return out


def blocking(meshes: list[Mesh], lantern: Camera, width: int = WIDTH) -> Floats:
    """(N, N) the number of pixels of mesh j that mesh i hides, in the lantern's view at a width."""
    out = np.zeros((len(meshes), len(meshes)))
    if not meshes:
        return out
    camera = lantern.at_width(width)
    set_up = screen(joined(meshes), camera, NEAREST * world_size(lantern)).arrays
    if len(set_up.surface):
        _count_hidden(set_up, camera.height, camera.width, out)
    out[out < LEAST] = 0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _count_hidden(set_up: ScreenArrays, height: int, width: int, out: Floats) -> None:
    """Add to out (N, N), by mesh in front and mesh behind, the pixels whose centres both cover.
    Each mesh of a tile is rasterised into a depth layer of its own, and the layers are compared."""
    seen, depth = np.empty((SIDE, SIDE), np.int32), np.empty((SIDE, SIDE))
    for tile in range(set_up.across * set_up.down):
        mine = set_up.bin_triangles[set_up.bin_start[tile] : set_up.bin_start[tile + 1]]
        if len(mine) == 0:
            continue
        tx, ty = tile % set_up.across, tile // set_up.across
        whose = set_up.owner[set_up.surface[mine]]
        mine = mine[np.argsort(whose, kind="mergesort")]
        whose = set_up.owner[set_up.surface[mine]]
        starts = np.nonzero(np.append(np.array([-1]), whose[:-1]) != whose)[0]
        layers = np.empty((len(starts), SIDE, SIDE))
        for k in range(len(starts)):
            end = starts[k + 1] if k + 1 < len(starts) else len(mine)
            see_tile(
                tx, ty, set_up.edges, set_up.box, set_up.surface, set_up.inverse_depth,
                mine[starts[k] : end], seen, depth,
            )  # fmt: skip
            layers[k] = depth
        for r in range(1, min(TILE, height - ty * TILE) + 1):
            for c in range(1, min(TILE, width - tx * TILE) + 1):
                for i in range(len(starts)):
                    if layers[i, r, c] <= 0.0:
                        continue
                    for j in range(len(starts)):
                        behind = layers[j, r, c]
                        if behind > 0.0 and behind * (1 + APART) < layers[i, r, c]:
                            out[whose[starts[i]], whose[starts[j]]] += 1
