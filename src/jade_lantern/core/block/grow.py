"""Outlines that look at the picture: pulled onto its edges, or grown from a few clicks."""

from __future__ import annotations

from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..arrays import Floats
from ..deadline import check_time
from ..pick import Pick
from ..refusal import Refusal
from ..scene.edits import Edit
from ..scene.gesture import PictureGesture
from ..scene.model import Scene
from ..scene.pictures import Pictures
from ..sight.pull import pulled_points
from ..value import Number, Point2
from .sheets import CutOutline, sheet_on

Rim = Annotated[tuple[Point2, ...], Field(min_length=3, max_length=400)]
# px, the longer side of the picture in the coarse and in the fine segmentation
FIRST_AT, LOOKED_AT = 360, 900
OPEN = 2  # coarse px on either side of the rough outline within which the fine one is sought
ROUNDS = 4
ROUGH_PX = 1.1  # px, tolerance by which a grown outline is simplified


class TraceOutline(PictureGesture):
    """Cut an outline whose sides are pulled onto the picture's edges within reach (px) of where
    they were traced; its other fields as in CutOutline."""

    verb: Literal["TraceOutline"] = "TraceOutline"
    feet: tuple[Pick, Pick]
    outline: Rim
    holes: Annotated[tuple[Rim, ...], Field(max_length=100)] = ()
    thickness_m: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    level_m: Number | None = None
    curved: Annotated[tuple[int, ...], Field(max_length=400)] = ()
    reach: Annotated[float, Field(gt=0, le=200)] = 8.0

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        planes = pictures.look(scene.plate).planes
        rings = [pulled_ring(planes, r, self.reach) for r in (self.outline, *self.holes)]
        return CutOutline(
            feet=self.feet, outline=rings[0], holes=tuple(rings[1:]),
            thickness_m=self.thickness_m, level_m=self.level_m, curved=self.curved,
        ).edit(scene)  # fmt: skip


class GrowOutline(PictureGesture):
    """Cut an outline grown from a few clicks: inside lie on the thing, beside lie off it. feet and
    level_m as in CutOutline."""

    verb: Literal["GrowOutline"] = "GrowOutline"
    feet: tuple[Pick, Pick]
    inside: Annotated[tuple[Point2, ...], Field(min_length=1, max_length=200)]
    beside: Annotated[tuple[Point2, ...], Field(max_length=200)] = ()
    thickness_m: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    level_m: Number | None = None

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        sheet_on(scene, self.feet, self.level_m)  # refused before anything is grown
        pixels = pictures.look(scene.plate).pixels
        ring = grown(pixels, np.array(self.inside), np.array(self.beside).reshape(-1, 2))
        return CutOutline(
            feet=self.feet, outline=ring, thickness_m=self.thickness_m, level_m=self.level_m
        ).edit(scene)


def pulled_ring(
    planes: tuple[NDArray[np.uint8], ...], ring: tuple[Point2, ...], reach: float
) -> tuple[Point2, ...]:
    """A ring of px whose sides are pulled onto edges; a corner goes where its sides then meet, as
    long as that is near."""
    lines = []
    for a, b in zip(ring, (*ring[1:], ring[0]), strict=True):
        long = float(np.hypot(*np.subtract(a, b))) > 3 * reach
        lines.append((pulled_points(planes, [a, b], reach) if long else None) or (a, b))
    out = []
    for i, corner in enumerate(ring):
        before, after = lines[i - 1], lines[i]
        met = _crossing(np.array(before), np.array(after))
        if met is None or np.hypot(*(met - corner)) > 2 * reach:
            met = (np.array(before[1]) + np.array(after[0])) / 2
        height, width = planes[0].shape
        out.append((float(np.clip(met[0], 0, width)), float(np.clip(met[1], 0, height))))
    return tuple(out)


def _crossing(one: Floats, other: Floats) -> Floats | None:
    """Where two lines (2, 2) cross, or None where they run nearly alike."""
    u, v = one[1] - one[0], other[1] - other[0]
    det = float(u[0] * v[1] - u[1] * v[0])
    if abs(det) < 0.05 * float(np.hypot(*u) * np.hypot(*v)):
        return None
    w = other[0] - one[0]
    out: Floats = one[0] + u * float(w[0] * v[1] - w[1] * v[0]) / det
    return out


