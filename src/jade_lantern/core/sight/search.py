"""The search for a camera from the found edges alone.

The crossings of steep edges are candidates for the vanishing point of Up. Up and a focal length
determine the horizon, on which a level direction is one angle; so for each Up and focal length all
angles are scored, in pairs at a right angle. Usual focal lengths have a weak prior. The best
cameras are refined by the solver.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit

from ..arrays import Floats, Indices
from .edges import Found
from .evidence import SHARE, evidence_for, noise_of, ratio, shares
from .lens import Lens, Unsettled
from .lines import HEADINGS, LETTERS
from .misfit import cross, vanishing
from .numbers import signed
from .solve import solve
from .spread import spread_of_edges

STEEP = 0.64  # least vertical share of an edge's length for a candidate for Up
PAIRED = 70  # longest steep edges whose crossings are candidates
UPS = 5  # candidates for Up that are kept
APART = 0.05  # sine of the least angle between two of them
WIDEST, LONGEST, FOCALS = 0.7, 10.0, 30  # focal lengths, in half longer sides: 13 to 180 mm
# Prior of the focal length: its mean, in 35 mm terms, and the standard deviation of its logarithm;
# and that of a focal length stated in the file, which the picture may have been cropped since.
USUAL_MM, HOW_USUAL, HOW_TOLD = 28.0, 0.5, 0.1
PEAKS_APART = 3  # least distance, in steps of the focal length, between two maxima
ANGLES = 120  # level directions scored, over half a turn
COARSE = math.sin(math.radians(0.8))  # widening of an edge's direction, so that no angle is missed
FINER = (1.0, 0.5, 0.25, 0.0)  # shares of that widening in the rounds of refinement
SEEN_AT = 0.25  # the share of it at which evidence is compared
REFINED = 8  # combinations of Up and focal length that are refined
SOLVED_FROM = 14  # edges per heading given to the solver
LIKELY = 0.5  # least probability at which an edge is assigned to a direction


@dataclass(frozen=True)
class Lines:
    """Edges from a principal point, px: middles, unit directions, lengths, offsets' sigmas."""

    m: Floats
    d: Floats
    length: Floats
    sigma: Floats
    size: float  # half the longer side
    usual: tuple[float, float]  # focal length, px, and the standard deviation of its logarithm

    @classmethod
    def of(cls, found: Found, centre: tuple[float, float], bend: float = 0.0) -> Lines:
        """bend: k1 on half longer sides, by which the edges are straightened."""
        m, d, length = found.lines_from(centre, bend)
        longer = found.longer
        usual = (found.told_mm or USUAL_MM) * longer / 36
        spread = HOW_TOLD if found.told_mm else HOW_USUAL
        return cls(m, d, length, noise_of(length, longer), longer / 2, (usual, spread))

    def coarser(self, by: float) -> Floats:
        """Sigmas (E,) with which a direction is seen that is a little off."""
        out: Floats = np.maximum(self.sigma, 0.5 * self.length * COARSE * by)
        return out


def likely_cameras(lines: Lines) -> list[tuple[float, Floats]]:
    """Focal lengths and rotations of most evidence, best first. Most assume two orthogonal level
    directions; some only one, since buildings may be turned against each other."""
    coarse = lines.coarser(1.0)
    ups = _apart(_ups(lines.m, lines.d, lines.length, coarse, lines.size), lines.size)
    focals = lines.size * np.exp(np.linspace(math.log(WIDEST), math.log(LONGEST), FOCALS))
    rated: list[tuple[float, float, Floats]] = []
    alone: list[tuple[float, Floats]] = []
    for k, up in enumerate(ups):
        pairs, singles = _level(lines.m, lines.d, lines.length, coarse, up, focals)
        usual = np.array([log_usual(f, lines) for f in focals])
        for i in np.argsort(-(pairs[0] + usual))[:2]:
            rotation = _frame(up, float(focals[i]), float(pairs[1, i]))
            rated.append((float(pairs[0, i] + usual[i]), float(focals[i]), rotation))
        if k < 2:
            alone += [
                (float(focals[i]), _frame(up, float(focals[i]), float(singles[1, i])))
                for i in _peaks(singles[0] + usual)
            ]
    rated.sort(key=lambda r: -r[0])
    return [(f, rotation) for _, f, rotation in rated[:REFINED]] + alone


