"""Pulling a corner, an edge or a face somewhere else, and what it comes to rest on."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats, Indices
from ..camera import NEAREST, Camera, world_size
from ..mesh import joined
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
    others = [p for p in scene.proxies if p.id not in but and not p.hidden and isinstance(p, Stood)]
    if not others:
        return None
    near = NEAREST * world_size(camera)
    ends, owner = _edges_of(others, camera)
    seen, depth = camera.project(ends)
    off = np.where(depth > near, np.hypot(seen[..., 0] - at[0], seen[..., 1] - at[1]), np.inf)
    if float(off.min(initial=np.inf)) <= within_px:
        far = np.where(off <= within_px, np.linalg.norm(ends - beside, axis=2), np.inf)
        edge, end = np.unravel_index(int(np.argmin(far)), far.shape)
        corner = ends[edge, end]
        return corner, _corner_there(others[int(owner[edge])], camera, corner)
    places, px = _nearest_on_edges(at, ends, seen, depth, near)
    if float(px.min(initial=np.inf)) <= within_px:
        far = np.where(px <= within_px, np.linalg.norm(places - beside, axis=1), np.inf)
        return places[int(np.argmin(far))], None
    return None if place is None else _on_plane(others, camera, place, within_px)


def _edges_of(proxies: Sequence[Stood], camera: Camera) -> tuple[Floats, Indices]:
    """The ends (E, 2, 3) of the edges that a wire shows, in the world, and whose they are (E,)."""
    ends, owner = [], []
    for i, proxy in enumerate(proxies):
        mesh = proxy.full_mesh(camera)
        turn, place = proxy.frame()
        ends.append((mesh.points @ turn.T + place)[mesh.wire])
        owner.append(np.full(len(mesh.wire), i))
    return np.concatenate(ends), np.concatenate(owner)


def _corner_there(proxy: Stood, camera: Camera, place: Floats) -> SolidCorner | None:
    """The corner of a proxy that is at a place (3,); none where that is on one of its repeats."""
    solid = solid_of(proxy, camera)
    ids = list(solid.shape.points)
    far = np.linalg.norm(in_world(solid, solid.shape.at(ids)) - place, axis=1)
    nearest = int(np.argmin(far))
    if far[nearest] > 1e-6 * (1 + float(np.abs(place).max())):
        return None
    return SolidCorner(proxy=solid.id, corner=ids[nearest])


def _nearest_on_edges(
    at: Floats, ends: Floats, seen: Floats, depth: Floats, near: float
) -> tuple[Floats, Floats]:
    """The places (E, 3) on edges that are seen nearest to a pixel, and how many pixels off."""
    along = seen[:, 1] - seen[:, 0]
    length = np.maximum((along * along).sum(axis=1), 1e-12)
    t = np.clip(((at - seen[:, 0]) * along).sum(axis=1) / length, 0, 1)
    off = np.linalg.norm(seen[:, 0] + t[:, None] * along - at, axis=1)
    ahead = (depth > near).all(axis=1)
    # a share of the picture's length is another share of the edge's, by the depths of its ends
    below = np.where(ahead, depth[:, 1] + t * (depth[:, 0] - depth[:, 1]), 1.0)
    s = np.where(ahead, t * depth[:, 0] / below, 0.0)
    places = ends[:, 0] + s[:, None] * (ends[:, 1] - ends[:, 0])
    return places, np.where(ahead, off, np.inf)


def _on_plane(
    proxies: Sequence[Stood], camera: Camera, place: Floats, within_px: float
) -> tuple[Floats, None] | None:
    """The place put on the nearest plane of a face, where that is near enough in the picture: as
    many pixels as it would move, seen from aside."""
    reach = within_px * float(camera.project(place)[1]) / camera.focal_px
    corners, _, _ = joined([p.mesh(camera) for p in proxies])
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1)
    normals = normals / np.maximum(length, 1e-300)[:, None]
    off = ((place - corners[:, 0]) * normals).sum(axis=1)
    away = np.where(length > 1e-15, np.abs(off), np.inf)
    best = int(np.argmin(away))
    return (place - off[best] * normals[best], None) if away[best] <= reach else None


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
