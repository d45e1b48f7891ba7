"""The picture's straight edges, found to a fraction of a pixel and sorted into headings.

Segments come from the line segment detector (von Gioi et al. 2010) on a reduced picture, joined
where they continue each other, then each is pulled onto its edge in the full picture. Headings are
told apart with no camera known: pairs of pairs of edges propose two right-angled vanishing points
and so a camera, and the one that most edge length agrees with is kept (Coughlan & Yuille 1999;
Tardif 2009).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..scene.model import Heading
from .lines import HEADINGS
from .misfit import cross, misfit_to_point, vanishing
from .pull import pulled
from .solve import Lens, Unsettled, solve
from .starts import _back, _frame

Array = Any

DETECTED_AT = 1800  # px: the longer side of the picture in which segments are looked for
SHORTEST = 0.022  # of the longer side
MOST_EDGES = 500
TRIALS = 4000
AGREEING = 0.4  # of all edges must run along the headings, or nothing is claimed
LEAST_AGREEING = 12
UNUSUAL = 0.04  # how much less a focal length an octave from the usual is believed
AGREES = np.sin(np.radians(1.2))
SOLVED_FROM = 14  # edges a heading, for an unattended camera
APART = 0.012  # of the longer side: nearer edges of one heading say the same twice
SPREAD = 8  # edges a heading, when a good spread of them is taken


@dataclass(frozen=True)
class Edge:
    """A straight edge of the picture, px, with the heading it seems to run along, if any."""

    a: tuple[float, float]
    b: tuple[float, float]
    heading: Heading | None


@dataclass(frozen=True)
class Found:
    """What a picture shows by itself: ends (E, 4), px, longest first; strength (E,) mean step."""

    ends: NDArray[np.float64]
    strength: NDArray[np.float64]
    width: int
    height: int

    @cached_property
    def unattended(self) -> tuple[Lens | Unsettled, NDArray[np.int64]]:
        """A camera from the edges alone, and each edge's heading (-1 for none)."""
        return _unattended(self)


def found_in(gray: NDArray[np.uint8]) -> Found:
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


def _longest_first(lines: NDArray[np.float64]) -> NDArray[np.float64]:
    order = np.argsort(-np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]))
    out: NDArray[np.float64] = lines[order]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def _joined(lines: Array, off: float) -> Array:
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
def _sharpened(gray: Array, lines: Array, reach: float) -> tuple[Array, Array]:
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


@njit(cache=True, nogil=True, error_model="numpy")
def _agreement(
    m: Array, d: Array, length: Array, R: Array, focal: float, least: float, which: Array
) -> float:
    """How much edge length runs to the three vanishing points; fills which heading each does."""
    total = 0.0
    share = np.zeros(3)
    v = np.empty(3)
    for i in range(len(m)):
        best, at = 0.0, -1
        for h in range(3):
            vanishing(R, focal, h, v)
            x, y = v[0] - m[i, 0] * v[2], v[1] - m[i, 1] * v[2]
            size = np.sqrt(x * x + y * y)
            if size < 1e-9:
                continue
            sine = abs(x * d[i, 1] - y * d[i, 0]) / size
            if abs(v[2]) * 1.1 * length[i] > size:
                continue  # it runs up to the vanishing point or through it, and tells nothing
            good = 1.0 - (sine / least) ** 2
            if good > best:
                best, at = good, h
        which[i] = at
        if at >= 0:
            share[at] += best * length[i]
    for h in range(3):  # a heading's tenth hundred edges tell less than its first ten
        total += share[h] ** 0.7
    return total


