"""Pictures and places held against the truth of the made world."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from jade_lantern.core.camera import Camera
from jade_lantern.core.mesh import Mesh
from jade_lantern.demo.world import CYLINDER, SHEET, TRIANGLE, Shapes

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


ROUND = 96  # sides of what is round


def true_meshes(shapes: Shapes) -> list[Mesh]:
    """The surfaces of a made world as meshes, one for each thing that it names."""
    kind, corner, span, rise, _, owner, _ = shapes.arrays()
    out = []
    for thing in range(len(shapes.names)):
        points: list[Array] = []
        triangles: list[tuple[int, int, int]] = []
        for i in np.nonzero(owner == thing)[0]:
            a, b, c, k = corner[i], span[i], rise[i], len(points)
            if kind[i] == SHEET:
                points += [a, a + b, a + b + c, a + c]
                triangles += [(k, k + 1, k + 2), (k, k + 2, k + 3)]
            elif kind[i] == TRIANGLE:
                points += [a, a + b, a + c]
                triangles.append((k, k + 1, k + 2))
            else:
                rings = _rings(a, float(b[0]), float(c[1]) if kind[i] == CYLINDER else None)
                points += [p for ring in rings for p in ring]
                for r in range(len(rings) - 1):
                    for j in range(ROUND):
                        p, q = k + r * ROUND + j, k + r * ROUND + (j + 1) % ROUND
                        triangles += [(p, q, q + ROUND), (p, q + ROUND, p + ROUND)]
                top = k + (len(rings) - 1) * ROUND
                triangles += [(top, top + j, top + j + 1) for j in range(1, ROUND - 1)]
        faces = np.arange(len(triangles), dtype=np.int32)
        out.append(Mesh(np.array(points), np.array(triangles, np.int32), faces))
    return out


def _rings(at: Array, radius: float, height: float | None) -> list[Array]:
    """Rings of points (ROUND, 3) up the side of a cylinder, or of a ball round its middle."""
    turn = 2 * np.pi * np.arange(ROUND) / ROUND
    ring = np.stack([np.cos(turn), 0 * turn, np.sin(turn)], axis=1)
    if height is not None:
        return [at + radius * ring, at + radius * ring + [0, height, 0]]
    lift = np.linspace(-np.pi / 2, np.pi / 2, 25)
    return [at + radius * (ring * np.cos(v) + [0, np.sin(v), 0]) for v in lift]
