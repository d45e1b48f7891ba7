"""A camera from a picture's edges alone, and the edges sorted into headings by a camera.

Headings are told apart with no camera known: pairs of pairs of edges propose two right-angled
vanishing points and so a camera, and the one that most edge length agrees with is kept (Coughlan &
Yuille 1999; Tardif 2009). In a cropped picture the third heading then does not lie at right angles
to the two; it is looked for among the edges that are left, and the principal point is let go.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numba import njit

from ..arrays import Flags, Floats, Indices
from .crop import is_off_middle
from .edges import Found
from .lens import Lens, Unsettled
from .lines import HEADINGS
from .misfit import cross, vanishing
from .solve import solve
from .spread import spread_of_edges
from .starts import frame, ray_to

Sighted = tuple[Lens | Unsettled, Indices]

TRIALS = 4000
AGREEING = 0.4  # of all edges must run along the headings, or nothing is claimed
LEAST_AGREEING = 12
# Score penalty per squared octave between a focal length and a normal lens's.
FOCAL_PRIOR = 0.04
AGREES = np.sin(np.radians(1.2))
SOLVED_FROM = 14  # edges a heading, for an unattended camera
LEAST_FAMILY = 12  # edges that run to one point before they are taken for a third heading,
FAMILY = 1 / 3  # and their share of all that are left
LONGEST = 60  # edges whose crossings are looked at for it


@njit(cache=True, nogil=True, error_model="numpy")
def _agreement(
    m: Floats, d: Floats, length: Floats, R: Floats, focal: float, least: float, which: Indices
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
    m: Floats, d: Floats, length: Floats, size: float, trials: int, seed: int
) -> tuple[float, Floats]:
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
            a, b = ray_to(va, f), ray_to(vb, f)
            if abs((a * b).sum()) > 0.1:
                continue
            R = frame(a, b, 0, 1)
            # one of the three must be near enough upright in the picture
            tall = max(abs(R[1, 0]), abs(R[1, 1]), abs(R[1, 2]))
            if tall < 0.7:
                continue
            score = _agreement(m, d, length, R, f, AGREES, which)
            if not found:
                score *= 0.97
            octaves = np.log2(f / (2.0 * size))  # an ordinary lens is likelier than a long one
            score /= 1.0 + FOCAL_PRIOR * octaves * octaves
            if score > best:
                best, best_f, best_R = score, f, R
    return best_f, best_R


@njit(cache=True, nogil=True)
def _named(R: Floats) -> Indices:
    """Which column is Across, Up and Away: Up the most upright one in the picture, Away the one
    that goes most into it."""
    up = 0
    for h in range(3):
        if abs(R[1, h]) > abs(R[1, up]):
            up = h
    a, b = (up + 1) % 3, (up + 2) % 3
    away, across = (a, b) if abs(R[2, a]) > abs(R[2, b]) else (b, a)
    return np.array([across, up, away])


def sighted_unattended(found: Found) -> Sighted:
    """A camera from the edges alone, and each edge's heading (-1 for none)."""
    count = len(found.ends)
    nothing = np.full(count, -1, np.int64)
    if count < 4:
        return Unsettled("Too few straight edges were found to tell a camera by."), nothing
    m, d, length = found.lines_from(found.middle)
    size = max(found.width, found.height) / 2
    focal, rotation = _best_camera(m, d, length, size, TRIALS, 1)
    which = np.empty(count, np.int64)
    lens: Lens | Unsettled = Unsettled("The edges that were found agree on no three headings.")
    named = _named(rotation)
    rotation = np.ascontiguousarray(rotation[:, named])
    for width in (AGREES, 0.7 * AGREES, 0.5 * AGREES):
        _agreement(m, d, length, rotation, focal, float(width), which)
        chosen = spread_of_edges(found, which, rotation, focal, SOLVED_FROM)
        lens = answer = _solved_from(found, which, chosen)
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
    if isinstance(lens, Lens):
        return _uncropped(found, which, lens) or (lens, which)
    return lens, which


