"""Pictures and places held against the truth of the made world."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from jade_lantern.core.camera import Camera

Array = NDArray[np.float64]


def decibels(a: NDArray[np.uint8], b: NDArray[np.uint8], where: NDArray[np.bool_]) -> float:
    """Peak signal to noise over some pixels of two (H, W, 3) pictures."""
    error = a.astype(float)[where] - b.astype(float)[where]
    return float(10 * np.log10(255.0**2 / max(np.mean(error**2), 1e-9)))


def same_move(truth: Camera, sighted: Camera, shot: Camera) -> Camera:
    """The true camera, moved as the shot camera is moved from the sighted one."""
    step = sighted.rotation @ (shot.position - sighted.position)
    return replace(
        truth,
        rotation=shot.rotation @ sighted.rotation.T @ truth.rotation,
        position=truth.position + truth.rotation.T @ step,
        focal_px=truth.focal_px * shot.focal_px / sighted.focal_px,
    )


def seen_by_both(place: Array, lens: Camera, lens_place: Array) -> NDArray[np.bool_]:
    """Which pixels of a moved view (place, (H, W, 3) their world points) the lens sees as well."""
    finite = np.isfinite(place).all(axis=-1)
    pixel, depth = lens.project(np.where(finite[..., None], place, 0.0))
    column, row = np.floor(pixel[..., 0]).astype(int), np.floor(pixel[..., 1]).astype(int)
    inside = finite & (depth > 0.1)
    inside &= (column >= 1) & (row >= 1) & (column < lens.width - 1) & (row < lens.height - 1)
    near = np.full(finite.shape, np.inf)
    at = lens_place[row[inside], column[inside]]
    near[inside] = np.linalg.norm(at - place[inside], axis=-1)
    return inside & (near < 0.03 + 0.02 * depth)


def stretch(place: Array, lens: Camera) -> Array:
    """Shot pixels per plate pixel along the worst axis, where a moved view shows places."""
    pixel, _ = lens.project(np.where(np.isfinite(place), place, 0.0))
    along, down = np.gradient(pixel, axis=1), np.gradient(pixel, axis=0)
    a, b = (along**2).sum(-1), (down**2).sum(-1)
    c = (along * down).sum(-1)
    least = 0.5 * (a + b - np.sqrt((a - b) ** 2 + 4 * c**2))
    return 1 / np.sqrt(np.maximum(least, 1e-9))


def grown(mask: NDArray[np.bool_], by: int) -> NDArray[np.bool_]:
    """A mask with its border pixels added, some pixels wide."""
    out = mask.copy()
    for _ in range(by):
        wide = out.copy()
        wide[1:] |= out[:-1]
        wide[:-1] |= out[1:]
        wide[:, 1:] |= out[:, :-1]
        wide[:, :-1] |= out[:, 1:]
        out = wide
    return out
