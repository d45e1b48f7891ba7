"""Closing cracks: a sheet's free edges run some pixels over."""

from __future__ import annotations

from collections import defaultdict
from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from shapely.geometry import Point, Polygon

from ..arrays import Floats
from ..camera import Camera
from ..mesh import joined
from ..proxy import Backdrop, Card, Floor, Outline, Proxy
from ..refusal import Refusal
from ..scene.edits import Edit, PutProxies, altered
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..solid.shape import Shape, axes_of
from ..value import Id
from .parts import in_own, in_world, solid_named, solid_of
from .reach import distance_of


class RunOver(Gesture):
    """Run a sheet's free edges so many pixels of the plate over, in its own plane, so that no
    crack is left beside it."""

    verb: Literal["RunOver"] = "RunOver"
    proxy: Id
    px: Annotated[float, Field(gt=0, le=500)] = 4.0

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        proxy = the_one(scene.proxies, self.proxy, "proxy")
        if isinstance(proxy, Backdrop):
            margin = proxy.margin + 2 * self.px / max(camera.width, camera.height)
            return altered(proxy.id, margin=margin)
        by = self.px * distance_of(proxy, camera) / camera.focal_px
        if isinstance(proxy, Outline) and not proxy.thickness_m:
            return altered(proxy.id, margin_m=proxy.margin_m + by)
        if isinstance(proxy, Card):
            return altered(proxy.id, width_m=proxy.width_m + 2 * by, height_m=proxy.height_m + by)
        if isinstance(proxy, Floor):
            return altered(proxy.id, width_m=proxy.width_m + 2 * by, depth_m=proxy.depth_m + 2 * by)
        solid = solid_of(proxy, camera)
        shape = solid.shape
        if not shape.open_edges:
            raise Refusal(f"{proxy.name} is closed all round, so it has no edge to run over.")
        return PutProxies(
            proxies=(solid.with_shape(spread(shape, by)),), said=f"Run {proxy.name} over"[:80]
        )


def spread(shape: Shape, by: float) -> Shape:
    """A shape whose free edges are moved outward, each in the plane of its face, metres."""
    wanted = defaultdict(list)
    for a, b in shape.open_edges:
        face = shape.sides[a, b]
        along = shape.points[b] - shape.points[a]
        length = float(np.linalg.norm(along))
        if length < 1e-12:
            continue
        outward = np.cross(along / length, shape.normal(face))
        wanted[a].append(outward)
        wanted[b].append(outward)
    moved = {}
    for i, normals in wanted.items():
        # where two edges nearly run on, their common outward is taken; a mitre would run away
        shift, *_ = np.linalg.lstsq(np.array(normals), np.full(len(normals), by), rcond=0.2)
        moved[i] = shape.points[i] + shift
    return shape.moved(moved)


class MeetEdges(Gesture):
    """Take the corners of a sheet's free edges that are near another proxy along their own lines
    of sight onto its surface, so that the two meet and nothing moves in the picture. px: how near,
    as pixels of the plate seen from aside."""

    verb: Literal["MeetEdges"] = "MeetEdges"
    proxy: Id
    other: Id
    px: Annotated[float, Field(gt=0, le=500)] = 12.0

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        if self.proxy == self.other:
            raise Refusal("A proxy meets another one. Choose a second.")
        solid = solid_named(scene, self.proxy, camera)
        other = the_one(scene.proxies, self.other, "proxy")
        shape = solid.shape
        moved = {}
        for i in sorted({i for edge in shape.open_edges for i in edge}):
            place = in_world(solid, shape.points[i])
            to = _met_near(other, camera, place, self.px)
            if to is not None:
                moved[i] = in_own(solid, to)
        if not moved:
            raise Refusal(f"No free edge of {solid.name} is so near to {other.name}.")
        return PutProxies(
            proxies=(solid.with_shape(shape.moved(moved)),),
            said=f"Let {solid.name} meet {other.name}"[:80],
        )


def _met_near(other: Proxy, camera: Camera, place: Floats, px: float) -> Floats | None:
    """Where the line of sight through a place meets another proxy near it, or None."""
    ray = place - camera.position
    far = float(np.linalg.norm(ray))
    reach = px * far / camera.focal_px
    corners, _, _ = joined([other.mesh(camera)])
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    towards = normals @ ray
    with np.errstate(divide="ignore", invalid="ignore"):
        at = ((corners[:, 0] - camera.position) * normals).sum(axis=1) / towards
    at = np.where(np.isfinite(at) & (at > 0), at, np.inf)
    off = np.abs(at - 1) * far
    for i in np.argsort(off):
        if off[i] > reach:
            break
        there: Floats = camera.position + at[i] * ray
        # near its plane is not enough: the surface itself is to be there, give or take as much
        if _from_triangle(there, corners[i]) <= reach:
            return there
    return None


def _from_triangle(place: Floats, triangle: Floats) -> float:
    """How far a place (3,) in a triangle's plane is from the triangle (3, 3), metres."""
    normal = np.cross(triangle[1] - triangle[0], triangle[2] - triangle[0])
    flat = axes_of(normal / max(float(np.linalg.norm(normal)), 1e-300))[:2]
    return float(Polygon(triangle @ flat.T).distance(Point(flat @ place)))
