"""What follows from a scene and is drawn: derived, never stored. Told like the scene itself: what
is otherwise than before, and what is gone."""

from __future__ import annotations

import numpy as np
from ninja import Schema

from ..core.block.labels import value_of
from ..core.block.miss import Misses, misses_under
from ..core.camera import Camera
from ..core.move.path import shot_cameras
from ..core.proxy import Proxy
from ..core.refusal import Refusal
from ..core.scene.difference import same
from ..core.scene.model import Scene
from ..core.sight.measure import camera_of
from ..core.sight.reading import Reading, reading
from . import arrays


class HandleShown(Schema):
    """A place on a proxy that can be taken hold of, in the proxy's own frame."""

    role: str
    at: tuple[float, float, float]


class Shape(Schema):
    """A proxy's surface. frame: three rows of x, y, z and place, which take the proxy's own frame
    to the world."""

    id: str
    frame: list[float]
    mesh: arrays.MeshArrays
    handles: list[HandleShown]


class KeptReading(Schema):
    """What a sighting that was put by comes to."""

    id: str
    reading: Reading


class LabelRead(Schema):
    """What a label reads: metres, degrees or square metres."""

    id: str
    value: float


class Follows(Schema):
    """None where it is as it was before; of what there are many, only what is otherwise."""

    reading: Reading | None = None
    misses: Misses | None = None
    kept: list[KeptReading] | None = None
    shapes: list[Shape] | None = None
    shot: arrays.ShotArrays | None = None
    labels: list[LabelRead] | None = None

    def digests(self) -> set[str]:
        """Of all arrays that are named here."""
        out = {shape.mesh.digest for shape in self.shapes or ()}
        return out if self.shot is None else out | {self.shot.digest}


def follows(before: Scene | None, after: Scene) -> tuple[Follows, list[str]]:
    """What follows from a scene otherwise than from the one before it, and the names of what does
    not follow any more: misses, shapes (all of them), shot."""
    out, gone = Follows(), []
    sighted = before is None or not _same(before, after, "sighting", "plate")
    if sighted:
        out.reading = reading(after)
    if before is None or not _same(before, after, "sighting", "plate", "built_on", "proxies"):
        out.misses = misses_under(after)
        if out.misses is None and before is not None and before.built_on is not None:
            gone.append("misses")
    out.kept = _kept_readings(before, after) or None

    if before is None or not same(after.labels, before.labels):
        out.labels = [LabelRead(id=label.id, value=value_of(label)) for label in after.labels]

    was, now = _camera(before) if before is not None else None, _camera(after)
    if now is None:
        return out, [*gone, "shapes", "shot"] if was is not None else gone
    if was is None:
        out.shapes = [_shape(p, now) for p in after.proxies]
    elif sighted or before is None or before.proxies is not after.proxies:
        old = {p.id: p for p in before.proxies} if before is not None else {}
        out.shapes = [
            _shape(p, now) for p in after.proxies
            if not same(p, old.get(p.id)) or (sighted and not p.stands)
        ] or None  # fmt: skip
    if was is None or sighted or before is None or not same(after.move, before.move):
        frames = np.arange(after.move.frames, dtype=float)
        out.shot = arrays.of_shot(shot_cameras(after, frames, now))
    return out, gone


def _same(before: Scene, after: Scene, *names: str) -> bool:
    return all(same(getattr(after, n), getattr(before, n)) for n in names)


def _camera(scene: Scene) -> Camera | None:
    try:
        return camera_of(scene)
    except Refusal:
        return None


def _kept_readings(before: Scene | None, after: Scene) -> list[KeptReading]:
    old = {k.id: k for k in before.kept_sightings} if before is not None else {}
    moved = before is not None and not same(after.plate, before.plate)
    return [
        KeptReading(
            id=kept.id, reading=reading(after.model_copy(update={"sighting": kept.sighting}))
        )
        for kept in after.kept_sightings
        if moved or not same(kept, old.get(kept.id))
    ]


def _shape(proxy: Proxy, camera: Camera) -> Shape:
    turn, place = proxy.frame()
    return Shape.model_construct(
        id=proxy.id,
        frame=np.column_stack([turn, place]).ravel().tolist(),
        mesh=arrays.of_mesh(proxy.full_mesh(camera)),
        handles=[HandleShown.model_construct(role=h.role, at=h.at) for h in proxy.handles()],
    )
