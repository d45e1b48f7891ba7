"""From a gesture in a view to a place in the world.

A picked place is a ray: a pixel of the plate seen from the sighted camera, or a ray given
outright, as the walk view does. Each gesture names what its rays meet, and becomes the edit that
is kept.
"""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from ..camera import Camera
from ..refusal import Refusal
from ..scene.edits import AddTape, AlterProxy, Edit, ProxyNumbers, StandProxy
from ..scene.gesture import Gesture
from ..scene.model import (
    Backdrop,
    Box,
    Card,
    Drum,
    Floor,
    Id,
    Length,
    Point2,
    Point3,
    Proxy,
    Scene,
    Stood,
    Value,
)
from ..sight.measure import required_camera
from ..sight.settle import settled
from .miss import plane_under
from .shape import base_corners, mesh

Array = NDArray[np.float64]

LEAST_SIZE_M = 0.005
FARTHEST_EYE_HEIGHTS = 2000.0
USUAL_HEIGHT_M = {"card": 2.4, "box": 1.0, "drum": 1.0}


class Ray(Value):
    """A ray in the world, as a view other than the lens picks it."""

    origin: Point3
    direction: Point3


Pick = Point2 | Ray


class Stand(Gesture):
    """Stand a new proxy on the ground. feet: a floor's two opposite corners, a card's two ends, a
    box's front edge and a third foot, a drum's left and right. top: where its top shows."""

    verb: Literal["Stand"] = "Stand"
    kind: Literal["floor", "card", "box", "drum"]
    feet: Annotated[tuple[Pick, ...], Field(min_length=2, max_length=3)]
    top: Pick | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        need = 3 if self.kind == "box" else 2
        if len(self.feet) != need:
            raise Refusal(f"A {self.kind} needs {need} feet on the ground.")
        feet = np.array([on_level(camera, p) for p in self.feet])
        name = fresh_name(scene, self.kind)
        return StandProxy(proxy=_standing(self.kind, name, feet, self.top, camera))


class LayGround(Gesture):
    """A floor under everything the lens sees of the ground, out to a distance."""

    verb: Literal["LayGround"] = "LayGround"
    distance_m: Length | None = None

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        far = self.distance_m or 40 * abs(float(camera.position[1]))
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
                float(((mesh(p, camera).points - camera.position) @ camera.forward).max())
                for p in scene.proxies
            ]
            distance = 1.25 * max([*far, 40 * abs(float(camera.position[1]))])
        name = fresh_name(scene, "backdrop")
        backdrop = Backdrop(id="backdrop-0", name=name, distance_m=distance, margin=self.margin)
        return StandProxy(proxy=backdrop)


class Slide(Gesture):
    """Move a proxy over the floor it stands on, by as much as lies between two picked places."""

    verb: Literal["Slide"] = "Slide"
    proxy: Id
    start: Pick
    end: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = required_camera(scene), _stood(scene, self.proxy)
        by = on_level(camera, self.end, proxy.level_m) - on_level(camera, self.start, proxy.level_m)
        return AlterProxy(proxy=proxy.id, to=ProxyNumbers(x=proxy.x + by[0], z=proxy.z + by[2]))


class PullCorner(Gesture):
    """Take a corner of a base somewhere else on its level; the corner across from it stays."""

    verb: Literal["PullCorner"] = "PullCorner"
    proxy: Id
    corner: Annotated[int, Field(ge=0, le=3)]
    to: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = required_camera(scene), _stood(scene, self.proxy)
        to = on_level(camera, self.to, proxy.level_m)
        foot = np.array([proxy.x, proxy.level_m, proxy.z])
        if isinstance(proxy, Drum):
            numbers = {"radius_m": _size(float(np.linalg.norm(to - foot)))}
        elif isinstance(proxy, Card):
            held = base_corners(proxy)[1 - self.corner % 2]
            ends = (held, to) if self.corner % 2 else (to, held)
            numbers = _between(*ends)
        elif isinstance(proxy, Floor | Box):
            held = base_corners(proxy)[(self.corner + 2) % 4]
            a = np.radians(proxy.turn_deg)
            across, away = np.array([np.cos(a), 0, -np.sin(a)]), np.array([np.sin(a), 0, np.cos(a)])
            span = to - held
            middle = (to + held) / 2
            numbers = {
                "width_m": _size(abs(float(span @ across))),
                "depth_m": _size(abs(float(span @ away))),
                "x": float(middle[0]),
                "z": float(middle[2]),
            }
        return AlterProxy(proxy=proxy.id, to=ProxyNumbers(**numbers))


class Raise(Gesture):
    """Take a proxy's top to where it shows in the picture, over its own foot."""

    verb: Literal["Raise"] = "Raise"
    proxy: Id
    to: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = required_camera(scene), _stood(scene, self.proxy)
        if isinstance(proxy, Floor):
            raise Refusal("A floor has no height. Change its level instead.")
        feet = np.array([[proxy.x, proxy.level_m, proxy.z]])
        height = height_over(camera, feet, self.to)
        return AlterProxy(proxy=proxy.id, to=ProxyNumbers(height_m=height))


class Swing(Gesture):
    """Turn a proxy about its foot, by the angle between two picked places."""

    verb: Literal["Swing"] = "Swing"
    proxy: Id
    start: Pick
    end: Pick

    def edit(self, scene: Scene) -> Edit:
        camera, proxy = required_camera(scene), _stood(scene, self.proxy)
        foot = np.array([proxy.x, proxy.level_m, proxy.z])
        a = on_level(camera, self.start, proxy.level_m) - foot
        b = on_level(camera, self.end, proxy.level_m) - foot
        by = np.degrees(np.arctan2(-b[2], b[0]) - np.arctan2(-a[2], a[0]))
        turned = (proxy.turn_deg + by + 180.0) % 360.0 - 180.0
        return AlterProxy(proxy=proxy.id, to=ProxyNumbers(turn_deg=float(turned)))


