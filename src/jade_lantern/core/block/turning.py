"""Turning a proxy by a typed angle, setting it down, and turning it as another one stands."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import world_size
from ..proxy import Stood
from ..proxy.repeat import turned
from ..refusal import Refusal
from ..scene.edits import Edit, altered
from ..scene.edits.edit import the_one
from ..scene.model import Scene
from ..value import Id
from .gestures import OfStood
from .under import nearest_along

Angle = Annotated[float, Field(ge=-360, le=360)]


class Turn(OfStood):
    """Turn a proxy by an angle, or to one, about its foot or about the left or right end of its
    front: its hinge."""

    verb: Literal["Turn"] = "Turn"
    by_deg: Angle | None = None
    to_deg: Angle | None = None
    about: Literal["foot", "left", "right"] = "foot"

    def edit(self, scene: Scene) -> Edit:
        _, proxy = self.held(scene)
        turn = proxy.turn_deg + self.by_deg if self.by_deg is not None else self.to_deg
        if turn is None:
            raise Refusal("Say by how much to turn it, or to which angle.")
        new = proxy.model_copy(update={"turn_deg": turned(turn, 0.0)})
        held = self._hinge(proxy) - self._hinge(new)
        return altered(
            proxy.id, turn_deg=new.turn_deg, x=proxy.x + float(held[0]), z=proxy.z + float(held[2])
        )

    def _hinge(self, proxy: Stood) -> Floats:
        """(3,) where it turns about, in the world."""
        half = proxy.half_width()
        if self.about == "foot" or half is None:
            return proxy.foot
        upright, foot = proxy.upright()
        own = proxy.base()
        front = float(own[:, 2].max()) if len(own) else 0.0
        out: Floats = upright @ [half if self.about == "right" else -half, 0.0, front] + foot
        return out


class SettleOnto(OfStood):
    """Set a proxy down on what is below it: the highest level surface under its base, or the
    ground."""

    verb: Literal["SettleOnto"] = "SettleOnto"

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        others = tuple(p for p in scene.proxies if p.id != proxy.id and not p.hidden and p.stands)
        small = 1e-3 * world_size(camera)
        turn, _ = proxy.frame()
        points = proxy.own_mesh(camera).points
        low = float((points @ turn.T)[:, 1].min())
        base = proxy.base_in_world() if len(proxy.base()) else np.zeros((0, 3))
        looks = [proxy.foot, *(0.98 * p + 0.02 * proxy.foot for p in base)]
        found = [0.0] if proxy.level_m + low > -small else []
        for look in looks:
            # a little above, so that what it stands on already is found
            start = np.array([look[0], proxy.level_m + low + small, look[2]])
            hit = nearest_along(others, camera, start, np.array([0.0, -1.0, 0.0]))
            if hit is not None:
                found.append(float(hit.point[1]))
        if not found:
            raise Refusal(f"There is nothing below {proxy.name} to set it down on.")
        level = max(found) - low
        if abs(level - proxy.level_m) < 1e-9:
            raise Refusal(f"{proxy.name} stands on what is below it already.")
        return altered(proxy.id, level_m=round(level, 9))


class AlignTo(OfStood):
    """Turn a proxy so that it stands as another one does, by as little as may be: its front along
    the other's front, or at a right angle to it."""

    verb: Literal["AlignTo"] = "AlignTo"
    to: Id

    def edit(self, scene: Scene) -> Edit:
        _, proxy = self.held(scene)
        other = the_one(scene.proxies, self.to, "proxy")
        if not isinstance(other, Stood) or other.id == proxy.id:
            raise Refusal("Choose another proxy that stands on the floor.")
        by = (other.turn_deg - proxy.turn_deg + 45.0) % 90.0 - 45.0
        return altered(proxy.id, turn_deg=turned(proxy.turn_deg, by))
