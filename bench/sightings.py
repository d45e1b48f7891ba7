"""Focal length errors against the least that any unbiased answer can have."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from jade_lantern.core.sight.solve import OPEN_FOCAL, Lens, solve
from jade_lantern.demo.made import HEIGHT, WIDTH, bound, made_camera, made_traces, shaken

from .row import Row

CAMERAS = 300
TRACES = 12
NOISE_PX = 1.0


def rows() -> Iterator[Row]:
    ratio, unanswered = clean()
    against = f"Cramér-Rao bound, {CAMERAS} cameras, {unanswered} open"
    yield Row(f"focal error, {TRACES} traces, {NOISE_PX:g} px, cold start", against, ratio, 1.05)
    yield Row(
        "the same with one trace in ten grossly wrong, median", "the same bound", gross(), 1.3
    )


def clean() -> tuple[float, int]:
    """Root mean square of error over bound, over cameras whose bound leaves an answer to give;
    and how many of those were left open all the same."""
    rng = np.random.default_rng(11)
    errors, unanswered, count = [], 0, 0
    while count < CAMERAS:
        camera = made_camera(rng)
        exact = made_traces(rng, camera, TRACES)
        least = bound(camera, exact, NOISE_PX)
        lens = solve(shaken(rng, exact, NOISE_PX), WIDTH, HEIGHT)
        if least > OPEN_FOCAL / 2:  # where the bound itself says next to nothing
            continue
        count += 1
        if isinstance(lens, Lens):
            errors.append(np.log(lens.focal_px / camera.focal_px) / least)
        else:
            unanswered += 1
    return float(np.sqrt(np.mean(np.square(errors)))), unanswered


def gross() -> float:
    """Median error over bound, scaled so that a perfect answer gives 1; one trace in ten is off
    by 20 to 200 px at one end. The bound is that of the traces that are right."""
    rng = np.random.default_rng(12)
    errors = []
    for _ in range(CAMERAS):
        camera = made_camera(rng)
        exact = made_traces(rng, camera, 20)
        traces = shaken(rng, exact, NOISE_PX)
        wrong = rng.choice(20, 2, replace=False)
        for i in wrong:
            name, (a, b) = traces[i]
            away = rng.uniform(20, 200) * np.array([np.cos(t := rng.uniform(0, 7)), np.sin(t)])
            traces[i] = (name, [a, (b[0] + away[0], b[1] + away[1])])
        lens = solve(traces, WIDTH, HEIGHT)
        least = bound(camera, [t for i, t in enumerate(exact) if i not in wrong], NOISE_PX)
        far = (
            10.0 if not isinstance(lens, Lens) else np.log(lens.focal_px / camera.focal_px) / least
        )
        errors.append(abs(float(far)))
    return float(np.median(errors) / 0.6745)