class LayTape(Gesture):
    """Lay a tape with its real measure: on the ground, upright from its first point's foot, or on
    the proxy that its first point shows."""

    verb: Literal["LayTape"] = "LayTape"
    points: tuple[Point2, Point2]
    length_m: Length
    on_: Literal["ground", "up", "proxy"] = Field(default="ground", alias="on")

    def edit(self, scene: Scene) -> Edit:
        plane = None
        if self.on_ == "proxy":
            plane = plane_under(scene, required_camera(scene), self.points[0])
        tape = AddTape(points=self.points, length_m=self.length_m, on=self.on_, plane=plane)
        return settled(scene, tape)


def ray_of(camera: Camera, pick: Pick) -> tuple[Array, Array]:
    """Origin (3,) and direction (3,) of a picked place."""
    if isinstance(pick, Ray):
        return np.array(pick.origin, float), np.array(pick.direction, float)
    return camera.position, camera.rays(np.array(pick, float))


def on_level(camera: Camera, pick: Pick, level_m: float = 0.0) -> Array:
    """Where a picked place meets the ground, or a level above it: (3,).

    Raises Refusal where it never does.
    """
    origin, ray = ray_of(camera, pick)
    drop = origin[1] - level_m
    far = FARTHEST_EYE_HEIGHTS * abs(float(camera.position[1]) or 1.0)
    if drop * ray[1] >= 0:
        raise Refusal("This point is above the horizon, so it is not on the ground.")
    point = origin + ray * (drop / -ray[1])
    if np.linalg.norm(point - origin) > far:
        raise Refusal("This point is too near the horizon to stand on. Pick one lower down.")
    out: Array = point
    return out


def height_over(camera: Camera, feet: Array, top: Pick) -> float:
    """Height above whichever of the feet (N, 3) has its upright pass nearest to the picked top."""
    origin, ray = ray_of(camera, top)
    best, height = np.inf, 0.0
    for foot in feet:
        flat = np.array([ray[0], 0.0, ray[2]])
        square = float(flat @ flat)
        if square < 1e-12:
            continue
        t = float((foot - origin) @ flat) / square
        if t <= 0:
            continue
        at = origin + t * ray
        miss = float(np.hypot(at[0] - foot[0], at[2] - foot[2])) / t
        if miss < best:
            best, height = miss, float(at[1] - foot[1])
    if height < LEAST_SIZE_M:
        raise Refusal("The top must show above the foot. Pick it higher up.")
    return height


def fresh_name(scene: Scene, kind: str) -> str:
    taken = {p.name for p in scene.proxies}
    return next(n for i in range(1, 10_000) if (n := f"{kind} {i}") not in taken)


def _standing(kind: str, name: str, feet: Array, top: Pick | None, camera: Camera) -> Proxy:
    usual = USUAL_HEIGHT_M.get(kind, 1.0)
    id = f"{kind}-0"
    if kind == "floor":
        span, middle = np.abs(feet[1] - feet[0]), feet.mean(axis=0)
        return Floor(
            id=id, name=name, x=middle[0], z=middle[2],
            width_m=_size(span[0]), depth_m=_size(span[2]),
        )  # fmt: skip
    uprights = np.concatenate([feet, feet.mean(axis=0, keepdims=True)]) if kind == "drum" else feet
    height = height_over(camera, uprights, top) if top is not None else usual
    if kind == "card":
        return Card(id=id, name=name, height_m=height, **_between(*feet))
    if kind == "drum":
        middle = feet.mean(axis=0)
        radius = _size(float(np.linalg.norm(feet[1] - feet[0]) / 2))
        return Drum(id=id, name=name, x=middle[0], z=middle[2], radius_m=radius, height_m=height)
    front = _between(feet[0], feet[1])
    a = np.radians(front["turn_deg"])
    away = np.array([np.sin(a), 0.0, np.cos(a)])
    depth = float((feet[2] - feet[1]) @ away)
    middle = (feet[0] + feet[1]) / 2 + away * depth / 2
    return Box(
        id=id, name=name, x=middle[0], z=middle[2], turn_deg=front["turn_deg"],
        width_m=front["width_m"], depth_m=_size(abs(depth)), height_m=height,
    )  # fmt: skip


def _between(a: Array, b: Array) -> dict[str, float]:
    """Foot, width and turn of a sheet whose ends are a and b."""
    span, middle = b - a, (a + b) / 2
    return {
        "x": float(middle[0]),
        "z": float(middle[2]),
        "width_m": _size(float(np.hypot(span[0], span[2]))),
        "turn_deg": float(np.degrees(np.arctan2(-span[2], span[0]))),
    }


def _size(metres: float) -> float:
    if metres < LEAST_SIZE_M:
        raise Refusal("This would have no size. Pick places further apart.")
    return float(metres)


def _stood(scene: Scene, id: str) -> Floor | Card | Box | Drum:
    proxy = next((p for p in scene.proxies if p.id == id), None)
    if proxy is None:
        raise Refusal("This proxy is not there any more.")
    if not isinstance(proxy, Stood):
        raise Refusal("A backdrop hangs before the lens; change its distance instead.")
    return proxy


def _level_axes(camera: Camera) -> tuple[Array, Array]:
    """Forward and right of the camera, level with the ground."""
    forward = camera.forward * [1, 0, 1]
    if np.linalg.norm(forward) < 1e-6:
        forward = -camera.rotation[1] * [1, 0, 1]
    forward = forward / np.linalg.norm(forward)
    return forward, np.cross(forward, [0.0, 1.0, 0.0])
