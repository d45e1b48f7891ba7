"""Hinges: the edges of a proxy that it turns about, as a door, a lid or a ramp does."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera
from ..pick import Pick, ray_of
from ..proxy import Stood
from ..refusal import Refusal
from ..scene.edits import Edit, altered
from ..scene.model import Scene
from ..scene.moment import standing_at, turned_about
from ..value import Point3
from .gestures import OfStood
from .parts import in_world, solid_of
from .under import Surfaces

# An upright edge of its front or its back; a level one of its foot or its top, at the front or the
# back, or at a side.
Side = Literal[
    "left", "right", "far left", "far right", "foot", "top", "far foot", "far top",
    "left foot", "right foot", "left top", "right top",
]  # fmt: skip
SIDES: tuple[Side, ...] = get_args(Side)
Ends = tuple[Point3, Point3]
Corners = tuple[Annotated[int, Field(ge=1)], Annotated[int, Field(ge=1)]]


class TurnOnEdge(OfStood):
    """Turn a proxy by an angle about one of its edges: a side of the box that holds it, or the edge
    between two of its corners, by their numbers. Anticlockwise, seen against the edge's way: from
    the foot up, from left to right, or from the front to the back."""

    verb: Literal["TurnOnEdge"] = "TurnOnEdge"
    by_deg: Annotated[float, Field(ge=-360, le=360)]
    side: Side = "left"
    edge: Corners | None = None

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        return _turned(proxy, hinge_of(proxy, camera, self.side, self.edge), self.by_deg)


class SwingOnEdge(OfStood):
    """Turn a proxy about one of its edges (see `TurnOnEdge`) so that what is picked on it first
    comes as near as it can to a second place. step_deg: by multiples of so many degrees; 0 for
    any."""

    verb: Literal["SwingOnEdge"] = "SwingOnEdge"
    start: Pick
    end: Pick
    side: Side = "left"
    edge: Corners | None = None
    step_deg: Annotated[float, Field(ge=0, le=180)] = 0.0

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        hinge = hinge_of(proxy, camera, self.side, self.edge)
        origin, ray = ray_of(camera, self.start)
        own = tuple(p for p in scene.proxies if p.id == proxy.id)
        held = Surfaces(own, camera).nearest(origin, ray)
        if held is None:
            raise Refusal(f"Take hold of {proxy.name} itself to turn it on its edge.")
        by = _angle_to(held.point, hinge, *ray_of(camera, self.end))
        if self.step_deg:
            by = round(by / self.step_deg) * self.step_deg
        return _turned(proxy, hinge, by)


def _angle_to(held: Floats, hinge: Ends, origin: Floats, ray: Floats) -> float:
    """By how many degrees a place (3,) has to turn about a hinge to be nearest to a ray; of angles
    that are as good, the smallest. Looked for at every degree, then closed in on."""
    foot = np.array(hinge[0])
    way = np.subtract(hinge[1], foot)
    way = way / np.linalg.norm(way)
    arm = held - foot
    along = way * float(arm @ way)
    out = arm - along
    if np.linalg.norm(out) < 1e-6:
        raise Refusal("This place lies on the edge itself, so nothing turns it.")
    side = np.cross(way, out)
    ray = ray / np.linalg.norm(ray)

    def off(degrees: Floats) -> Floats:
        t = np.radians(degrees)[:, None]
        to = foot + along + np.cos(t) * out + np.sin(t) * side - origin
        ahead = to @ ray
        # what is behind the camera is never meant
        return np.where(ahead > 0, np.linalg.norm(np.cross(to, ray), axis=1) / ahead, np.inf)

    degrees, step = np.arange(-180.0, 180.0), 1.0
    for _ in range(6):
        far = off(degrees)
        good = degrees[far <= far.min() * (1 + 1e-6) + 1e-12]
        best = float(good[np.argmin(np.abs(good))])
        degrees, step = best + step * np.linspace(-1, 1, 21), step / 10
    return best


def _turned(proxy: Stood, hinge: Ends, by_deg: float) -> Edit:
    way = np.subtract(hinge[1], hinge[0])
    turn, place = proxy.frame()
    after = turned_about(turn, place, np.array(hinge[0]), way / np.linalg.norm(way), by_deg)
    return altered(proxy.id, **{n: round(v, 9) for n, v in standing_at(*after).items()})


def hinge_of(proxy: Stood, camera: Camera, side: Side, edge: Corners | None = None) -> Ends:
    """The two ends of an edge, in the world. Raises Refusal where it has no length."""
    if edge is not None:
        solid = solid_of(proxy, camera)
        if not set(edge) <= solid.shape.points.keys() or edge[0] == edge[1]:
            raise Refusal("This edge is not there any more. Choose another one.")
        ends = in_world(solid, solid.shape.at(list(edge)))
    else:
        turn, place = proxy.frame()
        ends = _side(proxy.own_mesh(camera).points, side) @ turn.T + place
    if np.linalg.norm(ends[1] - ends[0]) < 1e-6:
        raise Refusal(f"{proxy.name} has no edge there: it is flat that way.")
    a, b = ((float(x), float(y), float(z)) for x, y, z in ends)
    return a, b


def _side(points: Floats, side: Side) -> Floats:
    """(2, 3) the ends of an edge of the box round points (N, 3), in their own frame: the front is
    towards +z."""
    low, high = points.min(axis=0), points.max(axis=0)
    words = side.split()
    out = np.array([low, high])
    along = 1 if words[-1] in ("left", "right") else 2 if words[0] in ("left", "right") else 0
    out[:, 2] = low[2] if "far" in words else high[2]
    if along == 1:
        out[:, 0] = low[0] if words[-1] == "left" else high[0]
    else:
        out[:, 1] = low[1] if words[-1] == "foot" else high[1]
    if along == 2:
        out[:, 0] = low[0] if words[0] == "left" else high[0]
        out[:, 2] = high[2], low[2]
    return out
