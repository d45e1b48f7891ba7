"""Focal length errors against the least that any unbiased answer can have."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.sight.bound import information
from jade_lantern.core.sight.lens import Lens
from jade_lantern.core.sight.solve import OPEN_FOCAL, solve
from jade_lantern.demo.made import (
    HEIGHT,
    WIDTH,
    Traces,
    any_camera,
    bent_by,
    bound,
    made_camera,
    made_traces,
    shaken,
)

from .row import Row

CAMERAS = 300
WIDE_CAMERAS = 2000
TRACES = 12
NOISE_PX = 1.0
Point = tuple[float, float]


def rows() -> Iterator[Row]:
    ratio, unanswered = clean()
    against = f"Cramér-Rao bound, {CAMERAS} cameras, {unanswered} open"
    yield Row(f"focal error, {TRACES} traces, {NOISE_PX:g} px, cold start", against, ratio, 1.05)
    ratio, unnamed, accused = gross()
    yield Row("the same with one trace in ten grossly wrong, median", "the same bound", ratio, 1.3)
    yield Row("gross traces not named", "all gross traces", unnamed, 0.05)
    yield Row("good traces accused", "all good traces", accused, 0.02)
    yield Row("tilt error, one finite point, known focal", "its bound", one_finite_point(), 1.05)
    yield Row(
        "focal error, 18 traces, free principal point", "bound with it unknown", free_centre(), 1.05
    )
    yield Row("focal error, 12 bent traces of 7 points", "bound, k1 unknown", bent(), 1.05)
    yield Row(
        "no answer or off by over ten bounds, 18 to 200 mm",
        f"{WIDE_CAMERAS} cameras, bound under 10 %", failures(), 0,
    )  # fmt: skip


def rms(errors: Sequence[float]) -> float:
    return float(np.sqrt(np.mean(np.square(errors))))


def clean() -> tuple[float, int]:
    """Root mean square of error over bound, over cameras whose bound leaves an answer to give;
    and how many of those were left open all the same."""
    rng = np.random.default_rng(11)
    errors, unanswered, count = [], 0, 0
    while count < CAMERAS:
        camera = made_camera(rng)
        exact = made_traces(rng, camera, TRACES)
        least = bound(camera, exact, NOISE_PX)
        lens = solve(shaken(rng, exact, NOISE_PX), WIDTH, HEIGHT, exact=True)
        if least > OPEN_FOCAL / 2:  # where the bound itself says next to nothing
            continue
        count += 1
        if isinstance(lens, Lens):
            errors.append(float(np.log(lens.focal_px / camera.focal_px) / least))
        else:
            unanswered += 1
    return rms(errors), unanswered


def gross() -> tuple[float, float, float]:
    """Median error over bound, scaled so that a perfect answer gives 1, where one trace in ten is
    off by 20 to 200 px at one end; the share of those not named; the share of good ones accused.
    The bound is that of the traces that are right."""
    rng = np.random.default_rng(12)
    errors, unnamed, accused = [], 0, 0
    for _ in range(CAMERAS):
        camera = made_camera(rng)
        exact = made_traces(rng, camera, 20)
        traces = shaken(rng, exact, NOISE_PX)
        wrong = rng.choice(20, 2, replace=False)
        for i in wrong:
            name, (a, b) = traces[i]
            turn = rng.uniform(0, 2 * np.pi)
            way = np.array([np.cos(turn), np.sin(turn)])
            along = np.array(b) - a
            # across the trace, for an end slid along its own edge is not wrong
            if abs(along[0] * way[1] - along[1] * way[0]) < 0.5 * np.hypot(*along):
                way = way[::-1] * [-1, 1]
            away = rng.uniform(20, 200) * way
            traces[i] = (name, [a, (b[0] + away[0], b[1] + away[1])])
        lens = solve(traces, WIDTH, HEIGHT, exact=True)
        least = bound(camera, [t for i, t in enumerate(exact) if i not in wrong], NOISE_PX)
        if not isinstance(lens, Lens):
            errors.append(10.0)
            continue
        errors.append(abs(float(np.log(lens.focal_px / camera.focal_px) / least)))
        named = set(np.nonzero(lens.disagrees)[0].tolist())
        unnamed += len(set(wrong.tolist()) - named)
        accused += len(named - set(wrong.tolist()))
    return float(np.median(errors) / 0.6745), unnamed / (2 * CAMERAS), accused / (18 * CAMERAS)


def one_finite_point() -> float:
    """Looking straight along Away: Across and Up run parallel in the picture. The tilt's error,
    with the focal length given, over its bound."""
    rng = np.random.default_rng(13)
    errors = []
    for _ in range(CAMERAS):
        level = Camera.centred(
            WIDTH, HEIGHT, float(np.exp(rng.uniform(7, 8))), rotation_of(0, rng.uniform(-3, 3), 0),
            np.array([0.0, 1.6, 0.0]),
        )  # fmt: skip
        exact = made_traces(rng, level, TRACES)
        lens = solve(shaken(rng, exact, NOISE_PX), WIDTH, HEIGHT, (level.focal_px, 0.0))
        least = np.sqrt(np.linalg.inv(information(exact, level, (1, 2, 3)))[0, 0]) * NOISE_PX
        tilt = np.radians(lens.angles()[0][0]) if isinstance(lens, Lens) else 1.0
        errors.append(float(tilt / least))
    return rms(errors)


def free_centre() -> float:
    """Three finite vanishing points, the principal point off the middle and unknown."""
    rng = np.random.default_rng(14)
    errors: list[float] = []
    while len(errors) < 10 * CAMERAS:
        camera = shifted(rng)
        exact = made_traces(rng, camera, 18)
        least = bound(camera, exact, NOISE_PX, (0, 1, 2, 3, 4, 5))
        if least > 0.03:  # where the three points carry it
            continue
        lens = solve(shaken(rng, exact, NOISE_PX), WIDTH, HEIGHT, principal="solve")
        far = 10.0
        if isinstance(lens, Lens):
            far = float(np.log(lens.focal_px / camera.focal_px) / least)
        errors.append(far)
    return rms(errors)


def shifted(rng: np.random.Generator) -> Camera:
    """A camera that sees all three headings run together, cropped off its middle."""
    camera = made_camera(rng)
    tilt = rng.uniform(15, 35) * rng.choice([-1, 1])
    yaw = rng.uniform(25, 65) * rng.choice([-1, 1])
    return replace(
        camera,
        rotation=rotation_of(tilt, rng.uniform(-5, 5), yaw),
        cx=camera.cx + rng.uniform(-250, 250),
        cy=camera.cy + rng.uniform(-250, 250),
    )


def bent() -> float:
    """Edges traced at seven points through a lens that bends, k1 unknown."""
    rng = np.random.default_rng(15)
    errors: list[float] = []
    while len(errors) < CAMERAS:
        camera = made_camera(rng)
        exact = made_traces(rng, camera, TRACES, 7)
        k1 = rng.uniform(-0.18, 0.15) * (2 * camera.focal_px / WIDTH) ** 2 * 0.5
        curved = bent_by(exact, camera, k1)
        if any(not (0 <= x <= WIDTH and 0 <= y <= HEIGHT) for _, ps in curved for x, y in ps):
            curved = [t for t in curved if _inside(t)]
        if len(curved) < TRACES - 2:
            continue
        least = bound(camera, curved, NOISE_PX, (0, 1, 2, 3, 6), (k1, 0.0))
        if least > 0.05:
            continue
        lens = solve(shaken(rng, curved, NOISE_PX), WIDTH, HEIGHT, bend="solve")
        far = 10.0
        if isinstance(lens, Lens):
            far = float(np.log(lens.focal_px / camera.focal_px) / least)
        errors.append(far)
    return rms(errors)


def _inside(trace: tuple[str, list[Point]]) -> bool:
    return all(0 <= x <= WIDTH and 0 <= y <= HEIGHT for x, y in trace[1])


def failures() -> int:
    """Cameras over the whole range, 6 to 40 traces each, that got no answer or one off by more
    than ten bounds, wherever the bound itself is under a tenth of the focal length; and those
    where it is not that got an answer which claims to know."""
    rng = np.random.default_rng(16)
    failed, count = 0, 0
    while count < WIDE_CAMERAS:
        camera = any_camera(rng)
        exact: Traces = made_traces(rng, camera, int(rng.integers(6, 41)))
        least = bound(camera, exact, NOISE_PX)
        lens = solve(shaken(rng, exact, NOISE_PX), WIDTH, HEIGHT, exact=True)
        if least >= 0.1:
            failed += isinstance(lens, Lens) and lens.focal_sigma < 0.06 * lens.focal_px
            continue
        count += 1
        if not isinstance(lens, Lens):
            failed += 1
        else:
            failed += abs(np.log(lens.focal_px / camera.focal_px)) > 10 * least
    return failed
