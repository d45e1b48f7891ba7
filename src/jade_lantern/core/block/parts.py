"""A proxy's faces, edges and corners: which one is meant, where it is, and the solid it is on."""

from __future__ import annotations

from typing import Annotated, Self

import numpy as np
from pydantic import Field, model_validator

from ..arrays import Floats
from ..camera import Camera
from ..pick import Pick, ray_of
from ..proxy import Kind, Solid, Stood
from ..refusal import Refusal
from ..scene.edits.edit import the_one
from ..scene.model import Scene
from ..solid.shape import Shape, taken_apart
from ..value import Value

Ordinal = Annotated[int, Field(ge=1)]


class Part(Value):
    """One of these: a face, an edge (the numbers of its two corners), or a corner."""

    face: Ordinal | None = None
    edge: tuple[Ordinal, Ordinal] | None = None
    corner: Ordinal | None = None

    @model_validator(mode="after")
    def _one(self) -> Self:
        if sum(v is not None for v in (self.face, self.edge, self.corner)) != 1:
            raise ValueError("say one of a face, an edge and a corner")
        return self

    @property
    def called(self) -> str:
        return "a face" if self.face else "an edge" if self.edge else "a corner"

    def corners(self, shape: Shape) -> list[int]:
        """The numbers of its corners. Raises Refusal where it is not there."""
        if self.face is not None:
            return sorted({i for loop in shape.loops_of(self.face) for i in loop})
        wanted = list(self.edge) if self.edge else [self.corner or 0]
        if any(i not in shape.points for i in wanted):
            raise Refusal("This part is not there any more. Choose another one.")
        return wanted


def solid_of(proxy: Kind, camera: Camera) -> Solid:
    """A proxy as a solid: itself where it is one, else with the faces that its numbers give it.

    Raises Refusal for what hangs before the lens.
    """
    if isinstance(proxy, Solid):
        return proxy
    if not isinstance(proxy, Stood):
        raise Refusal(f"A {proxy.kind} hangs before the lens, so it has no faces to work on.")
    shape, _ = taken_apart(proxy.own_mesh(camera))
    turn, place = proxy.frame()
    upright, foot = proxy.upright()
    rows, faces = Shape(
        {i: (turn @ p + place - foot) @ upright for i, p in shape.points.items()}, shape.faces
    ).rows()
    kept = {n: getattr(proxy, n) for n in Stood.model_fields}
    kept.update(lean_deg=0.0, roll_deg=0.0)  # they are in its points now
    return Solid(**{**kept, "kind": "solid"}, corners=rows, faces=faces)


def solid_named(scene: Scene, id: str, camera: Camera) -> Solid:
    """The proxy with an id, as a solid. Raises Refusal where it is not there or has no faces."""
    return solid_of(the_one(scene.proxies, id, "proxy"), camera)


def face_at(proxy: Kind, camera: Camera, triangle: int) -> int:
    """The face that a triangle of a proxy's mesh belongs to, itself or on one of its repeats."""
    mesh = proxy.own_mesh(camera)
    i = triangle % len(mesh.triangles)
    if isinstance(proxy, Solid):
        return proxy.faces[int(mesh.faces[i])][0]
    return taken_apart(mesh)[1][i]


def in_world(solid: Solid, points: Floats) -> Floats:
    """Places (..., 3) in a solid's own frame, in the world."""
    turn, place = solid.frame()
    out: Floats = points @ turn.T + place
    return out


def in_own(solid: Solid, points: Floats) -> Floats:
    """Places (..., 3) in the world, in a solid's own frame."""
    turn, place = solid.frame()
    out: Floats = (points - place) @ turn
    return out


def plane_of(solid: Solid, face: int) -> tuple[Floats, Floats]:
    """A place (3,) on a face's plane and its unit normal (3,), in the world."""
    turn, _ = solid.frame()
    on = solid.shape.points[solid.shape.loops_of(face)[0][0]]
    return in_world(solid, on), turn @ solid.shape.normal(face)


def met(camera: Camera, pick: Pick, place: Floats, normal: Floats) -> Floats:
    """Where a picked place's ray meets a plane, (3,) in the world. Raises Refusal where it never
    does."""
    origin, ray = ray_of(camera, pick)
    towards = float(ray @ normal)
    far = float((place - origin) @ normal)
    if abs(towards) < 1e-9 * float(np.linalg.norm(ray)) or far / towards <= 0:
        raise Refusal("This place does not lie on the face: it is seen edge on from there.")
    out: Floats = origin + ray * (far / towards)
    return out


def nearest_on_line(camera: Camera, pick: Pick, place: Floats, along: Floats) -> Floats:
    """The place (3,) on a line that is nearest to a picked place's ray. Raises Refusal where the
    line runs along the ray."""
    origin, ray = ray_of(camera, pick)
    ray, along = ray / np.linalg.norm(ray), along / np.linalg.norm(along)
    cross = float(ray @ along)
    if 1 - cross * cross < 1e-8:
        raise Refusal("From here this direction runs straight towards you: pull in the walk view.")
    w = place - origin
    t = (cross * float(ray @ w) - float(along @ w)) / (1 - cross * cross)
    out: Floats = place + t * along
    return out
