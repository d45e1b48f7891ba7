"""Hidden corners: two known edges run on to where they would meet."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..refusal import Refusal
from ..scene.edits import AddCorner, Edit
from ..scene.gesture import Gesture
from ..scene.model import Scene, Sighting
from ..value import Id, Point2


class MarkCorner(Gesture):
    """Mark the corner where two traces would meet."""

    verb: Literal["MarkCorner"] = "MarkCorner"
    traces: tuple[Id, Id]

    def edit(self, scene: Scene) -> Edit:
        x, y = meeting(scene.sighting, self.traces)
        if not (0 <= x <= scene.plate.width and 0 <= y <= scene.plate.height):
            raise Refusal("These two meet outside the picture. Choose another edge.")
        return AddCorner(traces=self.traces)


def meeting(sighting: Sighting, traces: tuple[Id, Id]) -> Point2:
    """Where two traces meet when run on, px. Raises Refusal where they do not."""
    by = {t.id: t for t in sighting.traces}
    if traces[0] not in by or traces[1] not in by:
        raise Refusal("One of these traces is not there any more.")
    (p, q), (r, s) = ((by[i].points[0], by[i].points[-1]) for i in traces)
    d, e = np.subtract(q, p), np.subtract(s, r)
    cross = float(d[0] * e[1] - d[1] * e[0])
    if abs(cross) <= 0.02 * float(np.hypot(*d) * np.hypot(*e)):
        raise Refusal("These two run side by side, so they do not meet. Choose another edge.")
    t = float((r[0] - p[0]) * e[1] - (r[1] - p[1]) * e[0]) / cross
    return float(p[0] + t * d[0]), float(p[1] + t * d[1])
