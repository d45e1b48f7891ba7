"""Leaks, at once: what of the plate lands on nothing, and cracks between neighbours seen from
where a shot camera might stand."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace

import cv2
import numpy as np

from ..arrays import Bytes, Flags, Floats
from ..camera import NEAREST, Camera, world_size
from ..mesh import Mesh, joined
from ..picture import tones
from ..render.see import Seen, see

ASIDE = 0.12  # of the world's size: how far to each side a shot camera might soon stand
CRACK = 9  # px of the looked-at picture: a leak narrower than that between surfaces is a crack
LEAST = 3  # px: fewer are rounding at an edge


@dataclass(frozen=True)
class Crack:
    """Between which meshes, where in the lens (px of the plate), and how many px of it show."""

    between: tuple[int, int]
    at: tuple[float, float]
    px: int


@dataclass(frozen=True)
class Leaks:
    """open: (H, W) the lens's pixels whose picture lands on nothing. crack: (H, W) those beside a
    crack. share: how much of the plate lands on nothing. cracks: the widest first."""

    open: Flags
    crack: Flags
    share: float
    cracks: tuple[Crack, ...]


def leaks(meshes: list[Mesh], lens: Camera, width: int) -> Leaks:
    """Look from the lens, `width` pixels wide, and from six places about it."""
    camera = lens.at_width(width)
    triangles = joined(meshes)
    near = NEAREST * world_size(lens)
    nothing = see(triangles, camera, near).surface < 0
    mask = np.zeros_like(nothing)
    found: Counter[tuple[int, int]] = Counter()
    where: dict[tuple[int, int], list[Floats]] = {}
    for shift in _about(lens):
        moved = replace(camera, position=camera.position + shift)
        _cracks_from(see(triangles, moved, near), moved, camera, mask, found, where)
    scale = lens.width / width
    cracks = []
    for pair, px in found.most_common(40):
        if px >= LEAST:
            x, y = np.median(np.concatenate(where[pair]), axis=0) * scale
            cracks.append(Crack(pair, (float(x), float(y)), px))
    return Leaks(nothing, mask, float(nothing.mean()), tuple(cracks))


def _about(lens: Camera) -> list[Floats]:
    """(3,) six ways that a shot camera soon goes: to the sides, up and down, on and back."""
    by = ASIDE * world_size(lens)
    return [s * by * axis for axis in lens.rotation for s in (1.0, -1.0)]


def _cracks_from(
    seen: Seen, moved: Camera, lens: Camera, mask: Flags,
    found: Counter[tuple[int, int]], where: dict[tuple[int, int], list[Floats]],
) -> None:  # fmt: skip
    """Thin leaks in one view, put down where the lens sees their edges."""
    owner = seen.owner
    filled = (owner >= 0).astype(np.uint8)
    kernel = np.ones((CRACK, CRACK), np.uint8)
    padded = cv2.copyMakeBorder(filled, CRACK, CRACK, CRACK, CRACK, cv2.BORDER_REPLICATE)
    closed = cv2.morphologyEx(padded, cv2.MORPH_CLOSE, kernel)[CRACK:-CRACK, CRACK:-CRACK]
    thin = (closed > 0) & (filled == 0)
    if not thin.any():
        return
    count, label = cv2.connectedComponents(thin.astype(np.uint8), connectivity=8)
    grown = cv2.dilate(label.astype(np.float32), np.ones((3, 3), np.uint8)).astype(np.int32)
    for one in range(1, count):
        size = int((label == one).sum())
        rim = (grown == one) & (filled > 0)
        rows, columns = np.nonzero(rim)
        beside = Counter(owner[rows, columns].tolist()).most_common(2)
        if size < LEAST or not beside:
            continue
        names = sorted((beside + beside)[:2])
        pair = (int(names[0][0]), int(names[1][0]))
        at = np.stack([columns + 0.5, rows + 0.5], axis=1)
        depth = 1 / seen.inverse_depth_at(seen.surface[rows, columns].astype(np.int64), at)
        place = moved.position + moved.rays(at) * depth[:, None]
        pixel, ahead = lens.project(place)
        inside = (ahead > 0) & (pixel >= 0).all(axis=1)
        inside &= (pixel[:, 0] < lens.width) & (pixel[:, 1] < lens.height)
        if not inside.any():
            continue
        found[pair] += size
        where.setdefault(pair, []).append(pixel[inside])
        x, y = pixel[inside].astype(int).T
        mask[y, x] = True


def leak_picture(found: Leaks) -> Bytes:
    """Leaks (H, W, 4) to lay over the plate: hatched where nothing is to land on, and full where
    there is a crack."""
    height, width = found.open.shape
    y, x = np.mgrid[:height, :width]
    out = np.zeros((height, width, 4), np.uint8)
    out[found.open] = (*tones.LEAK, 90)
    out[found.open & ((x + y) % 8 < 3)] = (*tones.LEAK, 230)
    crack = cv2.dilate(found.crack.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    out[crack] = (*tones.CRACK, 255)
    return out
