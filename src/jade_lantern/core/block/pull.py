"""Pulling a corner, an edge or a face somewhere else, and what it comes to rest on."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import NEAREST, Camera, world_size
from ..pick import Pick, ray_of
from ..proxy import Solid, Stood
from ..proxy.repeat import level_direction
from ..refusal import Refusal
from ..scene.edits import Edit, PutProxies, PutWeld
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene, SolidCorner, Way
from ..sight.lens import Unsettled
from ..sight.measure import required_camera
from ..sight.sighted import lens_of_scene
from ..value import Id, Point3
from .parts import (
    Ordinal,
    Part,
    in_own,
    in_world,
    met,
    nearest_on_line,
    plane_of,
    solid_named,
    solid_of,
)

UP = np.array([0.0, 1.0, 0.0])


class PullPart(Gesture):
    """Pull a corner, an edge or a face to a picked place, or to a place in the world (place).
    start: where it was taken hold of; its middle where that is left out. along: on a face's plane
    (face: which one), level, along its line of sight, facing whoever looks, or along a heading or
    bearing. catch_px: it comes to rest on a corner, an edge or a plane of another proxy within so
    many pixels of the lens. weld: a corner that comes to rest on another one stays with it."""

    verb: Literal["PullPart"] = "PullPart"
    proxy: Id
    part: Part
    to: Pick | None = None
    place: Point3 | None = None
    start: Pick | None = None
    along: Literal["face", "level", "sight", "view"] | Way = "view"
    face: Ordinal | None = None
    catch_px: Annotated[float, Field(ge=0, le=200)] = 0.0
    weld: bool = False

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        solid = solid_named(scene, self.proxy, camera)
        ids = self.part.corners(solid.shape)
        places = in_world(solid, solid.shape.at(ids))
        anchor = places.mean(axis=0)
        resting: SolidCorner | None = None
        if self.place is not None:
            shift = np.array(self.place) - anchor
        elif self.to is not None:
            start = anchor if self.start is None else self._at(scene, camera, solid, anchor,
                                                                self.start)  # fmt: skip
            to = self._at(scene, camera, solid, anchor, self.to)
            if self.catch_px:
                to, resting = self._caught(scene, camera, to - start + anchor)
                to = to - anchor + start
            shift = to - start
        else:
            raise Refusal("Say where to: a picked place, or a place in the world.")
        own = dict(zip(ids, in_own(solid, places + shift), strict=True))
        new = solid.with_shape(solid.shape.moved(own))
        if self.weld and resting is not None and self.part.corner is not None:
            corners = (SolidCorner(proxy=solid.id, corner=self.part.corner), resting)
            other = solid_of(the_one(scene.proxies, resting.proxy, "proxy"), camera)
            return PutWeld(corners=corners, proxies=(new, other))
        return PutProxies(proxies=(new,), said=f"Pull {self.part.called} of {solid.name}"[:80])

    def _at(self, scene: Scene, camera: Camera, solid: Solid, anchor: Floats, pick: Pick) -> Floats:
        """Where a picked place is for this pull, (3,) in the world."""
        if self.along == "face":
            face = self.face or self.part.face or _face_with(solid, self.part)
            return met(camera, pick, anchor, plane_of(solid, face)[1])
        if self.along == "level":
            return met(camera, pick, anchor, UP)
        if self.along == "view":
            origin, ray = ray_of(camera, pick)
            facing = camera.forward if np.allclose(origin, camera.position) else ray
            return met(camera, pick, anchor, facing)
        if self.along == "sight":
            return nearest_on_line(camera, pick, anchor, anchor - camera.position)
        return nearest_on_line(camera, pick, anchor, direction_of(scene, self.along))

    def _caught(
        self, scene: Scene, camera: Camera, place: Floats
    ) -> tuple[Floats, SolidCorner | None]:
        """The place, or what near it there is to rest on; and the corner, where it is one."""
        at, depth = camera.project(place)
        if depth <= 0:
            return place, None
        found = resting_place(scene, camera, at, place, self.catch_px, {self.proxy})
        return (place, None) if found is None else found


def direction_of(scene: Scene, way: str) -> Floats:
    """(3,) unit direction of a heading or a bearing. Raises Refusal for one that is not there."""
    if way == "up":
        return UP
    lens = lens_of_scene(scene)
    known = not isinstance(lens, Unsettled) and (way in ("across", "away") or way in lens.bearings)
    if isinstance(lens, Unsettled) or not known:
        raise Refusal("Nothing level is traced along this. Trace it in Sight first.")
    return level_direction(lens.turn_of(way))


def _face_with(solid: Solid, part: Part) -> int:
    """The first face that a part belongs to."""
    wanted = set(part.corners(solid.shape))
    for face, loops in solid.shape.faces.items():
        if wanted <= {i for loop in loops for i in loop}:
            return face
    raise Refusal("This part is on no face any more. Choose another one.")


def resting_place(
    scene: Scene, camera: Camera, at: Floats, place: Floats | None, within_px: float, but: set[str]
) -> tuple[Floats, SolidCorner | None] | None:
    """What proxies other than some have within so many pixels of a pixel (2,): a corner first,
    else a place on an edge, else one on a plane that the place is near to. place: (3,) where it is
    taken to be, so that what is nearest to it is chosen; the nearest to the lens without. None
    where there is nothing."""
    beside = camera.position if place is None else place
    solids = [
        solid_of(p, camera) for p in scene.proxies
        if p.id not in but and not p.hidden and isinstance(p, Stood)
    ]  # fmt: skip
    best_corner: tuple[float, float, Floats, SolidCorner] | None = None
    best_edge: tuple[float, Floats] | None = None
    near = NEAREST * world_size(camera)
    for solid in solids:
        shape = solid.shape
        ids = list(shape.points)
        index = {i: n for n, i in enumerate(ids)}
        world = in_world(solid, shape.at(ids))
        seen, deep = camera.project(world)
        off = np.where(deep > near, np.hypot(*(seen - at).T), np.inf)
        for n in np.nonzero(off <= within_px)[0]:
            far = float(np.linalg.norm(world[n] - beside))
            if best_corner is None or (far, off[n]) < best_corner[:2]:
                corner = SolidCorner(proxy=solid.id, corner=ids[n])
                best_corner = (far, float(off[n]), world[n], corner)
        if best_corner is not None:
            continue
        edges = [(index[a], index[b]) for a, b in shape.sides if a < b or (b, a) not in shape.sides]
        for a, b in edges:
            on, away = _nearest_on_edge(camera, at, world[a], world[b], near)
            if away <= within_px:
                far = float(np.linalg.norm(on - beside))
                if best_edge is None or far < best_edge[0]:
                    best_edge = (far, on)
    if best_corner is not None:
        return best_corner[2], best_corner[3]
    if best_edge is not None:
        return best_edge[1], None
    return None if place is None else _on_plane(solids, camera, place, within_px)


def _nearest_on_edge(
    camera: Camera, at: Floats, a: Floats, b: Floats, near: float
) -> tuple[Floats, float]:
    """The place on an edge that is seen nearest to a pixel, and how many pixels off."""
    (p, q), (deep_a, deep_b) = camera.project(np.array([a, b]))
    if deep_a <= near or deep_b <= near:
        return a, np.inf
    along = q - p
    t = float(np.clip((at - p) @ along / max(float(along @ along), 1e-12), 0, 1))
    off = float(np.hypot(*(p + t * along - at)))
    # a share of the picture's length is another share of the edge's, by the depths of its ends
    s = t * deep_a / (deep_b + t * (deep_a - deep_b))
    return a + s * (b - a), off


def _on_plane(
    solids: list[Solid], camera: Camera, place: Floats, within_px: float
) -> tuple[Floats, None] | None:
    """The place put on the nearest plane of a face, where that is near enough in the picture: as
    many pixels as it would move, seen from aside."""
    reach = within_px * float(camera.project(place)[1]) / camera.focal_px
    best: tuple[float, Floats] | None = None
    for solid in solids:
        for face in list(solid.shape.faces)[:400]:
            try:
                on, normal = plane_of(solid, face)
            except Refusal:
                continue
            off = float((place - on) @ normal)
            if abs(off) <= reach and (best is None or abs(off) < best[0]):
                best = (abs(off), place - off * normal)
    return None if best is None else (best[1], None)


class WeldCorners(Gesture):
    """Hold corners of proxies together; they meet where the first one is."""

    verb: Literal["WeldCorners"] = "WeldCorners"
    corners: Annotated[tuple[SolidCorner, ...], Field(min_length=2, max_length=64)]

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        if len({c.proxy for c in self.corners}) < 2:
            raise Refusal("Corners of two proxies can be welded; these belong to one.")
        solids: dict[str, Solid] = {}
        to: Floats | None = None
        for corner in self.corners:
            solid = solids.get(corner.proxy) or solid_named(scene, corner.proxy, camera)
            (number,) = Part(corner=corner.corner).corners(solid.shape)
            place = in_world(solid, solid.shape.points[number])
            to = place if to is None else to
            own = in_own(solid, to)
            solids[corner.proxy] = solid.with_shape(solid.shape.moved({number: own}))
        return PutWeld(corners=self.corners, proxies=tuple(solids.values()))
