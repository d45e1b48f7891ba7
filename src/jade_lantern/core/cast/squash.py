"""Squash: glazed proxies pressed together along the lens's depth, with the lens view as it was.

Depth is pressed in its inverse, 1 / z' = a + b / z, by which planes stay planes and straight edges
straight. Every corner stays on its line of sight, and takes its picture along by the ratio of its
depths, so that the lens sees the same picture at the same places.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..block.parts import in_own, in_world, solid_of
from ..camera import NEAREST, Camera, world_size
from ..mesh import joined
from ..proxy import Proxy, Solid
from ..refusal import Refusal
from ..render.see import see
from ..scene.edits import Edit, PutGlazed
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Glazed, Scene
from ..sight.measure import required_camera
from ..value import Id

LEAST_DEEP = 1e-4  # of the distance: what is less deep is flat already
LOOKED_AT = 480  # px wide: at so many places it is asked whether the lens sees something else


class Squash(Gesture):
    """Press glazed proxies together along the lens's depth, to so much of the depth that they have
    together; their nearest place stays where it is. proxies: all that are glazed where left
    out."""

    verb: Literal["Squash"] = "Squash"
    proxies: Annotated[tuple[Id, ...], Field(max_length=2000)] = ()
    to: Annotated[float, Field(ge=0.01, le=20)]

    def edit(self, scene: Scene) -> Edit:
        return squashed(scene, self)[0]


@dataclass(frozen=True)
class SquashEffect:
    """What a squash changes. near, far and far_after: metres before the lens. otherwise: share of
    the picture where the lens then sees another proxy than before."""

    near_m: float
    far_m: float
    far_after_m: float
    otherwise: float


def effect_of(scene: Scene, squash: Squash) -> SquashEffect:
    """What a squash would change; its depths, and where the lens would see something else.

    Raises Refusal where it cannot be done.
    """
    edit, near, far, after = squashed(scene, squash)
    camera = required_camera(scene)
    small = camera.at_width(LOOKED_AT)
    near_m = NEAREST * world_size(camera)
    new = {p.id: p for p in edit.proxies}
    owners = [
        see(joined([p.mesh(camera) for p in proxies if not p.hidden]), small, near_m).owner
        for proxies in (scene.proxies, tuple(new.get(p.id, p) for p in scene.proxies))
    ]
    return SquashEffect(near, far, after, float((owners[0] != owners[1]).mean()))


def squashed(scene: Scene, squash: Squash) -> tuple[PutGlazed, float, float, float]:
    """The edit, and the depths of the nearest and the farthest place, and of the farthest then."""
    camera = required_camera(scene)
    by_id = {one.id: one for one in scene.glazed}
    ids = squash.proxies or tuple(by_id)
    if not ids:
        raise Refusal("Nothing is glazed, so there is nothing to squash. Glaze a proxy first.")
    proxies = [the_one(scene.proxies, id, "proxy") for id in ids]
    bare = [p.name for p in proxies if p.id not in by_id]
    if bare:
        raise Refusal(f"{bare[0]} is not glazed, so its picture would not go along. Glaze it.")
    solids = [_solid(p, camera) for p in proxies]
    places = [in_world(s, np.array([c[1:] for c in s.corners])) for s in solids]
    depths = [(p - camera.position) @ camera.forward for p in places]
    near, far = min(d.min() for d in depths), max(d.max() for d in depths)
    if near <= NEAREST * world_size(camera):
        behind = next(p.name for p, d in zip(proxies, depths, strict=True) if d.min() == near)
        raise Refusal(f"{behind} reaches behind the lens, so it has no depth to squash.")
    if far - near < LEAST_DEEP * near:
        raise Refusal("These have no depth before the lens: they are as flat as can be.")
    after = near + squash.to * (far - near)
    slope = (1 / after - 1 / near) / (1 / far - 1 / near)
    new, glazed = [], []
    for solid, place, depth in zip(solids, places, depths, strict=True):
        ratio = 1 / (1 / near + slope * (1 / depth - 1 / near)) / depth
        moved = camera.position + (place - camera.position) * ratio[:, None]
        new.append(_put(solid, moved))
        glazed.append(_weighed(by_id[solid.id], solid, ratio))
    what = proxies[0].name if len(proxies) == 1 else f"{len(proxies)} proxies"
    said = f"Squash {what} to {100 * squash.to:.3g} % of their depth"
    edit = PutGlazed(proxies=tuple(new), glazed=tuple(glazed), said=said[:80])
    return edit, float(near), float(far), float(after)


def _solid(proxy: Proxy, camera: Camera) -> Solid:
    solid = solid_of(proxy, camera)
    if solid.mirror is not None or solid.row is not None:
        raise Refusal(f"{proxy.name} has live repeats. Break them off before it is squashed.")
    return solid


def _put(solid: Solid, places: Floats) -> Solid:
    """A solid with its corners at places (N, 3) in the world."""
    own = in_own(solid, places).tolist()
    corners = tuple((c[0], *p) for c, p in zip(solid.corners, own, strict=True))
    return solid.model_copy(update={"corners": corners})


def _weighed(glazed: Glazed, solid: Solid, ratio: Floats) -> Glazed:
    was = dict(glazed.weights)
    weights = tuple(
        (c[0], was.get(c[0], 1.0) * float(r)) for c, r in zip(solid.corners, ratio, strict=True)
    )
    return glazed.model_copy(update={"weights": weights})
