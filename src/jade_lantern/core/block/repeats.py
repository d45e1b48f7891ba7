"""Mirrored twins and rows: live until they are broken off."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..pick import Pick
from ..proxy import Mirror, Row, Solid, Stood
from ..proxy.repeat import maps_of
from ..refusal import Refusal
from ..scene.edits import Edit, PutProxies, altered
from ..scene.gesture import Gesture
from ..scene.model import Scene, Way
from ..sight.measure import required_camera
from ..solid.shape import Shape
from ..value import Id, Number
from .gestures import OfStood, place_of
from .parts import in_world, solid_of
from .pull import direction_of


class MirrorAcross(OfStood):
    """A live twin on the other side of an upright plane that runs along a level heading or
    bearing, through a picked place on the proxy's level; by its side where none is picked."""

    verb: Literal["MirrorAcross"] = "MirrorAcross"
    along: Way
    through: Pick | None = None

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        along = _level(scene, self.along)
        if self.through is not None:
            place = place_of(camera, self.through, proxy.level_m)
        else:
            normal = np.array([-along[2], 0.0, along[0]])
            turn, foot = proxy.frame()
            reach = (proxy.own_mesh(camera).points @ turn.T) @ normal
            place = foot + normal * float(reach.max())
        turn_deg = float(np.degrees(np.arctan2(-along[2], along[0])))
        mirror = Mirror(x=float(place[0]), z=float(place[2]), turn_deg=turn_deg)
        return altered(proxy.id, mirror=mirror)


class RowAlong(OfStood):
    """The proxy again and again along a level heading or bearing, count in all, step_m apart; or
    so that the second one has its foot nearest to a picked place."""

    verb: Literal["RowAlong"] = "RowAlong"
    along: Way
    count: Annotated[int, Field(ge=2, le=400)] = 2
    step_m: Number | None = None
    to: Pick | None = None

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        along = _level(scene, self.along)
        step = self.step_m
        if step is None:
            if self.to is None:
                raise Refusal("Say how far apart, or pick where the second one stands.")
            step = float((place_of(camera, self.to, proxy.level_m) - proxy.foot) @ along)
        if abs(step) < 1e-6:
            raise Refusal("With no step between them they would all stand in one place.")
        turn_deg = float(np.degrees(np.arctan2(-along[2], along[0])))
        return altered(proxy.id, row=Row(turn_deg=turn_deg, step_m=step, count=self.count))


class BreakOff(Gesture):
    """Make a proxy's twin, or its row, proxies of their own."""

    verb: Literal["BreakOff"] = "BreakOff"
    proxy: Id

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        proxy = next((p for p in scene.proxies if p.id == self.proxy), None)
        if not isinstance(proxy, Stood) or (proxy.mirror is None and proxy.row is None):
            raise Refusal("There is neither a twin nor a row to be broken off.")
        once = proxy.model_copy(update={"mirror": None, "row": None})
        added = []
        for turn, place in maps_of(proxy.mirror, proxy.row)[1:]:
            if np.linalg.det(turn) > 0:
                x, y, z = once.foot + place
                added.append(once.model_copy(
                    update={"x": float(x), "level_m": float(y), "z": float(z)}
                ))  # fmt: skip
            else:
                added.append(_twin(solid_of(once, camera), turn, place))
        return PutProxies(
            proxies=(once,), added=tuple(added), said=f"Break off the repeats of {proxy.name}"[:80]
        )


def _twin(solid: Solid, turn: np.ndarray, place: np.ndarray) -> Solid:
    """The mirrored solid, wound anew so that it faces outward."""
    shape = solid.shape
    foot = turn @ solid.foot + place
    upright, _ = solid.upright()
    points = {
        i: (turn @ in_world(solid, p) + place - foot) @ upright for i, p in shape.points.items()
    }
    faces = {f: tuple(loop[::-1] for loop in loops) for f, loops in shape.faces.items()}
    x, y, z = (float(v) for v in foot)
    return solid.with_shape(Shape(points, faces)).model_copy(
        update={"x": x, "level_m": y, "z": z, "lean_deg": 0.0, "roll_deg": 0.0}
    )


def _level(scene: Scene, way: str) -> np.ndarray:
    if way == "up":
        raise Refusal("This goes along something level. Choose Across, Away or a bearing.")
    return direction_of(scene, way)