def grown(pixels: NDArray[np.uint8], inside: Floats, beside: Floats) -> tuple[Point2, ...]:
    """The outline (px) of the thing that some pixels (N, 2) lie on and others (M, 2) lie off, by
    iterated graph cuts (Rother, Kolmogorov & Blake 2004; OpenCV's).

    Raises Refusal where no such thing is found.
    """
    height, width = pixels.shape[:2]
    for x, y in (*inside, *beside):
        if not (0 <= x <= width and 0 <= y <= height):
            raise Refusal("One of these clicks lies outside the picture. Keep them inside it.")
    scale = min(1.0, LOOKED_AT / max(height, width))
    fine = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    first = min(1.0, FIRST_AT / max(height, width))
    rough = cv2.resize(pixels, None, fx=first, fy=first, interpolation=cv2.INTER_AREA)
    check_time()
    cut = _cut(rough, _marked(rough.shape, inside * first, beside * first), ROUNDS)
    check_time()
    # on the fine picture only what lies near the rough outline is still open
    open_ = cv2.morphologyEx(cut, cv2.MORPH_GRADIENT, np.ones((2 * OPEN + 1,) * 2, np.uint8))
    h, w = fine.shape[:2]
    own, open_ = (
        cv2.resize(m, (w, h), interpolation=cv2.INTER_NEAREST).astype(bool) for m in (cut, open_)
    )
    mask = np.where(own, cv2.GC_FGD, cv2.GC_BGD).astype(np.uint8)
    mask[open_ & own] = cv2.GC_PR_FGD
    mask[open_ & ~own] = cv2.GC_PR_BGD
    _mark_clicks(mask, inside * scale, beside * scale)
    thing = _cut(fine, mask, 1) if open_.any() else own.astype(np.uint8)
    thing = cv2.morphologyEx(thing, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    _, label = cv2.connectedComponents(thing)
    x, y = (inside[0] * scale).astype(int)
    own = label[min(y, h - 1), min(x, w - 1)]
    if not own:
        raise Refusal("Nothing stands out there. Click once more on it, and once beside it.")
    found, _ = cv2.findContours(
        (label == own).astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE
    )
    ring = max(found, key=cv2.contourArea)
    ring = cv2.approxPolyDP(ring, ROUGH_PX, True)[:, 0].astype(float)
    if len(ring) < 3:
        raise Refusal("What stands out there is too small. Trace it by hand.")
    at = (ring[:: max(1, len(ring) // 380 + 1)] if len(ring) > 380 else ring) + 0.5
    return tuple((float(x / scale), float(y / scale)) for x, y in at)


def _marked(shape: tuple[int, ...], inside: Floats, beside: Floats) -> NDArray[np.uint8]:
    """Where the thing may be (OpenCV's marks): likely about the clicks on it, nowhere far off."""
    h, w = shape[:2]
    mask = np.full((h, w), cv2.GC_PR_BGD, np.uint8)
    middle = inside.mean(axis=0)
    spread = float(np.hypot(*(inside - middle).T).max())
    radius = max(1.8 * spread, 0.12 * max(h, w))
    rows, columns = np.ogrid[:h, :w]
    about = (columns - middle[0]) ** 2 + (rows - middle[1]) ** 2
    mask[about < radius**2] = cv2.GC_PR_FGD
    mask[about > (3 * radius) ** 2] = cv2.GC_BGD
    _mark_clicks(mask, inside, beside)
    if not (mask == cv2.GC_BGD).any():
        mask[0], mask[-1], mask[:, 0], mask[:, -1] = (cv2.GC_BGD,) * 4
    return mask


def _mark_clicks(mask: NDArray[np.uint8], inside: Floats, beside: Floats) -> None:
    dot = max(2, round(0.008 * max(mask.shape)))
    for points, kind in ((beside, cv2.GC_BGD), (inside, cv2.GC_FGD)):
        for x, y in points:
            cv2.circle(mask, (int(x), int(y)), dot, int(kind), -1)


def _cut(pixels: NDArray[np.uint8], mask: NDArray[np.uint8], rounds: int) -> NDArray[np.uint8]:
    """(H, W) 1 where the thing is."""
    cv2.setRNGSeed(1)
    mask, models = mask.copy(), (np.zeros((1, 65)), np.zeros((1, 65)))
    cv2.grabCut(pixels[..., ::-1].copy(), mask, None, *models, rounds, cv2.GC_INIT_WITH_MASK)
    return np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)
