"""Compiled kernels made ready ahead of the first hand that needs them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, ProcessPoolExecutor, wait
from multiprocessing import get_context

import cv2
import numpy as np

from ..core.block.marbles import fallen
from ..core.camera import Camera
from ..core.dress.grade import graded
from ..core.mesh import mesh_of
from ..core.render.diagnose import DiagnosedCast, thrown
from ..core.render.film import PLANES, film
from ..core.render.frame import render
from ..core.render.land import Cast, Target, Thrower
from ..core.render.lights import Dress, Haze, Light
from ..core.render.pyramid import pyramid
from ..core.scene import dressing
from ..core.sight.look import Look
from ..core.sight.pull import pulled_points
from ..core.sight.search import Lines, best_crossing, best_turn
from ..core.sight.solve import solve
from ..demo.picture import paint_picture
from ..demo.project import EDGES, seen
from ..demo.world import lens, quay

TICK_S = 8.0


def solver() -> None:
    camera = lens()
    traces = [(h, [seen(camera, a), seen(camera, b)]) for h, a, b in EDGES]
    solve(traces, camera.width, camera.height)


def edges() -> None:
    """A house-like picture, so that edges are found, told apart and pulled onto."""
    still = np.full((200, 300, 3), 90, np.uint8)
    for i in range(5):
        cv2.rectangle(still, (30 + 50 * i, 30), (60 + 50 * i, 170), (200, 180, 60 * i), -1)
    look = Look(still)
    _ = look.sorting
    lines = Lines.of(look.found, look.found.middle)
    best_crossing(lines.m, lines.d, lines.length, lines.sigma, lines.size)
    best_turn(
        lines.m, lines.d, lines.length, lines.sigma, np.eye(3), 300.0, np.zeros(1), 0.07
    )  # fmt: skip
    pulled_points(look.planes, [(30.0, 40.0), (31.0, 150.0)], 4.0)


def renderer() -> None:
    camera = Camera.centred(64, 48, 60.0, np.eye(3), np.zeros(3))
    sheet = mesh_of([[-1, -1, -2], [1, -1, -2], [1, 1, -2], [-1, 1, -2.0]], [(0, 1, 2, 3)])
    render([sheet], camera, camera, pyramid(np.zeros((48, 64, 3), np.uint8)))
    thrown([sheet], camera, 64).from_(camera)


def deep_renderer() -> None:
    camera = Camera.centred(64, 48, 60.0, np.eye(3), np.zeros(3))
    sheet = mesh_of([[-1, -1, -2], [1, -1, -2], [1, 1, -2], [-1, 1, -2.0]], [(0, 1, 2, 3)])
    clear = np.zeros((48, 64, 4), np.uint8)
    lanterns = [Thrower(camera, pyramid(clear), clear=clear[..., 3] / 255.0)]
    cast = Cast([Target(sheet, proxy=i) for i in range(2)], lanterns)
    dress = Dress((Light("sun", (0.5, 0.5, 0.5)),), Haze((0.7, 0.7, 0.8), 0.1))
    made = film(cast, camera, PLANES, (cast, camera), dress).beauty
    for frame in (made, np.zeros((8, 8, 4), np.uint8)):
        graded(frame, dressing.Look(contrast=1.1))
    DiagnosedCast(cast.targets, lanterns, 64).from_(camera)


def painter() -> None:
    paint_picture(quay(), lens().resized(48, 32), samples=1)


def marbles() -> None:
    fallen(
        np.array([[[-1.0, 0, -1], [1.0, 0, -1], [0, 0, 1.0]]]), np.array([[0, 0.5, 0.0]]), 1.6, 0.5
    )


# What a hand needs at once, the longest first; and what can wait until the page is up.
FIRST: dict[str, Callable[[], None]] = {
    "the solver": solver, "the renderer": renderer, "edges": edges,
}  # fmt: skip
LATER: dict[str, Callable[[], None]] = {
    "the demo's painter": painter, "the renderer with alpha": deep_renderer, "marbles": marbles,
}  # fmt: skip


def warm_sighting() -> None:
    """What a hand in Sight needs at once, loaded into this process."""
    solver()
    edges()


def compiled(kernels: dict[str, Callable[[], None]]) -> Iterator[str]:
    """Compile kernels, as many at once as there are processors. Yields the name of each when it is
    ready, and an empty one whenever nothing has become ready for TICK_S."""
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        waiting = {pool.submit(kernel): name for name, kernel in kernels.items()}
        while waiting:
            done, _ = wait(waiting, TICK_S, FIRST_COMPLETED)
            if not done:
                yield ""
            for job in done:
                job.result()
                yield waiting.pop(job)