@njit(cache=True, nogil=True, error_model="numpy")
def _best_camera(
    m: Array, d: Array, length: Array, size: float, trials: int, seed: int
) -> tuple[float, Array]:
    """Focal length and rotation that most edge length agrees with, from trials of two pairs."""
    np.random.seed(seed)
    count = len(m)
    chance = np.cumsum(length / length.sum())
    which = np.empty(count, np.int64)
    best, best_f, best_R = -1.0, 2 * size, np.eye(3)
    pick = np.empty(4, np.int64)
    spread = np.array([1.4, 2.0, 2.8])
    for _ in range(trials):
        for k in range(4):
            pick[k] = min(int(np.searchsorted(chance, np.random.random())), count - 1)
        if pick[0] == pick[1] or pick[2] == pick[3]:
            continue
        n = np.empty((4, 3))
        for k in range(4):
            i = pick[k]
            nx, ny = -d[i, 1], d[i, 0]
            n[k] = (nx, ny, -(nx * m[i, 0] + ny * m[i, 1]) / size)
        va, vb = cross(n[0], n[1]), cross(n[2], n[3])
        la, lb = np.sqrt((va * va).sum()), np.sqrt((vb * vb).sum())
        if la < 1e-6 or lb < 1e-6:
            continue
        va, vb = va / la, vb / lb
        va[:2] *= size
        vb[:2] *= size
        ww = va[2] * vb[2]
        found = False
        if abs(ww) > 1e-6:
            ff = -(va[0] * vb[0] + va[1] * vb[1]) / ww
            if ff > (0.7 * size) ** 2 and ff < (12.0 * size) ** 2:
                found = True
        for k in range(1 if found else 3):
            f = np.sqrt(ff) if found else spread[k] * size
            a, b = _back(va, f), _back(vb, f)
            if abs((a * b).sum()) > 0.1:
                continue
            R = _frame(a, b, 0, 1)
            # one of the three must be near enough upright in the picture
            tall = max(abs(R[1, 0]), abs(R[1, 1]), abs(R[1, 2]))
            if tall < 0.7:
                continue
            score = _agreement(m, d, length, R, f, AGREES, which)
            if not found:
                score *= 0.97
            octaves = np.log2(f / (2.0 * size))  # an ordinary lens is likelier than a long one
            score /= 1.0 + UNUSUAL * octaves * octaves
            if score > best:
                best, best_f, best_R = score, f, R
    return best_f, best_R


@njit(cache=True, nogil=True)
def _named(R: Array) -> Array:
    """Which column is Across, Up and Away: Up the most upright one in the picture, Away the one
    that goes most into it."""
    up = 0
    for h in range(3):
        if abs(R[1, h]) > abs(R[1, up]):
            up = h
    a, b = (up + 1) % 3, (up + 2) % 3
    away, across = (a, b) if abs(R[2, a]) > abs(R[2, b]) else (b, a)
    return np.array([across, up, away])


def _unattended(found: Found) -> tuple[Lens | Unsettled, NDArray[np.int64]]:
    ends, count = found.ends, len(found.ends)
    nothing = np.full(count, -1, np.int64)
    if count < 4:
        return Unsettled("Too few straight edges were found to tell a camera by."), nothing
    m, d, length = _lines(found)
    size = max(found.width, found.height) / 2
    focal, rotation = _best_camera(m, d, length, size, TRIALS, 1)
    which = np.empty(count, np.int64)
    lens: Lens | Unsettled = Unsettled("The edges that were found agree on no three headings.")
    named = _named(rotation)
    rotation = np.ascontiguousarray(rotation[:, named])
    for width in (AGREES, 0.7 * AGREES, 0.5 * AGREES):
        _agreement(m, d, length, rotation, focal, float(width), which)
        chosen = spread_of_edges(found, which, rotation, focal, SOLVED_FROM)
        answer = solve(
            [(HEADINGS[which[i]], [tuple(ends[i, :2]), tuple(ends[i, 2:])]) for i in chosen],
            found.width, found.height,
        )  # fmt: skip
        lens = answer
        if isinstance(answer, Unsettled):
            break
        agreeing = int((which >= 0).sum())
        if agreeing < max(AGREEING * count, LEAST_AGREEING):
            which = nothing
            lens = Unsettled(
                "The edges that were found do not run along three headings. Trace them by hand, or "
                "sight by eye."
            )
            break
        focal, rotation = answer.focal_px, answer.rotation
    return lens, which


def _lines(found: Found) -> tuple[Array, Array, Array]:
    ends = found.ends
    centre = np.array([found.width / 2, found.height / 2])
    m = (ends[:, :2] + ends[:, 2:]) / 2 - centre
    along = ends[:, 2:] - ends[:, :2]
    length = np.hypot(along[:, 0], along[:, 1])
    return np.ascontiguousarray(m), along / length[:, None], length


def headings_under(found: Found, lens: Lens) -> NDArray[np.int64]:
    """Each edge's heading under a camera that is known, -1 for none."""
    m, d, length = _lines(found)
    m += [found.width / 2 - lens.centre[0], found.height / 2 - lens.centre[1]]
    which = np.empty(len(m), np.int64)
    if len(m):
        _agreement(m, d, length, lens.rotation, lens.focal_px, 0.6 * float(AGREES), which)
    return which


