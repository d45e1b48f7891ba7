"""What the picture proposes: its edges by heading, the one worth most, and a spread of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..refusal import Refusal
from ..scene.edits import AddTrace, AddTraces, Edit, MoveTrace, MoveTraceEnd, NewTrace, SetHeading
from ..scene.gesture import PictureGesture
from ..scene.model import Scene, Sighting, Way
from ..scene.pictures import Pictures
from ..value import Id, Point2, Value
from .crop import seems_bent, seems_cropped
from .edges import Found
from .lens import Lens, Unsettled
from .lines import HEADINGS, LETTERS
from .look import Look
from .misfit import ways_of
from .pull import pulled_points
from .sighted import lens_of_scene
from .sorting import directions_under, said_of
from .split import HeadingSplit, seems_split
from .spread import (
    LEAST_SIGMA_PX,
    SPREAD,
    focal_gains,
    misfits_and_slopes,
    spread_of_edges,
)

SAME_PX = 3.0  # an edge this near to a trace all along is taken already
FOLLOWED_POINTS = 9


class ProposedEdge(Value):
    """An edge of the picture that nobody has taken: its ends, px, and the heading it runs along
    or bearing as far as can be told."""

    a: Point2
    b: Point2
    heading: Way | None


class Advice(Value):
    """The edge whose taking would shrink the focal length's uncertainty most, and by how much."""

    edge: ProposedEdge
    focal_sigma_now: float
    focal_sigma_then: float


class Proposal(Value):
    """All that the picture proposes for a sighting as it stands. says: what is true of its edges,
    in words. enough: whether two headings stand out, so that a good spread can be taken. cropped,
    bent: the traces would agree if the principal point, or the first bending term, were let go.
    split: traces of one heading that are better taken as a bearing."""

    edges: tuple[ProposedEdge, ...]
    says: str
    enough: bool
    advice: Advice | None = None
    cropped: bool = False
    bent: bool = False
    split: HeadingSplit | None = None


@dataclass(frozen=True)
class _Sorted:
    """which: (E,) of each edge its way, an index into ways, -1 for none. free: (E,) which are not
    taken yet. ways: the headings, and the bearings' letters. turns: of the bearings, degrees."""

    found: Found
    which: NDArray[np.int64]
    free: NDArray[np.bool_]
    ways: tuple[Way, ...]
    turns: tuple[float, ...]


def _sorted(scene: Scene, look: Look) -> _Sorted:
    """The found edges by which way they run under the scene's camera, or where there is none under
    the one that the edges themselves agree on."""
    found = look.found
    lens = lens_of_scene(scene)
    letters = sorted({t.heading for t in scene.sighting.traces} - set(HEADINGS))
    if isinstance(lens, Lens) and not scene.sighting.by_eye and not lens.bend[0]:
        which, turns = directions_under(found, lens)
    else:
        which, turns, letters = look.sorting.which, look.sorting.bearings, []
    letters += [c for c in LETTERS if c not in letters][: len(turns) - len(letters)]
    ways = (*HEADINGS, *letters)
    return _Sorted(found, which, ~_taken(found, scene.sighting), ways, turns)


def _taken(found: Found, sighting: Sighting) -> NDArray[np.bool_]:
    """Which edges lie along a trace that is there."""
    out = np.zeros(len(found.ends), bool)
    if not len(found.ends):
        return out
    a, b = found.ends[:, :2], found.ends[:, 2:]
    for trace in sighting.traces:
        p, q = np.array(trace.points[0]), np.array(trace.points[-1])
        length = float(np.hypot(*(q - p)))
        if length < 1:
            continue
        u = (q - p) / length
        n = np.array([-u[1], u[0]])
        off = np.maximum(np.abs((a - p) @ n), np.abs((b - p) @ n))
        s, t = (a - p) @ u, (b - p) @ u
        beside = (np.minimum(s, t) < length) & (np.maximum(s, t) > 0)
        out |= (off < SAME_PX) & beside
    return out


def proposal(scene: Scene, look: Look) -> Proposal:
    """The edges nobody has taken, and which of them to take next."""
    at = _sorted(scene, look)
    edges = [_edge(at, i) for i in np.nonzero(at.free)[0].tolist()]
    lens = lens_of_scene(scene)
    cropped = isinstance(lens, Lens) and seems_cropped(scene.sighting, lens)
    sorting = look.sorting
    return Proposal(
        edges=tuple(edges),
        says=said_of(look.found, sorting),
        enough=sum((sorting.which == h).sum() > 1 for h in range(3)) > 1,
        advice=_advised(scene, at),
        cropped=cropped,
        split=None if isinstance(lens, Unsettled) else seems_split(scene.sighting, lens),
        bent=not cropped and isinstance(lens, Lens) and seems_bent(scene.sighting, lens),
    )


