"""Made cameras with made traces: truths to hold the sighting against, in tests and bench."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..core.camera import Camera, focal_px_from_35mm, rotation_of
from ..core.sight import kernel
from ..core.sight.lines import reduced

Traces = list[tuple[str, list[tuple[float, float]]]]
WIDTH, HEIGHT = 1920, 1280
AXES = {"across": np.eye(3)[0], "up": np.eye(3)[1], "away": np.eye(3)[2]}


def made_camera(rng: np.random.Generator) -> Camera:
    """A plausible camera: 20 to 70 mm in 35 mm terms, tilted, rolled and turned."""
    focal = focal_px_from_35mm(float(np.exp(rng.uniform(np.log(20), np.log(70)))), WIDTH, HEIGHT)
    rotation = rotation_of(rng.uniform(-15, 15), rng.uniform(-5, 5), rng.uniform(-60, 60))
    return Camera.centred(WIDTH, HEIGHT, focal, rotation, np.array([0.0, 1.6, 0.0]))


def made_traces(rng: np.random.Generator, camera: Camera, count: int) -> Traces:
    """Exact images of world edges, the three headings in turn."""
    out: Traces = []
    size = [camera.width, camera.height]
    tries = 0
    while len(out) < count:
        tries += 1
        assert tries < 100_000
        name = ("across", "up", "away")[len(out) % 3]
        depth = rng.uniform(3, 30)
        middle = camera.position + camera.rays(rng.uniform([0, 0], size)) * depth
        reach = AXES[name] * rng.uniform(0.1, 0.6) * depth
        ends, depths = camera.project(np.array([middle - reach, middle + reach]))
        inside = (ends >= 0).all() and (ends <= size).all() and depths.min() > 0.1
        if inside and np.hypot(*(ends[1] - ends[0])) > 80:
            out.append((name, [_point(ends[0]), _point(ends[1])]))
    return out


def shaken(rng: np.random.Generator, traces: Traces, sigma: float) -> Traces:
    return [(n, [_point(np.array(p) + rng.normal(0, sigma, 2)) for p in ps]) for n, ps in traces]


def bound(camera: Camera, traces: Traces, sigma: float) -> float:
    """The Cramér-Rao bound on the standard deviation of log focal, from exact traces."""
    lines = reduced(traces, (camera.width / 2, camera.height / 2))
    _, jac = kernel.jacobian(
        lines.middle, lines.along, lines.spread, lines.count, lines.heading,
        camera.rotation, camera.focal_px,
    )  # fmt: skip
    return float(sigma * np.sqrt(np.linalg.inv(jac.T @ jac)[0, 0]))


def turned_by(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Degrees between two rotations."""
    return float(np.degrees(np.arccos(np.clip((np.trace(a @ b.T) - 1) / 2, -1, 1))))


def _point(p: NDArray[np.float64]) -> tuple[float, float]:
    return float(p[0]), float(p[1])