@njit(cache=True, nogil=True, error_model="numpy")
def _slopes(
    m: Array, d: Array, length: Array, which: Array, R: Array, focal: float
) -> tuple[Array, Array]:
    """Each edge's misfit (E,) and its derivatives (E, 4) by log focal and the rotation."""
    from_line = np.zeros((len(m), 4))
    misfit = np.zeros(len(m))
    v = np.empty(3)
    Rn = R.copy()
    step = 1e-6
    for i in range(len(m)):
        if which[i] < 0:
            continue
        spread = length[i] * length[i] / 2
        vanishing(R, focal, which[i], v)
        misfit[i] = misfit_to_point(m[i], d[i], spread, 2.0, v)
        vanishing(R, focal * np.exp(step), which[i], v)
        from_line[i, 0] = (misfit_to_point(m[i], d[i], spread, 2.0, v) - misfit[i]) / step
        h = which[i]
        c0, c1, c2 = R[0, h], R[1, h], R[2, h]
        for k in range(3):
            Rn[:, h] = R[:, h]
            if k == 0:
                Rn[1, h] -= step * c2
                Rn[2, h] += step * c1
            elif k == 1:
                Rn[0, h] += step * c2
                Rn[2, h] -= step * c0
            else:
                Rn[0, h] -= step * c1
                Rn[1, h] += step * c0
            vanishing(Rn, focal, h, v)
            from_line[i, 1 + k] = (misfit_to_point(m[i], d[i], spread, 2.0, v) - misfit[i]) / step
            Rn[:, h] = R[:, h]
    return misfit, from_line


@njit(cache=True, nogil=True, error_model="numpy")
def _greedy(
    slopes: Array, which: Array, most: int, m: Array, d: Array, length: Array, apart: float
) -> Array:
    """Edges chosen one after another, each the one that tells most of what is not told yet; none
    runs beside one that is chosen already, less than `apart` px off."""
    inverse = np.zeros((4, 4))
    for k in range(4):
        inverse[k, k] = 1.0
    taken = np.zeros(3, np.int64)
    used = np.zeros(len(slopes), np.bool_)
    out = np.empty(3 * most, np.int64)
    count = 0
    for _ in range(3 * most):
        best, at = 1e-9, -1
        for i in range(len(slopes)):
            h = which[i]
            if h < 0 or used[i] or taken[h] >= most:
                continue
            gain = 0.0
            for a in range(4):
                for b in range(4):
                    gain += slopes[i, a] * inverse[a, b] * slopes[i, b]
            # an empty heading comes before a fourth edge of a full one
            gain *= 1.0 / (1.0 + taken[h])
            if gain > best:
                best, at = gain, i
        if at < 0:
            break
        used[at] = True
        for i in range(len(slopes)):
            x, y = m[i, 0] - m[at, 0], m[i, 1] - m[at, 1]
            lean = d[i, 0] * d[at, 1] - d[i, 1] * d[at, 0]
            off = abs(x * d[at, 1] - y * d[at, 0]) - 0.5 * length[i] * abs(lean)
            along = abs(x * d[at, 0] + y * d[at, 1])
            if which[i] == which[at] and off < apart and along < 0.5 * (length[i] + length[at]):
                used[i] = True
        taken[which[at]] += 1
        out[count] = at
        count += 1
        j = slopes[at]
        w = inverse @ j
        inverse -= np.outer(w, w) / (1.0 + j @ w)
    return out[:count]


def spread_of_edges(
    found: Found, which: NDArray[np.int64], rotation: Array, focal: float, most: int
) -> NDArray[np.int64]:
    """Indices of at most so many edges a heading that together pin a camera down best."""
    m, d, length = _lines(found)
    _, slopes = _slopes(m, d, length, which, rotation, focal)
    apart = APART * max(found.width, found.height)
    out: NDArray[np.int64] = _greedy(slopes, which, most, m, d, length, apart)
    return out


def slopes_at(
    places: NDArray[np.float64], heading: int, length: float, lens: Lens
) -> NDArray[np.float64]:
    """The derivatives (P, 4), by log focal and the rotation, of the misfit of an edge so long of
    a heading, were it to lie at each of some places (P, 2), px."""
    m = places - lens.centre
    c = lens.rotation[:, heading]
    to = np.array([lens.focal_px * c[0], -lens.focal_px * c[1]]) + m * c[2]
    d = to / np.maximum(np.hypot(to[:, 0], to[:, 1]), 1e-9)[:, None]
    lengths = np.full(len(m), float(length))
    _, out = _slopes(m, d, lengths, np.full(len(m), heading), lens.rotation, lens.focal_px)
    slopes: NDArray[np.float64] = out
    return slopes
