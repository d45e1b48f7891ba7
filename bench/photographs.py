"""One key on made photographs: how many are not sighted right, and how often the truth lies
outside what is stated."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from typing import NamedTuple

import cv2
import numpy as np

from jade_lantern.core.camera import Camera, tilt_roll_yaw
from jade_lantern.core.sight.edges import found_in
from jade_lantern.core.sight.lens import Lens
from jade_lantern.core.sight.solve import solve
from jade_lantern.core.sight.sorting import sort_edges
from jade_lantern.demo.made import HEIGHT, WIDTH, bent_by, made_camera, made_traces, shaken
from jade_lantern.demo.photographs import made_photograph

from .row import Row

PHOTOGRAPHS, DRAWN = 200, 300
ROUGH = 0.3  # a focal length less certain than this is no answer


class _Off(NamedTuple):
    """What an answer is off by: the log focal length, tilt and roll in degrees, and the same in
    what was stated as one sigma."""

    focal: float
    tilt: float
    roll: float
    sigmas: tuple[float, float, float]


def rows() -> Iterator[Row]:
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        answers = list(pool.map(_by_itself, range(PHOTOGRAPHS)))
    known = [a for a in answers if a is not None]
    right = [a for a in known if abs(a.focal) < 0.1 and max(abs(a.tilt), abs(a.roll)) < 1]
    all_ = f"{PHOTOGRAPHS} made photographs"
    yield Row("not within 10 % and 1 degree by one key", all_, 1 - len(right) / len(answers), 0.1)
    yield Row("said not to be known", all_, 1 - len(known) / len(answers), 0.1)
    yield Row("numbers beyond 2 sigma, by one key", "all numbers shown", _beyond(known), 0.1)
    drawn = [a for a in map(_by_hand, range(DRAWN)) if a is not None]
    yield Row("numbers beyond 2 sigma, 8 to 12 traces by hand", "all numbers shown",
              _beyond(drawn), 0.08)  # fmt: skip


def _beyond(answers: list[_Off]) -> float:
    return float((np.abs([a.sigmas for a in answers]) > 2).mean())


def _by_itself(seed: int) -> _Off | None:
    made = made_photograph(np.random.default_rng(seed))
    lens = sort_edges(found_in(cv2.cvtColor(made.pixels, cv2.COLOR_RGB2GRAY))).lens
    return _off(lens, made.camera) if isinstance(lens, Lens) else None


def _by_hand(seed: int) -> _Off | None:
    rng = np.random.default_rng(seed)
    c = made_camera(rng)
    x, y = rng.normal(0, 0.01 * WIDTH, 2)
    camera = Camera(WIDTH, HEIGHT, c.focal_px, c.rotation, c.position, c.cx + x, c.cy + y)
    exact = made_traces(rng, camera, int(rng.integers(8, 13)))
    bent = bent_by(exact, camera, float(np.clip(rng.normal(0, 0.04), -0.1, 0.1)))
    lens = solve(shaken(rng, bent, 1.0), WIDTH, HEIGHT)
    return _off(lens, camera) if isinstance(lens, Lens) else None


def _off(lens: Lens, camera: Camera) -> _Off | None:
    share = lens.focal_sigma / lens.focal_px
    if share > ROUGH:
        return None
    (tilt, roll, _), (tilt_sigma, roll_sigma, _) = lens.angles()
    true_tilt, true_roll, _ = tilt_roll_yaw(camera.rotation)
    focal = float(np.log(lens.focal_px / camera.focal_px))
    tilt, roll = tilt - true_tilt, roll - true_roll
    return _Off(focal, tilt, roll, (focal / share, tilt / tilt_sigma, roll / roll_sigma))
