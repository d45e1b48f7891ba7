"""Closing cracks: a sheet's free edges run some pixels over."""

from __future__ import annotations

from collections import defaultdict
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..proxy import Backdrop, Card, Floor, Outline
from ..refusal import Refusal
from ..scene.edits import Edit, PutProxies, altered
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..solid.shape import Shape
from ..value import Id
from .parts import solid_of
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
