"""Made cameras with made traces: truths to hold the sighting against, in tests and bench."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..core.camera import Camera, focal_px_from_35mm, rotation_of
from ..core.sight.bend import bent
from ..core.sight.bound import information

Traces = list[tuple[str, list[tuple[float, float]]]]
WIDTH, HEIGHT = 1920, 1280
AXES = {"across": np.eye(3)[0], "up": np.eye(3)[1], "away": np.eye(3)[2]}


def made_camera(rng: np.random.Generator) -> Camera:
    """A plausible camera: 20 to 70 mm in 35 mm terms, tilted, rolled and turned."""
    focal = focal_px_from_35mm(float(np.exp(rng.uniform(np.log(20), np.log(70)))), WIDTH, HEIGHT)
    rotation = rotation_of(rng.uniform(-15, 15), rng.uniform(-5, 5), rng.uniform(-60, 60))
    return Camera.centred(WIDTH, HEIGHT, focal, rotation, np.array([0.0, 1.6, 0.0]))


def any_camera(rng: np.random.Generator) -> Camera:
    """A camera out of the whole range: 18 to 200 mm in 35 mm terms, tilted up to 40 degrees,
    rolled up to 15, turned anywhere."""
    focal = focal_px_from_35mm(float(np.exp(rng.uniform(np.log(18), np.log(200)))), WIDTH, HEIGHT)
    rotation = rotation_of(rng.uniform(-40, 40), rng.uniform(-15, 15), rng.uniform(-180, 180))
    return Camera.centred(WIDTH, HEIGHT, focal, rotation, np.array([0.0, 1.6, 0.0]))


def made_traces(rng: np.random.Generator, camera: Camera, count: int, points: int = 2) -> Traces:
    """Exact images of world edges, the three headings in turn, each seen at so many points."""
    out: Traces = []
    tries = 0
    while len(out) < count:
        tries += 1
        name = ("across", "up", "away")[(len(out) + tries // 2000) % 3]  # some run past unseen
        seen = _seen(rng, camera, AXES[name], points)
        out += [(name, seen)] if seen else []
    return out


def traces_along(
    rng: np.random.Generator, camera: Camera, name: str, way: NDArray[np.float64], count: int
) -> Traces:
    """Exact images of world edges along one direction (3,) of the world, two points each."""
    out: Traces = []
    while len(out) < count:
        seen = _seen(rng, camera, way, 2)
        out += [(name, seen)] if seen else []
    return out


def _seen(
    rng: np.random.Generator, camera: Camera, way: NDArray[np.float64], points: int
) -> list[tuple[float, float]]:
    """An edge somewhere before the camera as it is seen; nothing where little of it is."""
    size = [camera.width, camera.height]
    room = min(1.0, camera.width / camera.focal_px)  # a long lens sees less of an edge
    depth = rng.uniform(3, 30)
    middle = camera.position + camera.rays(rng.uniform([0, 0], size)) * depth
    reach = way * rng.uniform(0.1, 0.6) * depth * room
    at = np.linspace(-1, 1, points)[:, None]
    seen, depths = camera.project(middle + at * reach)
    inside = (seen >= 0).all() and (seen <= size).all() and depths.min() > 0.1
    long = np.hypot(*(seen[-1] - seen[0])) > 80
    return [_point(p) for p in seen] if inside and long else []


def shaken(rng: np.random.Generator, traces: Traces, sigma: float) -> Traces:
    return [(n, [_point(np.array(p) + rng.normal(0, sigma, 2)) for p in ps]) for n, ps in traces]


def bent_by(traces: Traces, camera: Camera, k1: float, k2: float = 0.0) -> Traces:
    """The same traces through a bent lens."""
    centre = (camera.cx, camera.cy)
    return [
        (n, [_point(p) for p in bent(np.array(ps), centre, camera.focal_px, k1, k2)])
        for n, ps in traces
    ]


def bound(
    camera: Camera,
    traces: Traces,
    sigma: float,
    free: tuple[int, ...] = (0, 1, 2, 3),
    bend: tuple[float, float] = (0.0, 0.0),
) -> float:
    """The Cramér-Rao bound on the standard deviation of log focal, from exact traces, with those
    of the solver's parameters unknown that are free."""
    return float(sigma * np.sqrt(np.linalg.inv(information(traces, camera, free, bend))[0, 0]))


def turned_by(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Degrees between two rotations."""
    return float(np.degrees(np.arccos(np.clip((np.trace(a @ b.T) - 1) / 2, -1, 1))))


def _point(p: NDArray[np.float64]) -> tuple[float, float]:
    return float(p[0]), float(p[1])