def _edge(at: _Sorted, i: int) -> ProposedEdge:
    ax, ay, bx, by = (float(v) for v in at.found.ends[i])
    h = int(at.which[i])
    return ProposedEdge(a=(ax, ay), b=(bx, by), heading=at.ways[h] if h >= 0 else None)


def _advised(scene: Scene, at: _Sorted) -> Advice | None:
    lens = lens_of_scene(scene)
    if isinstance(lens, Unsettled) or lens.covariance[0, 0] <= 0 or scene.sighting.by_eye:
        return None
    if not len(at.found.ends):
        return None
    m, d, length = at.found.lines_from(lens.centre)
    misfit, slopes = misfits_and_slopes(
        m,
        d,
        length,
        np.where(at.which > 2, -1, at.which),
        lens.rotation,
        np.zeros(0),
        lens.focal_px,
    )
    gain, spread = focal_gains(slopes, lens)
    sigma = max(lens.sigma_px, LEAST_SIGMA_PX)
    # one that grossly disagrees would not help, whatever it weighs
    sound = (
        at.free
        & (at.which >= 0)
        & (at.which < 3)
        & (np.abs(misfit) < 3 * np.sqrt(sigma**2 + spread))
    )
    gain = np.where(sound, gain, 0.0)
    i = int(np.argmax(gain))
    known = lens.noise[0, 0]
    if gain[i] < 0.1 * known:
        return None
    return Advice(
        edge=_edge(at, i),
        focal_sigma_now=lens.focal_sigma,
        focal_sigma_then=float(lens.focal_px * np.sqrt(max(lens.covariance[0, 0] - gain[i], 0.0))),
    )


class TakeSpread(PictureGesture):
    """Take a good spread of the found edges: those that together pin the camera down best."""

    verb: Literal["TakeSpread"] = "TakeSpread"

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        look = pictures.look(scene.plate)
        at = _sorted(scene, look)
        which = np.where(at.free, at.which, -1)
        if ((which >= 0) & (which < 3)).sum() < 4:
            raise Refusal(
                f"{said_of(look.found, look.sorting)} Draw traces by hand, lay a rectangle, or "
                "sight by eye."
            )
        principal: Literal["solve"] | None = None
        lens = lens_of_scene(scene)
        if isinstance(lens, Unsettled) or scene.sighting.by_eye:
            lens = look.sorting.lens
            if isinstance(lens, Lens) and lens.freed and scene.sighting.principal is None:
                principal = "solve"
        rotation, focal, centre = np.eye(3), float(max(at.found.width, at.found.height)), None
        if isinstance(lens, Lens):
            rotation, focal, centre = lens.rotation, lens.focal_px, lens.centre
        chosen = spread_of_edges(at.found, which, rotation, focal, SPREAD, centre, at.turns)
        taken = [_edge(at, i) for i in chosen]
        return AddTraces(
            traces=tuple(
                NewTrace(heading=e.heading, points=(e.a, e.b), on_edge=True)
                for e in taken
                if e.heading
            ),
            principal=principal,
        )


class TakeAdvised(PictureGesture):
    """Take the edge that is worth most to the focal length."""

    verb: Literal["TakeAdvised"] = "TakeAdvised"

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        look = pictures.look(scene.plate)
        best = _advised(scene, _sorted(scene, look))
        if best is None or best.edge.heading is None:
            raise Refusal("No edge that was found would make the focal length surer.")
        return AddTrace(heading=best.edge.heading, points=(best.edge.a, best.edge.b), on_edge=True)


Reach = Annotated[float, Field(gt=0, le=200)]


class DrawTrace(PictureGesture):
    """Draw a trace; it pulls itself onto the picture's edge where one is within reach (px).
    Without a heading it takes the one that it runs along under the camera there is."""

    verb: Literal["DrawTrace"] = "DrawTrace"
    heading: Way
    points: Annotated[tuple[Point2, ...], Field(min_length=2, max_length=64)]
    reach: Reach
    by_direction: bool = False

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        look = pictures.look(scene.plate)
        AddTrace(heading=self.heading, points=self.points).on(scene)  # refuse it as it was drawn
        pulled = pulled_points(look.planes, self.points, self.reach)
        points = pulled or self.points
        heading = self.heading
        if self.by_direction:
            heading = heading_along(scene, points, look) or heading
        return AddTrace(heading=heading, points=points, on_edge=pulled is not None)