@njit(cache=True, nogil=True, error_model="numpy")
def _ups(m: Floats, d: Floats, length: Floats, sigma: Floats, size: float) -> Floats:
    """Candidates for Up, (K, 4): evidence, and the homogeneous point, px. Crossings of steep edges
    that lie well above or below the middle; and for pictures without such edges, a few tilts."""
    steep = np.empty(PAIRED, np.int64)
    count = 0
    for i in range(len(length)):
        if abs(d[i, 1]) > STEEP and count < PAIRED:
            steep[count] = i
            count += 1
    lines = np.empty((count, 3))
    for k in range(count):
        i = steep[k]
        lines[k, 0], lines[k, 1] = -d[i, 1], d[i, 0]
        lines[k, 2] = -(lines[k, 0] * m[i, 0] + lines[k, 1] * m[i, 1]) / size
    out = np.empty((count * (count - 1) // 2 + 5, 4))
    at = 0
    point = np.empty(3)
    for a in range(count):
        for b in range(-1, a):
            if b < 0:
                if a > 4:
                    continue
                v = np.array([0.0, 1.0, 0.2 * (a - 2)])
            else:
                v = cross(lines[a], lines[b])
            far = np.sqrt(v[0] * v[0] + v[1] * v[1])
            if abs(v[1]) < 0.7 * far or far < 0.9 * abs(v[2]) or far == 0.0:
                continue
            point[0], point[1], point[2] = v[0] * size, v[1] * size, v[2]
            out[at, 0] = evidence_for(m, d, length, sigma, point)
            out[at, 1:] = point
            at += 1
    return out[:at]


def _apart(rated: Floats, size: float) -> list[Floats]:
    """The best candidates for Up, none of them twice; straight up where there is none."""
    kept: list[Floats] = []
    for row in rated[np.argsort(-rated[:, 0])]:
        unit = row[1:] / [size, size, 1]
        unit = unit / np.linalg.norm(unit)
        if all(np.linalg.norm(np.cross(unit, k)) > APART for k in kept):
            kept.append(unit)
        if len(kept) == UPS:
            break
    return [k * [size, size, 1] for k in kept] or [np.array([0.0, size, 0.0])]


@njit(cache=True, nogil=True, error_model="numpy")
def _level_axes(up: Floats, focal: float) -> Floats:
    """(3, 3) unit rows in camera axes: up, level to the right, and level across both."""
    u = np.array([up[0] / focal, -up[1] / focal, -up[2]])
    u /= np.sqrt((u * u).sum())
    if u[1] < 0.0:
        u = -u
    a = np.array([u[1], -u[0], 0.0])
    a /= np.sqrt((a * a).sum())
    out = np.empty((3, 3))
    out[0], out[1], out[2] = u, a, cross(u, a)
    return out


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _level(
    m: Floats, d: Floats, length: Floats, sigma: Floats, up: Floats, focals: Floats
) -> tuple[Floats, Floats]:
    """For each focal length the evidence, nats, of Up and the best pair of orthogonal level
    directions, and the first one's angle (2, F); and the same for Up and a single direction."""
    count, half = len(length), ANGLES // 2
    speaks = np.empty((ANGLES, count))
    upright = np.empty(count)
    for i in range(count):
        upright[i] = SHARE * ratio(
            m[i, 0], m[i, 1], d[i, 0], d[i, 1], length[i], sigma[i], up[0], up[1], up[2]
        )
    pairs, singles = np.full((2, len(focals)), -np.inf), np.full((2, len(focals)), -np.inf)
    for j in range(len(focals)):
        axes = _level_axes(up, focals[j])
        for k in range(ANGLES):
            c, s = np.cos(np.pi * k / ANGLES), np.sin(np.pi * k / ANGLES)
            x = focals[j] * (c * axes[1, 0] + s * axes[2, 0])
            y = -focals[j] * (c * axes[1, 1] + s * axes[2, 1])
            w = -(c * axes[1, 2] + s * axes[2, 2])
            for i in range(count):
                speaks[k, i] = SHARE * ratio(
                    m[i, 0], m[i, 1], d[i, 0], d[i, 1], length[i], sigma[i], x, y, w
                )
        for k in range(half):
            total = 0.0
            for i in range(count):
                total += np.log(1.0 - 3.0 * SHARE + upright[i] + speaks[k, i] + speaks[k + half, i])
            if total > pairs[0, j]:
                pairs[0, j], pairs[1, j] = total, np.pi * k / ANGLES
        for k in range(ANGLES):
            total = 0.0
            for i in range(count):
                total += np.log(1.0 - 2.0 * SHARE + upright[i] + speaks[k, i])
            if total > singles[0, j]:
                singles[0, j], singles[1, j] = total, np.pi * k / ANGLES
    return pairs, singles


def _peaks(scores: Floats) -> list[int]:
    """The best focal lengths, apart from each other."""
    out: list[int] = []
    for i in np.argsort(-scores).tolist():
        if all(abs(i - j) >= PEAKS_APART for j in out):
            out.append(i)
        if len(out) == 3:
            break
    return out


def _frame(up: Floats, focal: float, angle: float) -> Floats:
    """The rotation with this Up, and one level heading at an angle on the horizon."""
    u, a, b = _level_axes(up, focal)
    first = math.cos(angle) * a + math.sin(angle) * b
    return named(np.stack([first, u, np.cross(first, u)], axis=1))


def named(rotation: Floats) -> Floats:
    """The same with Away the level heading that goes into the picture most, and signs chosen."""
    out = rotation.copy()
    if abs(out[2, 0]) > abs(out[2, 2]):
        out[:, [0, 2]] = out[:, [2, 0]]
    signed(out)
    return out


def directions(focal: float, rotation: Floats, turns: tuple[float, ...] = ()) -> Floats:
    """(3 + B, 3) the vanishing points of Across, Up, Away and of bearings, homogeneous px from the
    principal point."""
    out = np.empty((3 + len(turns), 3))
    for h in range(3):
        vanishing(rotation, focal, h, out[h])
    for k, turn in enumerate(turns):
        a = math.radians(turn)
        c = rotation[:, 0] * math.cos(a) - rotation[:, 2] * math.sin(a)
        out[3 + k] = focal * c[0], -focal * c[1], -c[2]
    return out


def refined(found: Found, lines: Lines, focal: float, rotation: Floats) -> tuple[float, Floats]:
    """A focal length and rotation refined: edges are assigned to directions ever more narrowly and
    the solver run on them. The prior keeps a focal length that the edges leave open from
    diverging, and a step is only taken if the evidence grows."""
    sigma = lines.coarser(SEEN_AT)

    def rated(focal: float, rotation: Floats) -> float:
        total = shares(lines.m, lines.d, lines.length, sigma, directions(focal, rotation))[1]
        return total + log_usual(focal, lines)

    best, at = rated(focal, rotation), (focal, rotation)
    for finer in FINER:
        part, _ = shares(lines.m, lines.d, lines.length, lines.coarser(finer), directions(*at))
        usual = (lines.usual[0], lines.usual[1] * lines.usual[0])
        lens = solved_from(found, likeliest(part), at[1], at[0], hint=usual, exact=True)
        if isinstance(lens, Unsettled):
            continue
        new = lens.focal_px, named(lens.rotation)
        total = rated(*new)
        if total > best:
            best, at = total, new
    return at[0], named(at[1])


def log_usual(focal: float, lines: Lines) -> float:
    """The log prior of a focal length, nats."""
    usual, spread = lines.usual
    return -0.5 * (math.log(focal / usual) / spread) ** 2


def likeliest(part: Floats) -> Indices:
    """(E,) the direction that each edge is assigned to, by probabilities (E, K); -1 for none."""
    if not part.shape[1]:
        return np.full(len(part), -1, np.int64)
    best = part.argmax(axis=1)
    return np.where(part.max(axis=1) > LIKELY, best, -1).astype(np.int64)


def solved_from(
    found: Found,
    which: Indices,
    rotation: Floats,
    focal: float,
    centre: tuple[float, float] | None = None,
    free_centre: bool = False,
    hint: tuple[float, float] | None = None,
    bearings: tuple[float, ...] = (),
    exact: bool = False,
) -> Lens | Unsettled:
    """The camera that a good spread of the sorted edges carries."""
    which = np.where(which > 2 + len(bearings), -1, which)
    chosen = spread_of_edges(found, which, rotation, focal, SOLVED_FROM, centre, bearings)
    ways = (*HEADINGS, *LETTERS)
    return solve(
        [(ways[which[i]], found.ends[i].reshape(2, 2).tolist()) for i in chosen],
        found.width,
        found.height,
        hint,
        principal="solve" if free_centre else None,
        exact=exact,
    )


@njit(cache=True, nogil=True, error_model="numpy")
def best_crossing(m: Floats, d: Floats, length: Floats, sigma: Floats, size: float) -> Floats:
    """The point that edges say most for, of those in which two of the longest cross (PAIRED of
    them): its evidence, and itself in homogeneous px, (4,)."""
    lines = np.empty((min(len(length), PAIRED), 3))
    best = np.zeros(4)
    point = np.empty(3)
    for i in range(len(lines)):
        lines[i, 0], lines[i, 1] = -d[i, 1], d[i, 0]
        lines[i, 2] = -(lines[i, 0] * m[i, 0] + lines[i, 1] * m[i, 1]) / size
    for a in range(len(lines)):
        for b in range(a):
            v = cross(lines[a], lines[b])
            point[0], point[1], point[2] = v[0] * size, v[1] * size, v[2]
            total = evidence_for(m, d, length, sigma, point)
            if total > best[0]:
                best[0], best[1:] = total, point
    return best


@njit(cache=True, nogil=True, error_model="numpy")
def best_turn(
    m: Floats, d: Floats, length: Floats, sigma: Floats, R: Floats, focal: float, known: Floats,
    apart: float,
) -> float:  # fmt: skip
    """The level direction of most evidence, degrees from Across towards Away (0 to 180), at least
    `apart` radians from the known ones. Searched coarsely over all angles, then twice finer."""
    best, turn = -np.inf, 0.0
    wide = np.empty(len(length))
    point = np.empty(3)
    for stage in range(3):
        step = (0.5, 0.2, 0.05)[stage]
        steps = 360 if stage == 0 else 7
        start = 0.0 if stage == 0 else turn - 3.0 * step
        for i in range(len(length)):
            wide[i] = max(sigma[i], 0.5 * length[i] * np.sin(np.radians(0.8 * step)))
        best = -np.inf
        for k in range(steps):
            a = np.radians(start + k * step)
            near = 1.0
            for t in known:
                near = min(near, abs(np.sin(a - t)))
            if near < np.sin(apart):
                continue
            c, s = np.cos(a), np.sin(a)
            point[0] = focal * (c * R[0, 0] - s * R[0, 2])
            point[1] = -focal * (c * R[1, 0] - s * R[1, 2])
            point[2] = -(c * R[2, 0] - s * R[2, 2])
            total = evidence_for(m, d, length, wide, point)
            if total > best:
                best, turn = total, np.degrees(a)
    return turn % 180.0
