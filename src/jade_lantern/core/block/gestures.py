"""What a hand does to proxies in a view. Each gesture names picked places, and becomes the edit
that is kept."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera, world_size
from ..pick import Pick, height_over, on_level
from ..proxy import (
    KINDS,
    LEAST_SIZE_M,
    Backdrop,
    Box,
    Card,
    Dome,
    Floor,
    Outline,
    Room,
    Steps,
    Stood,
)
from ..refusal import Refusal
from ..scene.edits import Edit, StandProxy, altered
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene, Way
from ..sight.lens import Unsettled
from ..sight.measure import required_camera
from ..sight.sighted import lens_of_scene
from ..value import NEW_ID, Id, Length, Number
from .under import level_under

# relative to the world's size: the default extent of a ground or backdrop, and the largest of any
# proxy
FAR_SIZES, FARTHEST_SIZES = 40.0, 2000.0
STANDING: dict[str, type[Stood]] = {
    k.model_fields["kind"].default: k for k in KINDS if issubclass(k, Stood) and k.FEET
}


class Stand(Gesture):
    """Stand a new proxy. feet: a floor's two opposite corners, the two ends of a card or an
    outline, a box's or steps' front edge and a third foot, a drum's left and right, a room's back
    wall. top: where its top shows. level_m: the level it stands on; that of whatever is under the
    first foot where it is left out, which may be the ground or the top of another proxy. along:
    the heading or bearing that its foot line runs along, or "free"; where it is left out, one that
    it nearly runs along."""

    verb: Literal["Stand"] = "Stand"
    kind: Annotated[str, Field(max_length=40)]
    feet: Annotated[tuple[Pick, ...], Field(min_length=2, max_length=3)]
    top: Pick | None = None
    level_m: Number | None = None
    along: Literal["free"] | Way | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        kind = STANDING.get(self.kind)
        if kind is None:
            raise Refusal(f"There is no kind of proxy called {self.kind}.")
        if len(self.feet) != kind.FEET:
            raise Refusal(f"A {self.kind} needs {kind.FEET} feet on the ground.")
        level = self.level_m
        if level is None:
            level = level_under(scene, camera, self.feet[0])
        feet = np.array([place_of(camera, p, level) for p in self.feet])
        way = None
        if issubclass(kind, FRONTED):
            feet, way = snapped(scene, feet, self.along)
        height = kind.USUAL_HEIGHT_M or 0.0
        if self.top is not None and height:
            height = height_of(camera, kind.uprights(feet), self.top)
        stood = kind.stood(fresh_name(scene, self.kind), feet, height, camera.position)
        return StandProxy(proxy=stood.model_copy(update={"level_m": level}), along=way)


FRONTED = (Card, Outline, Box, Steps, Room)  # stood by two feet that give them a direction
SNAP = 1.5  # degrees within which a foot line is turned to run along a heading or bearing


def snapped(scene: Scene, feet: Floats, along: str | None) -> tuple[Floats, Way | None]:
    """Feet (N, 3) with the second one put on the line from the first along a heading or bearing,
    and which; as they are where nothing that runs there is near.

    Raises Refusal for a bearing that is not there.
    """
    lens = lens_of_scene(scene)
    if along == "free" or isinstance(lens, Unsettled):
        return feet, None
    ways: tuple[Way, ...] = ("across", "away", *lens.bearings)
    if along is not None and along not in ways:
        raise Refusal("Nothing level is traced along this. Trace it in Sight first.")
    line = feet[1] - feet[0]
    turn = float(np.degrees(np.arctan2(-line[2], line[0])))
    off = {w: abs((turn - lens.turn_of(w) + 90.0) % 180.0 - 90.0) for w in ways}
    way = along if along is not None else min(off, key=lambda w: off[w])
    if along is None and off[way] > SNAP:
        return feet, None
    a = np.radians(lens.turn_of(way))
    direction = np.array([np.cos(a), 0.0, -np.sin(a)])
    out = feet.copy()
    out[1] = feet[0] + (line @ direction) * direction
    return out, way


class LayGround(Gesture):
    """A floor under everything the lens sees of the ground, out to a distance."""

    verb: Literal["LayGround"] = "LayGround"
    distance_m: Length | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        far = self.distance_m or FAR_SIZES * world_size(camera)
        forward, right = _level_axes(camera)
        corners = np.array(
            [[0, 0], [camera.width, 0], [0, camera.height], [camera.width, camera.height]]
        )
        rays = camera.rays(corners.astype(float))
        widest = np.abs(rays @ right / np.maximum(rays @ forward, 0.05)).max()
        middle = camera.position + forward * far * 0.48
        floor = Floor(
            id=NEW_ID,
            name=fresh_name(scene, "floor"),
            x=middle[0],
            z=middle[2],
            turn_deg=float(np.degrees(np.arctan2(-right[2], right[0]))),
            width_m=float(2.2 * widest * far),
            depth_m=far * 1.04,
        )
        return StandProxy(proxy=floor)


class Hang(Gesture):
    """Hang a backdrop behind everything, filling the lens's frame with a margin."""

    verb: Literal["Hang"] = "Hang"
    distance_m: Length | None = None
    margin: Annotated[float, Field(ge=0, le=4)] = 0.25

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        distance = self.distance_m
        if distance is None:
            far = [
                float(((p.mesh(camera).points - camera.position) @ camera.forward).max())
                for p in scene.proxies
            ]
            distance = 1.25 * max([*far, FAR_SIZES * world_size(camera)])
        name = fresh_name(scene, "backdrop")
        backdrop = Backdrop(id=NEW_ID, name=name, distance_m=distance, margin=self.margin)
        return StandProxy(proxy=backdrop)


