"""Changing a distance while the place in the picture stays."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera
from ..proxy import Kind, Similarity, Stood
from ..refusal import Refusal
from ..scene.edits import Edit, PutProxies, altered
from ..scene.edits.edit import the_one
from ..scene.gesture import Gesture
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..value import Id, Length
from .parts import Ordinal, Part, in_own, in_world, plane_of, solid_named, solid_of
from .under import nearest_along

CATCH = 0.03  # relative distance within which a reach snaps to another proxy's surface


class Reach(Gesture):
    """Change the distance of a proxy, or of a face, edge or corner of it, while its place in the
    picture stays: it grows and shrinks about the lens. by: how many times as far; to_m: how far
    its foot, what hangs, or the part's middle is to be from the lens; onto: until it lies on the
    plane of another proxy's face (face: which one; the one that its own line of sight meets where
    it is left out). catch: it comes to rest on what it comes near to."""

    verb: Literal["Reach"] = "Reach"
    proxy: Id
    part: Part | None = None
    by: Annotated[float, Field(gt=0.001, lt=1000)] | None = None
    to_m: Length | None = None
    onto: Id | None = None
    face: Ordinal | None = None
    catch: bool = False

    def edit(self, scene: Scene) -> Edit:
        camera = required_camera(scene)
        proxy = the_one(scene.proxies, self.proxy, "proxy")
        if self.part is not None:
            return self._part(scene, camera)
        by = self.by
        if self.to_m is not None:
            by = self.to_m / distance_of(proxy, camera)
        if self.onto is not None:
            if not isinstance(proxy, Stood):
                raise Refusal(f"A {proxy.kind} hangs before the lens; give its distance instead.")
            by = float(self._onto(scene, camera, proxy.foot[None])[0])
        if by is None:
            raise Refusal("Say how far: by how many times, or to what distance.")
        if self.catch and isinstance(proxy, Stood):
            by = caught(scene, camera, proxy.id, proxy.foot, by)
        x, y, z = camera.position * (1 - by)
        new = proxy.carried(Similarity(by, (float(x), float(y), float(z))))
        changed = {
            n: getattr(new, n) for n in type(new).model_fields
            if getattr(new, n) != getattr(proxy, n)
        }  # fmt: skip
        if not changed:
            raise Refusal("It is as far away as that already.")
        return altered(proxy.id, **changed)

    def _part(self, scene: Scene, camera: Camera) -> Edit:
        """Each of the part's corners along its own line of sight."""
        solid = solid_named(scene, self.proxy, camera)
        part = self.part or Part(corner=1)
        ids = part.corners(solid.shape)
        places = in_world(solid, solid.shape.at(ids))
        middle = places.mean(axis=0)
        if self.onto is not None:
            by = self._onto(scene, camera, places)
        else:
            one = self.by
            if self.to_m is not None:
                one = self.to_m / float(np.linalg.norm(middle - camera.position))
            if one is None:
                raise Refusal("Say how far: by how many times, or to what distance.")
            if self.catch:
                one = caught(scene, camera, solid.id, middle, one)
            by = np.full(len(places), one)
        moved = camera.position + by[:, None] * (places - camera.position)
        own = dict(zip(ids, in_own(solid, moved), strict=True))
        new = solid.with_shape(solid.shape.moved(own))
        return PutProxies(proxies=(new,), said=f"Reach {part.called} of {solid.name}"[:80])

    def _onto(self, scene: Scene, camera: Camera, places: Floats) -> Floats:
        """(N,) how many times as far each place (N, 3) is to be to lie on the other's plane."""
        if self.onto == self.proxy:
            raise Refusal("A proxy cannot be reached onto itself. Choose another one.")
        other = solid_of(the_one(scene.proxies, self.onto or "", "proxy"), camera)
        rays = places - camera.position
        face = self.face or _met_first(scene, camera, other.id, rays.mean(axis=0))
        if face is None:
            face = other.faces[0][0]
        on, normal = plane_of(other, face)
        towards = rays @ normal
        far = float((on - camera.position) @ normal)
        if (np.abs(towards) < 1e-9).any() or (far / towards <= 1e-3).any():
            raise Refusal("From the lens this never meets that plane. Choose another face.")
        out: Floats = far / towards
        return out


def _met_first(scene: Scene, camera: Camera, id: str, ray: Floats) -> int | None:
    """The face of a proxy that a ray from the lens meets first."""
    only = tuple(p for p in scene.proxies if p.id == id)
    hit = nearest_along(only, camera, camera.position, ray)
    return None if hit is None else hit.face


def caught(scene: Scene, camera: Camera, id: str, place: Floats, by: float) -> float:
    """A factor of reach, or the one near it that puts a place (3,) on another proxy's surface."""
    others = tuple(p for p in scene.proxies if p.id != id and not p.hidden)
    ray = place - camera.position
    hit = nearest_along(others, camera, camera.position, ray, beyond=(1 - CATCH) * by)
    if hit is None:
        return by
    there = hit.distance / float(np.linalg.norm(ray))
    return there if abs(there - by) <= CATCH * by else by


def distance_of(proxy: Kind, camera: Camera) -> float:
    """How far a proxy is from the lens: its foot, or what hangs."""
    if isinstance(proxy, Stood):
        return float(np.linalg.norm(proxy.foot - camera.position))
    return float(proxy.lengths()["distance_m"])
