"""Zero and size: where the world's zero lies, how big the world is, and what is on the ground."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..camera import Camera
from ..refusal import Refusal
from ..scene.model import Scene, Sighting
from .solve import Lens, Unsettled, lens_of_scene

Array = NDArray[np.float64]


@dataclass(frozen=True)
class TapeReading:
    """What a tape measures under the scale that all of them agreed on."""

    measured_m: float
    off_m: float


@dataclass(frozen=True)
class Standing:
    """Where the camera stands: position (3,) metres, and what each tape then reads."""

    position: Array
    eye_height_m: float
    eye_height_sigma_m: float
    tapes: tuple[TapeReading, ...]


def ground_point(camera: Camera, pixel: tuple[float, float], level_m: float = 0.0) -> Array:
    """The point (3,) of the ground, or of a level above it, that a pixel shows.

    Raises Refusal where the pixel is above the horizon, or so near it that it shows no ground.
    """
    ray = camera.rays(np.asarray(pixel, float))
    drop = camera.position[1] - level_m
    if drop == 0 or -ray[1] * np.sign(drop) <= 1e-5 * np.linalg.norm(ray):
        raise Refusal("This point is above the horizon, so it is not on the ground.")
    out: Array = camera.position + ray * (drop / -ray[1])
    return out


def unit_camera(lens: Lens) -> Camera:
    """The solved camera one metre above the ground, its foot at the zero."""
    up = np.array([0.0, 1.0, 0.0])
    return Camera.centred(lens.width, lens.height, lens.focal_px, lens.rotation, up)


def stand(lens: Lens, sighting: Sighting) -> Standing | None:
    """Put the solved camera into the world, or None where zero or size is not set yet.

    The scale is one weighted least-squares fit of eye height and tapes, each counting by its own
    relative disagreement. Raises Refusal where datum or a tape is above the horizon.
    """
    unit = unit_camera(lens)
    datum = None
    if sighting.datum is not None:
        try:
            datum = ground_point(unit, sighting.datum)
        except Refusal as error:
            raise Refusal(
                "The datum is above the horizon, so it is not on the ground. Pick a corner on "
                "the floor."
            ) from error
    lengths = []
    for tape in sighting.tapes:
        a, b = (ground_point(unit, p) for p in tape.points)
        lengths.append((float(np.linalg.norm(b - a)), tape.length_m))
    known = lengths + ([(1.0, sighting.eye_height_m)] if sighting.eye_height_m else [])
    if not known or datum is None:
        return None
    per_unit = np.array([u / real for u, real in known])
    scale = float(per_unit.sum() / (per_unit**2).sum())
    position = scale * (unit.position - datum)
    return Standing(
        position,
        scale,
        _scale_sigma(per_unit * scale, scale, sighting),
        tuple(TapeReading(scale * u, scale * u - real) for u, real in lengths),
    )


def _scale_sigma(ratios: Array, scale: float, sighting: Sighting) -> float:
    """Uncertainty of the scale from how far the known lengths disagree; a single one is taken
    to be as exact as a tape is laid: one per cent, an eye height given by hand is what it is."""
    if len(ratios) > 1:
        return float(scale * np.sqrt(((ratios - 1) ** 2).sum() / (len(ratios) - 1) / len(ratios)))
    return 0.0 if sighting.eye_height_m else 0.01 * scale


def camera_of(scene: Scene) -> Camera | None:
    """The sighted camera in the world, or None while the sighting is open."""
    lens = lens_of_scene(scene)
    if isinstance(lens, Unsettled):
        return None
    standing = stand(lens, scene.sighting)
    return placed(lens, standing) if standing else None


def placed(lens: Lens, standing: Standing) -> Camera:
    return Camera.centred(lens.width, lens.height, lens.focal_px, lens.rotation, standing.position)


def required_camera(scene: Scene) -> Camera:
    """The sighted camera. Raises Refusal in words where there is none yet."""
    lens = lens_of_scene(scene)
    if isinstance(lens, Unsettled):
        raise Refusal(f"There is no camera yet. {lens.reason}")
    standing = stand(lens, scene.sighting)
    if standing is None:
        wanted = (
            "pick the datum" if scene.sighting.datum is None else "give the eye height or a tape"
        )
        raise Refusal(f"The camera is not in the world yet: {wanted} in Sight.")
    return placed(lens, standing)


def horizon(lens: Lens) -> tuple[float, float, float]:
    """The horizon as a x + b y + c = 0 in pixels, (a, b) of unit length, positive below it."""
    up = lens.rotation[:, 1]
    f, cx, cy = lens.focal_px, lens.width / 2, lens.height / 2
    a, b = -up[0] / f, up[1] / f
    c = up[2] - a * cx - b * cy
    size = float(np.hypot(a, b))
    if size < 1e-12:
        return 0.0, 0.0, float(c)
    return float(a / size), float(b / size), float(c / size)
