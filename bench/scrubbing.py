"""Going through a plate that plays, against looking at a still of its size."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from itertools import cycle
from pathlib import Path

import cv2
import numpy as np

from .row import Row, side_by_side

SIZE, COUNT, TIMES = (3840, 2160), 48, 25


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["JADE_LANTERN_DATA"] = folder
        os.environ.setdefault("DJANGO_SETTINGS_MODULE", "jade_lantern.studio.settings")
        import django

        django.setup()
        yield from _scrubbed(Path(folder))


def _scrubbed(folder: Path) -> Iterator[Row]:
    from jade_lantern.core.deliver.movie import Movie
    from jade_lantern.core.picture import png
    from jade_lantern.studio import levels, plates

    rng = np.random.default_rng(2)
    small = rng.integers(0, 255, (SIZE[1] // 8, SIZE[0] // 8 + COUNT, 3)).astype(np.uint8)
    wide = cv2.resize(small, None, fx=8, fy=8, interpolation=cv2.INTER_CUBIC)
    path = folder / "plays.mp4"
    with Movie(path, *SIZE, 24.0) as movie:
        for k in range(COUNT):
            cut = wide[:, 8 * k : 8 * k + SIZE[0]]
            movie.add(np.dstack([cut, np.full(cut.shape[:2], 255, np.uint8)]))
    movie_digest = plates.take_in(path.read_bytes()).digest
    still = plates.take_in(png(np.ascontiguousarray(wide[:, : SIZE[0]]), effort=1)).digest
    levels.settle()
    plates.smalls.settle()
    numbers = cycle(np.random.default_rng(3).permutation(COUNT)[1:].tolist())

    def scrubbed() -> None:
        plates.quick(movie_digest, next(numbers))

    ratio = side_by_side(scrubbed, lambda: plates.quick_of(plates.levels_of(still)), TIMES)
    yield Row("a picture of a 4K movie, gone through at random", "a still of its size", ratio, 2.0)
