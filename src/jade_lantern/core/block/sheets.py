"""Upright sheets stood by a hand: cut to an outline, or raised as a wall."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera
from ..pick import Pick, ray_of
from ..proxy import Card, Outline
from ..proxy.base import OnRectangle
from ..refusal import Refusal
from ..scene.edits import Edit, StandProxy
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..value import Id, Length, Number, Point2
from .gestures import fresh_name, height_of, place_of
from .under import level_under


class CutOutline(Gesture):
    """Stand an upright sheet cut to what is picked round it. feet: two picks on the ground or a
    level, which its plane goes through; outline: round it, in order, in that plane; holes: the
    same, each inside. thickness_m: pushed so far away from the lens, as a prism. curved: which of
    the outline's picks, counted from 0, lie on a curve; the others are its corners."""

    verb: Literal["CutOutline"] = "CutOutline"
    feet: tuple[Pick, Pick]
    outline: Annotated[tuple[Pick, ...], Field(min_length=3, max_length=400)]
    holes: Annotated[
        tuple[Annotated[tuple[Pick, ...], Field(min_length=3, max_length=400)], ...],
        Field(max_length=100),
    ] = ()
    thickness_m: Annotated[float, Field(ge=0, le=1e6)] = 0.0
    level_m: Number | None = None
    curved: Annotated[tuple[int, ...], Field(max_length=400)] = ()

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        sheet, level = sheet_on(scene, self.feet, self.level_m)
        turn, _ = sheet.frame()
        foot = sheet.foot + np.array([0.0, level, 0.0])
        rings = [
            tuple(_in_plane(camera, p, foot, turn) for p in ring)
            for ring in (self.outline, *self.holes)
        ]
        if self.curved:
            rings[0] = rounded(rings[0], set(self.curved))
        cut = {
            **dict(sheet), "points": rings[0], "holes": tuple(rings[1:]), "level_m": level,
            "thickness_m": self.thickness_m,
        }  # fmt: skip
        return StandProxy(proxy=Outline.model_validate(cut))


def sheet_on(
    scene: Scene, picks: tuple[Pick, Pick], level_m: float | None
) -> tuple[Outline, float]:
    """The sheet through two feet that faces the lens, before anything is cut to it, and the level
    that it stands on. Raises Refusal."""
    camera = required_camera(scene)
    level = level_under(scene, camera, picks[0]) if level_m is None else level_m
    feet = np.array([place_of(camera, p, level) for p in picks])
    if np.cross(feet[1] - feet[0], camera.position - feet[0])[1] > 0:
        feet = feet[::-1]
    return Outline.stood(fresh_name(scene, "outline"), feet, 1.0, camera.position), level


CURVE_STEPS = 8  # straight segments of a curve between two picks


def rounded(ring: tuple[Point2, ...], curved: set[int]) -> tuple[Point2, ...]:
    """A ring of points with curves through those at some places (Catmull & Rom 1974); where a
    corner ends a curve it ends straight."""
    n, out = len(ring), []
    points = np.array(ring)
    for i in range(n):
        a, b = points[i], points[(i + 1) % n]
        out.append(ring[i])
        if i not in curved and (i + 1) % n not in curved:
            continue
        # at a corner the curve leaves towards its other end
        before = points[i - 1] if i in curved else a - (b - a)
        after = points[(i + 2) % n] if (i + 1) % n in curved else b + (b - a)
        for t in np.arange(1, CURVE_STEPS) / CURVE_STEPS:
            p = 0.5 * (
                2 * a + (b - before) * t + (2 * before - 5 * a + 4 * b - after) * t**2
                + (3 * a - before - 3 * b + after) * t**3
            )  # fmt: skip
            out.append((float(p[0]), float(p[1])))
    return tuple(out)


class RaiseWall(Gesture):
    """Raise a wall from an edge of a floor's, a box's or a room's foot; edge: from which of its
    corners to the next."""

    verb: Literal["RaiseWall"] = "RaiseWall"
    proxy: Id
    edge: Annotated[int, Field(ge=0, le=3)]
    height_m: Length | None = None
    top: Pick | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        proxy = the_one(scene.proxies, self.proxy, "proxy")
        if not isinstance(proxy, OnRectangle):
            raise Refusal("A wall is raised from the edge of a floor, a box or a room.")
        ends = proxy.base_in_world()[[self.edge, (self.edge + 1) % 4]]
        height = self.height_m or Card.USUAL_HEIGHT_M or 0.0
        if self.top is not None:
            height = height_of(camera, ends, self.top)
        wall = Card.stood(fresh_name(scene, "wall"), ends, height, camera.position)
        return StandProxy(proxy=wall.model_copy(update={"level_m": proxy.level_m}))


def _in_plane(camera: Camera, pick: Pick, foot: Floats, turn: Floats) -> tuple[float, float]:
    """Where a picked place meets an upright plane through a foot (3,), in the plane's own metres.

    Raises Refusal where it never does.
    """
    origin, ray = ray_of(camera, pick)
    normal = turn[:, 2]
    towards = float(ray @ normal)
    far = float((foot - origin) @ normal)
    if abs(towards) < 1e-9 * float(np.linalg.norm(ray)) or far / towards <= 0:
        raise Refusal("This point does not lie on the sheet's plane: it is seen edge on.")
    own = (origin + ray * (far / towards) - foot) @ turn
    return float(own[0]), float(own[1])
