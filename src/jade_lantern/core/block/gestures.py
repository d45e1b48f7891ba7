"""What a hand does to proxies in a view. Each gesture names picked places, and becomes the edit
that is kept."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera, world_size
from ..pick import Pick, height_over, on_level
from ..proxy import KINDS, LEAST_SIZE_M, Backdrop, Floor, Stood
from ..refusal import Refusal
from ..scene.edits import Edit, StandProxy, altered
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..value import Id, Length

# of the world's size: how far a ground or a backdrop goes by itself, and anything at all
FAR_SIZES, FARTHEST_SIZES = 40.0, 2000.0
STANDING: dict[str, type[Stood]] = {
    k.model_fields["kind"].default: k for k in KINDS if issubclass(k, Stood)
}


class Stand(Gesture):
    """Stand a new proxy on the ground. feet: a floor's two opposite corners, a card's two ends, a
    box's front edge and a third foot, a drum's left and right. top: where its top shows."""

    verb: Literal["Stand"] = "Stand"
    kind: Annotated[str, Field(max_length=40)]
    feet: Annotated[tuple[Pick, ...], Field(min_length=2, max_length=3)]
    top: Pick | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        kind = STANDING.get(self.kind)
        if kind is None:
            raise Refusal(f"There is no kind of proxy called {self.kind}.")
        if len(self.feet) != kind.FEET:
            raise Refusal(f"A {self.kind} needs {kind.FEET} feet on the ground.")
        feet = np.array([_place(camera, p) for p in self.feet])
        height = kind.USUAL_HEIGHT_M or 0.0
        if self.top is not None and height:
            height = _height(camera, kind.uprights(feet), self.top)
        return StandProxy(proxy=kind.stood(fresh_name(scene, self.kind), feet, height))


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
            id="floor-0",
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
        backdrop = Backdrop(id="backdrop-0", name=name, distance_m=distance, margin=self.margin)
        return StandProxy(proxy=backdrop)


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
        start, end = (_place(camera, p, proxy.level_m) for p in (self.start, self.end))
        by = end - start
        return altered(proxy.id, x=proxy.x + by[0], z=proxy.z + by[2])


class PullCorner(OfStood):
    """Take a corner of a base somewhere else on its level; the corner across from it stays."""

    verb: Literal["PullCorner"] = "PullCorner"
    corner: Annotated[int, Field(ge=0, le=3)]
    to: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        to = _place(camera, self.to, proxy.level_m)
        return altered(proxy.id, **proxy.corner_taken(self.corner, to))


class Raise(OfStood):
    """Take a proxy's top to where it shows in the picture, over its own foot."""

    verb: Literal["Raise"] = "Raise"
    to: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        if proxy.USUAL_HEIGHT_M is None:
            raise Refusal(f"A {proxy.kind} has no height. Change its level instead.")
        return altered(proxy.id, height_m=_height(camera, proxy.foot[None], self.to))


class Swing(OfStood):
    """Turn a proxy about its foot, by the angle between two picked places."""

    verb: Literal["Swing"] = "Swing"
    start: Pick
    end: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = self.held(scene)
        a = _place(camera, self.start, proxy.level_m) - proxy.foot
        b = _place(camera, self.end, proxy.level_m) - proxy.foot
        by = np.degrees(np.arctan2(-b[2], b[0]) - np.arctan2(-a[2], a[0]))
        turned = (proxy.turn_deg + by + 180.0) % 360.0 - 180.0
        return altered(proxy.id, turn_deg=float(turned))


def _place(camera: Camera, pick: Pick, level_m: float = 0.0) -> Floats:
    """Where a picked place meets the ground, or a level above it: (3,).

    Raises Refusal where it never does, or so far away that a pixel more is hundreds of metres.
    """
    point = on_level(camera, pick, level_m)
    far = FARTHEST_SIZES * world_size(camera)
    if np.linalg.norm(point - camera.position) > far:
        raise Refusal("This point is too near the horizon to stand on. Pick one lower down.")
    return point


def _height(camera: Camera, feet: Floats, top: Pick) -> float:
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
