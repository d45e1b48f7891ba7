"""The picture's straight edges, found to a fraction of a pixel.

Segments come from the line segment detector (von Gioi et al. 2010) on a reduced picture, joined
where they continue each other, then each is pulled onto its edge in the full picture.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from ..arrays import Bytes, Floats
from .bend import straightened
from .pull import pulled

DETECTED_AT = 1800  # px: the longer side of the picture in which segments are looked for
SHORTEST = 0.022  # of the longer side
MOST_EDGES = 500


@dataclass(frozen=True)
class Found:
    """What a picture shows by itself: ends (E, 4), px, longest first; strength (E,) mean step.
    told_mm: the focal length, in 35 mm terms, that its file tells, if it does."""

    ends: Floats
    strength: Floats
    width: int
    height: int
    told_mm: float | None = None

    @property
    def longer(self) -> int:
        return max(self.width, self.height)

    @property
    def middle(self) -> tuple[float, float]:
        return self.width / 2, self.height / 2

    def lines_from(
        self, centre: tuple[float, float], bend: float = 0.0
    ) -> tuple[Floats, Floats, Floats]:
        """Middles (E, 2) from a point of the picture, directions (E, 2) and lengths (E,), px.
        bend: k1 on half longer sides; the edges are straightened by it."""
        ends = np.ascontiguousarray(self.ends.reshape(-1, 2))
        out = np.empty_like(ends)
        straightened(ends, np.array(centre, float), np.array([bend, 0.0]), self.longer / 2, out)
        first, second = out[::2], out[1::2]
        middles, along = (first + second) / 2, second - first
        length = np.hypot(along[:, 0], along[:, 1])
        return np.ascontiguousarray(middles), along / length[:, None], length


def found_in(gray: Bytes) -> Found:
    """The straight edges of a picture (H, W)."""
    h, w = gray.shape
    scale = min(1.0, DETECTED_AT / max(w, h))
    small = gray
    if scale < 1:
        size = (max(round(w * scale), 1), max(round(h * scale), 1))
        small = cv2.resize(gray, size, interpolation=cv2.INTER_AREA)
    detector = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD)
    lines = detector.detect(small)[0]
    if lines is None:
        return Found(np.zeros((0, 4)), np.zeros(0), w, h)
    raw = lines.reshape(-1, 4).astype(float) + 0.5
    raw[:, [0, 2]] *= w / small.shape[1]
    raw[:, [1, 3]] *= h / small.shape[0]
    least = SHORTEST * max(w, h)
    raw = raw[np.hypot(raw[:, 2] - raw[:, 0], raw[:, 3] - raw[:, 1]) > least * 0.45]
    raw = _longest_first(raw)[: 4 * MOST_EDGES]
    joined = _longest_first(_joined(np.ascontiguousarray(raw), 1.5 / scale))
    lengths = np.hypot(joined[:, 2] - joined[:, 0], joined[:, 3] - joined[:, 1])
    joined = np.ascontiguousarray(joined[lengths > least][: int(1.5 * MOST_EDGES)])
    ends, strength = _sharpened(gray, joined, max(2.0, 1.6 / scale))
    lengths = np.hypot(ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1])
    keep = np.argsort(-lengths)[:MOST_EDGES]
    return Found(ends[keep], strength[keep], w, h)


def _longest_first(lines: Floats) -> Floats:
    order = np.argsort(-np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]))
    out: Floats = lines[order]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _joined(lines: Floats, off: float) -> Floats:
    """Segments that continue each other made one: the shorter lies along the longer, no further
    off than `off` px, with a gap no longer than itself; and doubles beside a longer one dropped."""
    count = len(lines)
    out = lines.copy()
    gone = np.zeros(count, np.bool_)
    for i in range(count):
        if gone[i]:
            continue
        again = True
        while again:
            again = False
            ax, ay, bx, by = out[i, 0], out[i, 1], out[i, 2], out[i, 3]
            dx, dy = bx - ax, by - ay
            length = np.sqrt(dx * dx + dy * dy)
            ux, uy = dx / length, dy / length
            for j in range(i + 1, count):
                if gone[j]:
                    continue
                s0 = (out[j, 0] - ax) * ux + (out[j, 1] - ay) * uy
                s1 = (out[j, 2] - ax) * ux + (out[j, 3] - ay) * uy
                if s0 < -length or s0 > 2 * length:
                    continue
                t0 = -(out[j, 0] - ax) * uy + (out[j, 1] - ay) * ux
                t1 = -(out[j, 2] - ax) * uy + (out[j, 3] - ay) * ux
                if abs(t0) > off or abs(t1) > off:
                    continue
                low, high = min(s0, s1), max(s0, s1)
                gap = max(low - length, -high)
                if gap > 0.6 * (high - low):
                    continue
                gone[j] = True
                if low < -1.0 or high > length + 1.0:
                    first, last = min(low, 0.0), max(high, length)
                    # ends keep their own offsets, so that the joined line is the truer one
                    t_first = (t0 if s0 < s1 else t1) if low < 0.0 else 0.0
                    t_last = (t1 if s0 < s1 else t0) if high > length else 0.0
                    out[i, 0], out[i, 1] = (
                        ax + ux * first - uy * t_first,
                        ay + uy * first + ux * t_first,
                    )
                    out[i, 2], out[i, 3] = (
                        ax + ux * last - uy * t_last,
                        ay + uy * last + ux * t_last,
                    )
                    again = True
                    break
    return out[~gone]


@njit(cache=True, nogil=True, error_model="numpy")
def _sharpened(gray: Bytes, lines: Floats, reach: float) -> tuple[Floats, Floats]:
    """Each line pulled onto its edge in the full picture; those that have none are left out."""
    ends, strength = np.empty((len(lines), 4)), np.empty(len(lines))
    seen = np.empty(5)
    kept = 0
    for i in range(len(lines)):
        a, b, c, d = lines[i, 0], lines[i, 1], lines[i, 2], lines[i, 3]
        if pulled(gray, a, b, c, d, reach, seen):
            ends[kept], strength[kept] = seen[:4], seen[4]
            kept += 1
    return ends[:kept], strength[:kept]
