"""Surfaces spanned between outlines, or between picked corners."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, ValidationError

from ..arrays import Floats
from ..camera import Camera
from ..pick import Pick
from ..proxy import Outline, Solid, Span, Stood
from ..refusal import Refusal
from ..scene.document import plainly
from ..scene.edits import Edit, StandProxy
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..solid.shape import area_vector
from ..value import NEW_ID, Id
from .gestures import fresh_name
from .parts import in_world, solid_of
from .pull import resting_place
from .under import under

Picks = Annotated[tuple[Pick, ...], Field(min_length=2, max_length=400)]
CATCH_PX = 10.0  # distance within which a pick snaps to a proxy's corner or edge


class StretchSpan(Gesture):
    """A surface between two outlines, or other sheets of one face (between), filled at both ends
    where capped; or between two lines of picked corners (first, second; each from the same
    end)."""

    verb: Literal["StretchSpan"] = "StretchSpan"
    between: tuple[Id, Id] | None = None
    first: Picks | None = None
    second: Picks | None = None
    capped: bool = False

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        if self.between is not None:
            rings = [ring_of(scene, id, camera) for id in self.between]
            if self.between[0] == self.between[1]:
                raise Refusal("A span goes from one outline to another. Choose a second one.")
            first, second = rings[0], matched(rings[0], rings[1])
            return StandProxy(proxy=_span(scene, camera, first, second, True, self.capped))
        if self.first is None or self.second is None:
            raise Refusal("Choose two outlines, or pick two lines of corners.")
        first, second = (
            np.array([picked_place(scene, camera, p) for p in picks])
            for picks in (self.first, self.second)
        )
        if _crossed(first, second):
            second = second[::-1]
        return StandProxy(proxy=_span(scene, camera, first, second, False, False))


def picked_place(scene: Scene, camera: Camera, pick: Pick) -> Floats:
    """(3,) the corner, edge or surface at a picked place. Raises Refusal where there is none."""
    on = under(scene, camera, pick)
    place = None if on is None else on.point
    at: Floats | None = None
    if isinstance(pick, tuple):
        at = np.array(pick)
    elif place is not None:
        seen, depth = camera.project(place)
        at = seen if depth > 0 else None
    near = None if at is None else resting_place(scene, camera, at, place, CATCH_PX, set())
    if near is not None:
        return near[0]
    if place is None:
        raise Refusal("There is nothing here to hold on to. Pick on a proxy or the ground.")
    return place


def ring_of(scene: Scene, id: str, camera: Camera) -> Floats:
    """(N, 3) the ring round a sheet of one face, in the world. Raises Refusal for what is not
    one."""
    proxy = the_one(scene.proxies, id, "proxy")
    if isinstance(proxy, Outline):
        turn, place = proxy.frame()
        flat = np.array([(x, y, 0.0) for x, y in proxy.points])
        out: Floats = flat @ turn.T + place
        return out
    if isinstance(proxy, Solid):
        shape, solid = proxy.shape, proxy
    elif isinstance(proxy, Stood):
        solid = solid_of(proxy, camera)
        shape = solid.shape
    else:
        raise Refusal(f"{proxy.name} hangs before the lens, so nothing is spanned from it.")
    if len(shape.faces) != 1:
        raise Refusal(f"{proxy.name} has more than one face, so its outline is not plain.")
    ((loop, *_),) = shape.faces.values()
    return in_world(solid, shape.at(loop))


def matched(first: Floats, second: Floats) -> Floats:
    """The second ring wound as the first one is, from the point that lies best to its start.

    Rings traced the opposite way round would cross; so they are turned, not refused. Raises
    Refusal where they stand across each other, so that neither way is right.
    """
    n, m = area_vector(first), area_vector(second)
    facing = float(n @ m) / max(float(np.linalg.norm(n) * np.linalg.norm(m)), 1e-300)
    if abs(facing) < 0.02:
        raise Refusal(
            "These two outlines stand at a right angle to each other, so it cannot be told which "
            "way round they belong together. Turn one a little."
        )
    if facing < 0:
        second = second[::-1]
    a, b = first - first.mean(axis=0), second - second.mean(axis=0)
    start = a[0] / max(float(np.abs(a).max()), 1e-12)
    scaled = b / max(float(np.abs(b).max()), 1e-12)
    return np.roll(second, -int(np.argmin(np.linalg.norm(scaled - start, axis=1))), axis=0)


def _crossed(first: Floats, second: Floats) -> bool:
    """Whether rungs between two lines would be shorter with one of them turned round."""
    straight = np.linalg.norm(first[0] - second[0]) + np.linalg.norm(first[-1] - second[-1])
    turned = np.linalg.norm(first[0] - second[-1]) + np.linalg.norm(first[-1] - second[0])
    return bool(turned < straight * (1 - 1e-9))


def _span(
    scene: Scene, camera: Camera, first: Floats, second: Floats, ring: bool, capped: bool
) -> Span:
    """A span over lines in the world. A sheet faces the lens; a closed one faces outward."""
    if not ring:
        normal = area_vector(np.concatenate([first, second[::-1]]))
        middle = (first.mean(axis=0) + second.mean(axis=0)) / 2
        # its triangles go from the first line to the second one and on along the first
        if float(normal @ (camera.position - middle)) > 0:
            first, second = second, first
    every = np.concatenate([first, second])
    middle = every.mean(axis=0)
    foot = np.array([middle[0], every[:, 1].min(), middle[2]])
    own = [tuple(tuple(float(v) for v in p - foot) for p in line) for line in (first, second)]
    try:
        return Span(
            id=NEW_ID, name=fresh_name(scene, "span"), x=foot[0], level_m=foot[1], z=foot[2],
            first=own[0], second=own[1], round=ring, capped=capped,
        )  # fmt: skip
    except ValidationError as error:
        raise Refusal(plainly(error)) from error
