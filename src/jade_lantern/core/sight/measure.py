"""Zero and size: where the world's zero lies, how big the world is, and what is on the ground."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ..arrays import Floats
from ..cache import Cache
from ..camera import Camera
from ..pick import height_over, on_level
from ..refusal import Refusal
from ..scene.model import Scene, Sighting, Tape
from .lens import Lens, Unsettled
from .misfit import turned
from .sighted import lens_of_scene, sighting_weight

SMALLEST = 1e-9  # m, of an eye height
LENGTH_OFF = 0.025  # the share of a known length by which it may be off before that is said
TAPE_LAID = 0.005  # how exactly a hand lays a tape, as a share of its length


@dataclass(frozen=True)
class TapeReading:
    """What a known length measures under the scale that all of them agreed on."""

    measured_m: float
    off_m: float


@dataclass(frozen=True)
class Placement:
    """Where the camera stands: position (3,) metres, and what each known length then reads."""

    position: Floats
    eye_height_m: float
    eye_height_sigma_m: float
    tapes: tuple[TapeReading, ...]
    eye: TapeReading | None = None
    distance: TapeReading | None = None

    @property
    def lengths_disagree(self) -> bool:
        """Whether some known length is further off than laying it by hand explains."""
        known = [t for t in (*self.tapes, self.eye, self.distance) if t is not None]
        return any(abs(t.off_m) > LENGTH_OFF * t.measured_m for t in known)


def unit_camera(lens: Lens) -> Camera:
    """The solved camera one metre above the ground, its foot at the zero."""
    return lens.camera(np.array([0.0, 1.0, 0.0]))


def taped(unit: Camera, tape: Tape) -> float:
    """The length of a tape seen by the unit camera, in eye heights."""
    if tape.on == "proxy" and tape.plane is not None:
        ends = [_on_plane(unit, p, tape.plane.normal, tape.plane.offset) for p in tape.points]
        return float(np.linalg.norm(ends[1] - ends[0]))
    foot = on_level(unit, tape.points[0])
    if tape.on == "up":
        return abs(height_over(unit, foot[None], tape.points[1]))
    return float(np.linalg.norm(on_level(unit, tape.points[1]) - foot))


def _on_plane(
    camera: Camera, pixel: tuple[float, float], normal: tuple[float, float, float], offset: float
) -> Floats:
    ray = camera.rays(np.asarray(pixel, float))
    n = np.asarray(normal)
    slope = float(ray @ n)
    t = (offset - float(camera.position @ n)) / slope if abs(slope) > 1e-9 else -1.0
    if t <= 0:
        raise Refusal("This tape no longer lies on what it was laid on. Delete it and lay another.")
    out: Floats = camera.position + ray * t
    return out


# Keyed by the sighting's identity; it is stored beside its answer, with the lens that it is for.
_recent: Cache[int, tuple[Sighting, Lens, Placement | None]] = Cache(
    4 << 20, lambda known: sighting_weight(known[0])
)


def placement(lens: Lens, sighting: Sighting) -> Placement | None:
    """Put the solved camera into the world, or None where zero or size is not set yet.

    Raises Refusal where datum or a tape is above the horizon. Cached by object identity: see
    `sighted.lens_of`.
    """
    known = _recent.get(id(sighting))
    if known is None or known[0] is not sighting or known[1] is not lens:
        known = sighting, lens, _placement(lens, sighting)
        _recent.put(id(sighting), known)
    return known[2]


def _placement(lens: Lens, sighting: Sighting) -> Placement | None:
    """The scale is one weighted least-squares fit of eye height, distance and tapes, each counting
    by its own relative disagreement."""
    where = _where(lens, sighting)
    if where is None:
        _check_tapes(lens, sighting)
        return None
    position, scale, known = where
    count = len(sighting.tapes)
    eye = distance = None
    if sighting.eye_height_m:
        eye = TapeReading(scale, scale - sighting.eye_height_m)
    if sighting.distance_m:
        far = float(np.linalg.norm(position - [0.0, sighting.datum_level_m, 0.0]))
        distance = TapeReading(far, far - sighting.distance_m)
    return Placement(
        position,
        scale,
        _scale_sigma(lens, sighting, known, scale),
        tuple(TapeReading(scale * u, scale * u - real) for u, real in known[:count]),
        eye,
        distance,
    )


def _where(
    lens: Lens, sighting: Sighting
) -> tuple[Floats, float, list[tuple[float, float]]] | None:
    """Where the camera stands, its eye height (m) and what that is from, as `_scale` has it; None
    where datum or size is missing."""
    if sighting.given is not None:
        position = np.array(sighting.given.position)
        unit = unit_camera(lens)
        return position, float(position[1]), [(taped(unit, t), t.length_m) for t in sighting.tapes]
    if sighting.datum is None or not (
        sighting.eye_height_m or sighting.distance_m or sighting.tapes
    ):
        return None
    ray = unit_camera(lens).rays(np.asarray(sighting.datum, float))
    scale, known = _scale(lens, sighting, ray)
    level = sighting.datum_level_m
    reach = (scale - level) / -ray[1] if abs(ray[1]) > 1e-5 * np.linalg.norm(ray) else -1.0
    if reach <= 0:
        raise Refusal(
            "The datum is above the horizon, so it is not on the ground. Pick a corner on "
            "the floor."
            if level == 0
            else "The datum cannot lie at that height: from here it would be behind the camera."
        )
    return np.array([-ray[0] * reach, scale, -ray[2] * reach]), scale, known


def _check_tapes(lens: Lens, sighting: Sighting) -> None:
    if sighting.tapes or sighting.datum is not None:
        unit = unit_camera(lens)
        for tape in sighting.tapes:
            taped(unit, tape)
        if sighting.datum is not None and sighting.datum_level_m == 0:
            try:
                on_level(unit, sighting.datum)
            except Refusal as error:
                raise Refusal(
                    "The datum is above the horizon, so it is not on the ground. Pick a corner on "
                    "the floor."
                ) from error


def _scale(
    lens: Lens, sighting: Sighting, datum_ray: Floats
) -> tuple[float, list[tuple[float, float]]]:
    """The eye height (m) by least squares, and what went into it as (in eye heights, metres):
    tapes first, then eye height and distance where they are given."""
    unit = unit_camera(lens)
    known = [(taped(unit, t), t.length_m) for t in sighting.tapes]
    if sighting.eye_height_m:
        known.append((1.0, sighting.eye_height_m))
    if sighting.distance_m:
        # a camera so far from the datum stands so high above its level
        sink = float(-datum_ray[1] / np.linalg.norm(datum_ray))
        known.append((1.0, max(sighting.datum_level_m + sighting.distance_m * sink, 1e-6)))
    with np.errstate(all="ignore"):
        per_unit = np.divide(*np.array(known, float).T)
        scale = float(per_unit.sum() / (per_unit**2).sum())
    if not SMALLEST < scale < np.inf:  # or lengths whose squares no number holds
        raise Refusal("A length that was given is too small to build a world of. Look at them.")
    return scale, known


def _scale_sigma(
    lens: Lens, sighting: Sighting, known: list[tuple[float, float]], scale: float
) -> float:
    """Uncertainty of the eye height: from how far the known lengths disagree, from how exactly
    tapes are laid, and from the camera that they are seen with; an eye height given by hand, with
    nothing beside it, is what it is, and so is that of a camera that was known before."""
    if sighting.given is not None or (len(known) == 1 and sighting.eye_height_m):
        return 0.0
    ratios = np.array([scale * u / real for u, real in known])
    spread = TAPE_LAID / math.sqrt(len(known))
    if len(known) > 1:
        spread = max(spread, math.sqrt(((ratios - 1) ** 2).sum() / (len(known) - 1) / len(known)))
    slopes = np.zeros(8)
    ray = np.asarray(sighting.datum, float)
    for p in range(6):
        if lens.covariance[p, p] <= 0:
            continue
        step = 1e-5
        focal = lens.focal_px * math.exp(step) if p == 0 else lens.focal_px
        turn, centre = np.zeros(3), list(lens.centre)
        if p >= 4:
            step = 1e-2
            centre[p - 4] += step
        elif p:
            turn[p - 1] = step
        moved = replace(
            lens, focal_px=focal, rotation=turned(lens.rotation, turn),
            centre=(centre[0], centre[1]),
        )  # fmt: skip
        try:
            other = _scale(moved, sighting, unit_camera(moved).rays(ray))[0]
        except Refusal:
            continue
        slopes[p] = (other - scale) / step
    # the bearings that follow in the covariance have no part in where the camera stands
    seen = float(slopes @ lens.covariance[:8, :8] @ slopes)
    return math.sqrt((spread * scale) ** 2 + max(seen, 0.0))


def camera_of(scene: Scene) -> Camera | None:
    """The sighted camera in the world, or None while the sighting is open or the plate bent."""
    lens = lens_of_scene(scene)
    if isinstance(lens, Unsettled) or lens.bend != (0.0, 0.0):
        return None
    where = placement(lens, scene.sighting)
    return placed(lens, where) if where else None


def placed(lens: Lens, where: Placement) -> Camera:
    return lens.camera(where.position)


def required_camera(scene: Scene) -> Camera:
    """The sighted camera. Raises Refusal in words where there is none yet."""
    lens = lens_of_scene(scene)
    if isinstance(lens, Unsettled):
        raise Refusal(f"There is no camera yet. {lens.reason}")
    where = placement(lens, scene.sighting)
    if where is None:
        wanted = (
            "pick the datum" if scene.sighting.datum is None else "give the eye height or a tape"
        )
        raise Refusal(f"The camera is not in the world yet: {wanted} in Sight.")
    if lens.bend != (0.0, 0.0):
        raise Refusal("The plate is still bent by its lens: flatten it in Sight first.")
    return placed(lens, where)


def horizon(lens: Lens) -> tuple[float, float, float]:
    """The horizon as a x + b y + c = 0 in pixels, (a, b) of unit length, positive below it."""
    a, b, c = lens.numbers[6:9]
    return a, b, c


def camera_under(lens: Lens, sighting: Sighting) -> Camera:
    """The camera in the world, were the sighting's lens another one; not remembered, and without
    how certain its place is. Raises Refusal where it has no place then."""
    where = _where(lens, sighting)
    if where is None:
        raise Refusal("The camera is not in the world yet: zero or size is missing in Sight.")
    return lens.camera(where[0])
