"""Proposed split: the fewest plates such that no proxy gets the picture of a nearer one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Flags, Floats, Indices
from ..camera import Camera
from ..mesh import Mesh
from ..render.hiding import COUNTED_AT, hidden_counts

LOOKS = 1000  # steps of the search for fewer plates


@dataclass(frozen=True)
class CastSplit:
    """plates: for each plate in order, the meshes that are cast from it; the first is the picture
    as it is. removed: for each plate, the meshes that are to be painted out of it. crossing:
    pairs that are each in front of the other somewhere, so that no order is right for both."""

    plates: tuple[tuple[int, ...], ...]
    removed: tuple[tuple[int, ...], ...]
    crossing: tuple[tuple[int, int], ...]


def proposed_split(meshes: list[Mesh], lantern: Camera, width: int = COUNTED_AT) -> CastSplit:
    """The fewest plates such that no two meshes share one of which one hides a part of the other.

    Meshes that nothing hides are cast from the picture as it is. The others are coloured as the
    vertices of a graph whose edges join meshes that hide each other; each colour is a plate, and
    plates are ordered from near to far. width: px, at which hidden pixels are counted.
    """
    if not meshes:
        return CastSplit((), (), ())
    before = hidden_counts(meshes, lantern, width)
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