class HangDome(Gesture):
    """A sky round the lens, beyond everything."""

    verb: Literal["HangDome"] = "HangDome"
    distance_m: Length | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        far = [
            float(np.linalg.norm(p.mesh(camera).points - camera.position, axis=1).max())
            for p in scene.proxies
        ]
        distance = self.distance_m or 1.25 * max([*far, FAR_SIZES * world_size(camera)])
        name = fresh_name(scene, "dome")
        return StandProxy(proxy=Dome(id=NEW_ID, name=name, distance_m=distance))


class OfStood(Gesture):
    """Done to a proxy that stands on the floor."""

    proxy: Id

    def held(self, scene: Scene) -> tuple[Camera, Stood]:
        """The sighted camera and the proxy. Raises Refusal where one is not there."""
        proxy = the_one(scene.proxies, self.proxy, "proxy")
        if not isinstance(proxy, Stood):
            raise Refusal("A backdrop hangs before the lens; change its distance instead.")
        return required_camera(scene), proxy


class Slide(OfStood):
    """Move a proxy over the floor it stands on, by as much as lies between two picked places."""

    verb: Literal["Slide"] = "Slide"
    start: Pick
    end: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        start, end = (place_of(camera, p, proxy.level_m) for p in (self.start, self.end))
        by = end - start
        return altered(proxy.id, x=proxy.x + by[0], z=proxy.z + by[2])


class PullCorner(OfStood):
    """Take a corner of a base somewhere else on its level; the corner across from it stays."""

    verb: Literal["PullCorner"] = "PullCorner"
    corner: Annotated[int, Field(ge=0, le=3)]
    to: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        if not proxy.stands_level:
            raise Refusal(
                f"The foot of {proxy.name} is not level, so its corners cannot be pulled on the "
                "ground. Set its lean and roll to 0 first."
            )
        to = place_of(camera, self.to, proxy.level_m)
        return altered(proxy.id, **proxy.corner_taken(self.corner, to))


class Raise(OfStood):
    """Take a proxy's top to where it shows in the picture, over its own foot."""

    verb: Literal["Raise"] = "Raise"
    to: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        if proxy.USUAL_HEIGHT_M is None:
            raise Refusal(f"A {proxy.kind} has no height. Change its level instead.")
        return altered(proxy.id, height_m=height_of(camera, proxy.foot[None], self.to))


class Swing(OfStood):
    """Turn a proxy about its foot, by the angle between two picked places. step_deg: it comes to
    rest at multiples of so many degrees; 0 for any."""

    verb: Literal["Swing"] = "Swing"
    start: Pick
    end: Pick
    step_deg: Annotated[float, Field(ge=0, le=180)] = 0.0

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        a = place_of(camera, self.start, proxy.level_m) - proxy.foot
        b = place_of(camera, self.end, proxy.level_m) - proxy.foot
        by = np.degrees(np.arctan2(-b[2], b[0]) - np.arctan2(-a[2], a[0]))
        turn = float(proxy.turn_deg + by)
        if self.step_deg:
            turn = round(turn / self.step_deg) * self.step_deg
        return altered(proxy.id, turn_deg=(turn + 180.0) % 360.0 - 180.0)


class TurnAlong(OfStood):
    """Turn a proxy so that its front runs along a heading or a bearing, by as little as may be."""

    verb: Literal["TurnAlong"] = "TurnAlong"
    way: Way

    def edit(self, scene: Scene) -> Edit:
        _, proxy = self.held(scene)
        lens = lens_of_scene(scene)
        if isinstance(lens, Unsettled) or (
            self.way not in ("across", "away") and self.way not in lens.bearings
        ):
            raise Refusal("Nothing level is traced along this. Trace it in Sight first.")
        by = (lens.turn_of(self.way) - proxy.turn_deg + 90.0) % 180.0 - 90.0
        turned = (proxy.turn_deg + by + 180.0) % 360.0 - 180.0
        return altered(proxy.id, turn_deg=float(turned))


def place_of(camera: Camera, pick: Pick, level_m: float = 0.0) -> Floats:
    """Where a picked place meets the ground, or a level above it: (3,).

    Raises Refusal where it never does, or so far away that a pixel more is hundreds of metres.
    """
    point = on_level(camera, pick, level_m)
    far = FARTHEST_SIZES * world_size(camera)
    if np.linalg.norm(point - camera.position) > far:
        raise Refusal("This point is too near the horizon to stand on. Pick one lower down.")
    return point


def height_of(camera: Camera, feet: Floats, top: Pick) -> float:
    """A height, metres, over whichever of the feet (N, 3) fits the picked top."""
    height = height_over(camera, feet, top)
    if height < LEAST_SIZE_M:
        raise Refusal("The top must show above the foot. Pick it higher up.")
    return height


def fresh_name(scene: Scene, kind: str) -> str:
    taken = {p.name for p in scene.proxies}
    return next(n for i in range(1, 10_000) if (n := f"{kind} {i}") not in taken)


def _level_axes(camera: Camera) -> tuple[Floats, Floats]:
    """Forward and right of the camera, level with the ground."""
    forward = camera.forward * [1, 0, 1]
    if np.linalg.norm(forward) < 1e-6:
        forward = -camera.rotation[1] * [1, 0, 1]
    forward = forward / np.linalg.norm(forward)
    return forward, np.cross(forward, [0.0, 1.0, 0.0])