@njit(cache=True, nogil=True, error_model="numpy")
def running_to_one_point(m: Floats, d: Floats, length: Floats, size: float, pairs: int) -> Flags:
    """Which edges, longest first, run to the point that most of them do, of all that two of the
    first `pairs` meet in."""
    count = len(m)
    best, most = np.zeros(count, np.bool_), 0
    runs = np.empty(count, np.bool_)
    n = np.empty((count, 3))
    for i in range(count):
        n[i, 0], n[i, 1] = -d[i, 1], d[i, 0]
        n[i, 2] = -(n[i, 0] * m[i, 0] + n[i, 1] * m[i, 1]) / size
    for a in range(min(pairs, count)):
        for b in range(a):
            v = cross(n[a], n[b])
            total = 0
            for i in range(count):
                x, y = v[0] * size - m[i, 0] * v[2], v[1] * size - m[i, 1] * v[2]
                far = np.sqrt(x * x + y * y)
                runs[i] = (
                    abs(x * d[i, 1] - y * d[i, 0]) < 0.6 * AGREES * far
                    and abs(v[2]) * 1.1 * length[i] < far
                )
                total += runs[i]
            if total > most:
                most = total
                best[:] = runs
    return best


def _uncropped(found: Found, which: Indices, lens: Lens) -> Sighted | None:
    """The camera and headings with the principal point let go, where a third heading shows that
    it is not in the middle; None where none does."""
    counts = [int((which == h).sum()) for h in range(3)]
    third = int(np.argmin(counts))
    left = np.nonzero((which < 0) | (which == third))[0]
    if counts[third] >= LEAST_FAMILY or len(left) < LEAST_FAMILY:
        return None
    m, d, length = found.lines_from(found.middle)
    size = max(found.width, found.height) / 2
    runs = running_to_one_point(m[left], d[left], length[left], size, LONGEST)
    if runs.sum() < max(LEAST_FAMILY, FAMILY * len(left)):
        return None
    sorted_ = np.where(which == third, -1, which)
    sorted_[left[runs]] = third
    chosen = spread_of_edges(found, which, lens.rotation, lens.focal_px, SOLVED_FROM)
    chosen = np.concatenate([chosen[which[chosen] != third], left[runs][:SOLVED_FROM]])
    for _ in range(2):
        freed = _solved_from(found, sorted_, chosen, free_centre=True)
        if isinstance(freed, Unsettled) or freed.held:
            return None
        freed, sorted_ = _renamed(found, freed)
        chosen = spread_of_edges(
            found, sorted_, freed.rotation, freed.focal_px, SOLVED_FROM, freed.centre
        )
    freed = _solved_from(found, sorted_, chosen, free_centre=True)
    if isinstance(freed, Unsettled) or not is_off_middle(freed):
        return None
    explained = [length[w >= 0].sum() for w in (sorted_, which)]
    return (freed, sorted_) if explained[0] > explained[1] else None


def _renamed(found: Found, lens: Lens) -> tuple[Lens, Indices]:
    """A camera with its headings named by how they run in the picture, and the edges by it."""
    rotation = np.ascontiguousarray(lens.rotation[:, _named(lens.rotation)])
    named = replace(lens, rotation=rotation)
    return named, headings_under(found, named)


def _solved_from(
    found: Found, which: Indices, chosen: Indices, free_centre: bool = False
) -> Lens | Unsettled:
    return solve(
        [(HEADINGS[which[i]], found.ends[i].reshape(2, 2).tolist()) for i in chosen],
        found.width,
        found.height,
        principal="solve" if free_centre else None,
    )


def headings_under(found: Found, lens: Lens) -> Indices:
    """Each edge's heading under a camera that is known, -1 for none."""
    m, d, length = found.lines_from(lens.centre)
    which = np.empty(len(m), np.int64)
    if len(m):
        _agreement(m, d, length, lens.rotation, lens.focal_px, 0.6 * float(AGREES), which)
    return which