class PullTraceEnd(PictureGesture):
    """Move a trace's end, and pull the whole trace onto the edge it then lies along."""

    verb: Literal["PullTraceEnd"] = "PullTraceEnd"
    trace: Id
    end: Annotated[int, Field(ge=0, le=63)]
    to: Point2
    reach: Reach

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        look = pictures.look(scene.plate)
        moved = MoveTraceEnd(trace=self.trace, end=self.end, to=self.to)
        after = moved.on(scene)
        points = next(t.points for t in after.sighting.traces if t.id == self.trace)
        pulled = pulled_points(look.planes, points, self.reach)
        return MoveTrace(trace=self.trace, points=pulled, on_edge=True) if pulled else moved


class FollowEdge(PictureGesture):
    """Lay more points along a trace, each on the picture's edge, where a lens bends it."""

    verb: Literal["FollowEdge"] = "FollowEdge"
    trace: Id
    reach: Reach = 12.0

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        look = pictures.look(scene.plate)
        trace = next((t for t in scene.sighting.traces if t.id == self.trace), None)
        if trace is None:
            raise Refusal("This trace is not there any more.")
        a, b = np.array(trace.points[0]), np.array(trace.points[-1])
        points = np.array(trace.points)
        count = max(FOLLOWED_POINTS, len(points))
        at = np.linspace(0, 1, count)
        if len(points) > 2:  # spread along the bow that is there
            along = (points - a) @ (b - a) / float((b - a) @ (b - a))
            spread = np.stack([np.interp(at, along, points[:, i]) for i in range(2)], axis=1)
        else:
            spread = a + at[:, None] * (b - a)
        laid = [(float(x), float(y)) for x, y in spread]
        pulled = laid
        for reach in (self.reach, self.reach / 2, 4.0):
            got = pulled_points(look.planes, pulled, reach)
            if got is None:
                raise Refusal("No edge is clear enough along this trace to be followed.")
            pulled = _smoothed(np.array(got))
        laid_on = tuple(pulled_points(look.planes, pulled, 4.0) or pulled)
        return MoveTrace(trace=self.trace, points=laid_on, on_edge=True)


def _smoothed(points: NDArray[np.float64]) -> list[tuple[float, float]]:
    """Points that stray from the bow (a cubic) of the others put back on it."""
    a, b = points[0], points[-1]
    u = (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    n = np.array([-u[1], u[0]])
    s, t = (points - a) @ u, (points - a) @ n
    x = s / max(float(s[-1]), 1e-9)
    fit = np.polynomial.Polynomial.fit(x, t, min(3, len(points) - 1))
    off = t - fit(x)
    stray = np.abs(off) > 3 * max(float(np.median(np.abs(off))), 0.3)
    t = np.where(stray, fit(x), t)
    out = a + s[:, None] * u + t[:, None] * n
    return [(float(p[0]), float(p[1])) for p in out]


class HeadByDirection(PictureGesture):
    """Give a trace the heading that it runs along, as far as can be told."""

    verb: Literal["HeadByDirection"] = "HeadByDirection"
    trace: Id

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        look = pictures.look(scene.plate)
        trace = next((t for t in scene.sighting.traces if t.id == self.trace), None)
        heading = heading_along(scene, trace.points, look) if trace else None
        if trace is None or heading is None:
            raise Refusal("Which way this trace runs cannot be told yet: choose its heading.")
        return SetHeading(trace=self.trace, heading=heading)


def heading_along(scene: Scene, points: tuple[Point2, ...], look: Look) -> Way | None:
    """The heading or bearing whose vanishing point a trace runs to most nearly, under the camera
    there is or the one that the found edges agree on; None where there is none or none is near."""
    lens = lens_of_scene(scene)
    if isinstance(lens, Unsettled):
        lens = look.sorting.lens
    if isinstance(lens, Unsettled):
        return None
    a, b = np.array(points[0]), np.array(points[-1])
    m, d = (a + b) / 2 - lens.centre, (b - a) / max(float(np.hypot(*(b - a))), 1e-9)
    best, name = np.sin(np.radians(12)), None
    ways = (*HEADINGS, *lens.bearings)
    for way, c in zip(ways, ways_of(lens.rotation, lens.turns), strict=True):
        to = np.array([lens.focal_px * c[0], -lens.focal_px * c[1]]) + m * c[2]
        size = float(np.hypot(*to))
        sine = abs(to[0] * d[1] - to[1] * d[0]) / size if size > 1e-9 else 1.0
        if sine < best:
            best, name = sine, way
    return name
