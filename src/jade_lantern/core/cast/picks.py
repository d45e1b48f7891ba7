"""Where a photograph was taken from, by a few places that a hand has picked in it and in the still.

Each triple of places gives up to four cameras at a focal length (Ke and Roumeliotis 2017); the one
that all places agree with best is refined with its own focal length. So few places leave some of it
open: that the photograph was held about level, and what is known of its lens, counts as well.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import combinations, islice

import cv2
import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Floats
from ..block.under import Surfaces
from ..camera import Camera, focal_35mm, focal_px_from_35mm, tilt_roll_yaw
from ..pick import ray_of
from ..refusal import Refusal
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..value import Point2

FEWEST = 3
BESIDE = 0.006  # of the width: how near a corner is picked
HAND_PX = 2.0  # how far a hand is off, of the matched size
LEVEL_DEG = 10.0  # how far off level a photograph is held
TOLD, UNTOLD = 0.02, 0.5  # how well a focal length is known: by its file, or as that of any lens
FOCALS_MM = (14, 18, 24, 32, 43, 58, 80, 110)  # tried first, in 35 mm terms
TRIPLES = 20
AS_GOOD = 9.0  # how much worse, in squares of standard deviations, another camera may fit
FAR_OFF = 6.0  # of HAND_PX, beyond which a place is not where the others say


def places_under(scene: Scene, pixels: Sequence[Point2]) -> Floats:
    """(N, 3) the places of what stands at pixels of the lens view: of the corner that is seen
    beside a pixel, where there is one, for a hand that means it may just miss it. Raises Refusal
    where nothing stands."""
    sighted = required_camera(scene)
    stands = tuple(p for p in scene.proxies if p.stands and not p.hidden)
    surfaces = Surfaces(stands, sighted) if stands else None
    corners = np.concatenate([p.mesh(sighted).points for p in stands] or [np.zeros((0, 3))])
    at, depth = sighted.project(corners)
    out = []
    for number, pixel in enumerate(pixels, 1):
        hit = None if surfaces is None else surfaces.nearest(*ray_of(sighted, pixel))
        off = np.where(depth > 0, np.linalg.norm(at - np.array(pixel), axis=1), np.inf)
        near = np.nonzero(off < BESIDE * sighted.width)[0]
        seen = [k for k in near[np.argsort(off[near])] if _is_seen(surfaces, sighted, corners[k])]
        if seen:
            out.append(corners[seen[0]])
        elif hit is not None:
            out.append(hit.point)
        else:
            raise Refusal(
                f"Nothing stands at place {number} of the still. Pick where something is blocked."
            )
    return np.array(out)


def _is_seen(surfaces: Surfaces | None, camera: Camera, corner: Floats) -> bool:
    assert surfaces is not None
    way = corner - camera.position
    hit = surfaces.nearest(camera.position, way)
    return hit is None or hit.distance > float(np.linalg.norm(way)) * (1 - 1e-4)


def by_picks(
    places: Floats, pixels: Floats, view: Camera, focal_mm: float | None
) -> tuple[Camera, Floats]:
    """The camera that places (N, 3) in the world lie at pixels (N, 2) of, and (7, 7) the covariance
    of its turn (radians), place (metres) and log focal length. view: of the size of the pixels'
    picture. focal_mm: what is known of its lens, in 35 mm terms.

    Raises Refusal for fewer than three places, or where they agree with no camera.
    """
    if len(places) < FEWEST:
        raise Refusal(f"It takes {FEWEST} places at least, each in both pictures.")
    starts = sorted(
        (_Fit(places, pixels, one, focal_mm) for one in _starts(places, pixels, view, focal_mm)),
        key=lambda fit: fit.cost,
    )[:8]
    fits = sorted((fit.refined() for fit in starts), key=lambda fit: fit.cost)
    fits = [fit for fit in fits if fit.cost < fits[0].cost + AS_GOOD]
    if not fits or not fits[0].holds:
        raise Refusal(
            "These places agree with no camera. Look whether each is the same place in both "
            "pictures; or pick others, farther apart, and not all on one line."
        )
    spread = fits[0].spread()
    sure = 3 * math.sqrt(max(float(np.trace(spread[3:6, 3:6])), 0.0))
    away = [float(np.linalg.norm(f.camera.position - fits[0].camera.position)) for f in fits]
    if max(away) > sure:
        raise Refusal(
            f"These places fit two cameras that are {max(away):.1f} m apart. Pick one more, before "
            "or behind the others."
        )
    return fits[0].camera, spread


def agrees(camera: Camera, places: Floats, pixels: Floats) -> bool:
    """Whether a camera shows places where a hand has picked them."""
    at, depth = camera.project(places)
    off = np.linalg.norm(at - pixels, axis=1)
    return bool((depth > 0).all() and (off < FAR_OFF * HAND_PX).all())


def _starts(
    places: Floats, pixels: Floats, view: Camera, focal_mm: float | None
) -> list[Camera]:  # fmt: skip
    out = []
    for mm in FOCALS_MM if focal_mm is None else (focal_mm,):
        focal = focal_px_from_35mm(mm, view.width, view.height)
        k = np.array([[focal, 0, view.cx], [0, focal, view.cy], [0, 0, 1.0]])
        for three in islice(combinations(range(len(places)), 3), TRIPLES):
            some = list(three)
            _, turns, ways = cv2.solveP3P(
                places[some], pixels[some], k, np.zeros(4), flags=cv2.SOLVEPNP_AP3P
            )
            for turn, way in zip(turns, ways, strict=True):
                matrix = cv2.Rodrigues(turn)[0]
                # OpenCV looks along +Z with +Y down
                rotation = np.diag([1.0, -1.0, -1.0]) @ matrix
                position = -matrix.T @ way[:, 0]
                out.append(
                    Camera.centred(view.width, view.height, focal, rotation, position)
                )  # fmt: skip
    return out


class _Fit:
    """A camera, and how well it agrees."""

    def __init__(
        self, places: Floats, pixels: Floats, camera: Camera, focal_mm: float | None
    ) -> None:
        self.places, self.pixels, self.camera, self.focal_mm = places, pixels, camera, focal_mm

    def moved(self, p: Floats) -> Camera:
        turn = scipy.spatial.transform.Rotation.from_rotvec(p[:3]).as_matrix()
        one = self.camera
        return Camera.centred(
            one.width, one.height, one.focal_px * math.exp(p[6]), turn @ one.rotation,
            one.position + p[3:6],
        )  # fmt: skip

    def off(self, p: Floats) -> Floats:
        """What is off, in standard deviations: places, the roll, the focal length."""
        camera = self.moved(p)
        at = (camera.project(self.places)[0] - self.pixels) / HAND_PX
        _, roll, _ = tilt_roll_yaw(camera.rotation)
        mm = focal_35mm(camera.focal_px, camera.width, camera.height)
        known, sure = (35.0, UNTOLD) if self.focal_mm is None else (self.focal_mm, TOLD)
        return np.array([*at.ravel(), roll / LEVEL_DEG, math.log(mm / known) / sure])

    @property
    def cost(self) -> float:
        behind = (self.camera.project(self.places)[1] <= 0).any() or self.camera.position[1] <= 0
        off = self.off(np.zeros(7)).clip(-100, 100)
        return float(off @ off) + 1e6 * behind

    @property
    def holds(self) -> bool:
        return agrees(self.camera, self.places, self.pixels)

    def refined(self) -> _Fit:
        found = scipy.optimize.least_squares(self.off, np.zeros(7), x_scale="jac", max_nfev=80)
        return _Fit(self.places, self.pixels, self.moved(found.x), self.focal_mm)

    def spread(self) -> Floats:
        found = scipy.optimize.least_squares(self.off, np.zeros(7), x_scale="jac", max_nfev=80)
        free = max(2 * len(self.places) + 2 - 7, 1)
        worse = max(2 * found.cost / free, 1.0)
        return np.asarray(np.linalg.pinv(found.jac.T @ found.jac) * worse)
