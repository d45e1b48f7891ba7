"""Proxies as textured meshes: each part with the plate of the first lantern that it takes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ..arrays import Floats
from ..camera import Camera
from ..cast.ofscene import dark, plate_camera, plate_of, targets
from ..mesh import Mesh
from ..proxy import Proxy
from ..refusal import Refusal
from ..render.land import Target
from ..scene.model import Lantern, Scene
from .cut import Textured, cut

# A lantern with the camera that its plate is thrown from, and what it reaches; None where no
# picture does.
Skin = tuple[tuple[Lantern, Camera] | None, Textured]


def skins(scene: Scene, sighted: Camera, shown: list[Proxy]) -> Iterator[tuple[Proxy, list[Skin]]]:
    """Each proxy that is shown with its textured parts. A texture is one picture, so what a second
    lantern shows through the first one's alpha is not in it.

    Raises Refusal for a proxy that comes too close to a lantern.
    """
    of: dict[int, list[Target]] = {}
    for target in targets(scene, sighted):
        of.setdefault(target.proxy, []).append(target)
    for i, proxy in enumerate(shown):
        parts: list[Skin] = []
        for target in of.get(i, []):
            lit = [scene.lanterns[k] for k in target.lanterns]
            lantern = next((one for one in lit if one.strength > 0 and not dark(one)), None)
            parts += _skinned(scene, proxy, target, lantern, sighted)
        yield proxy, parts


def _skinned(
    scene: Scene, proxy: Proxy, target: Target, lantern: Lantern | None, sighted: Camera
) -> list[Skin]:
    mesh = target.mesh
    if lantern is None:
        return [(None, Textured(mesh.points, mesh.triangles, np.zeros((len(mesh.points), 2))))]
    plate = plate_of(scene, lantern)
    camera = plate_camera(lantern, sighted).resized(plate.width, plate.height)
    cast_on = mesh
    if target.rest is not None:
        rest = target.rest[:, :3] / target.rest[:, 3:]
        cast_on = Mesh(rest, mesh.triangles, mesh.faces)
    try:
        reached, bare = cut(cast_on, camera)
    except ValueError as error:
        raise Refusal(
            f"{proxy.name} comes too close to the lens to be cut finely enough. Make it "
            "smaller, or move it away from the camera."
        ) from error
    if target.rest is not None:
        reached, bare = (_moved(part, target.rest, mesh) for part in (reached, bare))
    return [((lantern, camera), reached), (None, bare)]


def _moved(part: Textured, rest: Floats, mesh: Mesh) -> Textured:
    """What was cut of a glazed mesh at rest, where the mesh is now."""
    return replace(part, points=moved_along(part.points, rest, mesh))


def moved_along(points: Floats, rest: Floats, mesh: Mesh) -> Floats:
    """(N, 3) where places (N, 3) on a glazed mesh at rest are now. rest: (P, 4) of its points."""
    was = (rest[:, :3] / rest[:, 3:])[mesh.triangles]
    now, weight = mesh.points[mesh.triangles], rest[:, 3][mesh.triangles]
    out, least = points.copy(), np.full(len(points), np.inf)
    for a, new, w in zip(was, now, weight, strict=True):
        across, along = a[1] - a[0], a[2] - a[0]
        normal = np.cross(across, along)
        area = float(normal @ normal)
        if area <= 0:
            continue
        off = points - a[0]
        share = np.stack([
            np.cross(off, along) @ normal / area, np.cross(across, off) @ normal / area
        ], axis=1)  # fmt: skip
        share = np.column_stack([1 - share.sum(axis=1), share])
        # how far outside the triangle a place lies, and off its plane
        miss = np.maximum(-share.min(axis=1), 0) * np.sqrt(np.sqrt(area))
        miss = miss + np.abs(off @ normal) / np.sqrt(area)
        nearer = miss < least
        least[nearer] = miss[nearer]
        # the same place has shares times weights now that were shares at rest
        there = share[nearer] / w
        out[nearer] = there @ new / there.sum(axis=1, keepdims=True)
    return out
