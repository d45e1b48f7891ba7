"""Proxies as meshes: what each kind is in the world."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..camera import Camera
from ..mesh import Mesh, mesh_of
from ..scene.model import Backdrop, Box, Card, Drum, Floor, Proxy, Scene, Stood

Array = NDArray[np.float64]

DRUM_SIDES = 48


@dataclass(frozen=True)
class Handle:
    """A place on a proxy that can be taken hold of. role: foot, corner-0.., top or turn."""

    role: str
    at: tuple[float, float, float]


def turn(proxy: Stood) -> Array:
    """(3, 3) the proxy's own axes to the world's: a turn about Up, anticlockwise from above."""
    a = np.radians(proxy.turn_deg)
    c, s = np.cos(a), np.sin(a)
    return np.array([[c, 0.0, s], [0.0, 1.0, 0.0], [-s, 0.0, c]])


def _stood(proxy: Stood, local: Array) -> Array:
    out: Array = local @ turn(proxy).T + [proxy.x, proxy.level_m, proxy.z]
    return out


def mesh(proxy: Proxy, camera: Camera) -> Mesh:
    """The proxy's surface. camera: the sighted one, which a backdrop faces."""
    if isinstance(proxy, Backdrop):
        m = proxy.margin
        w, h = float(camera.width), float(camera.height)
        frame = np.array(
            [[-m * w, h + m * h], [w + m * w, h + m * h], [w + m * w, -m * h], [-m * w, -m * h]]
        )
        return mesh_of(camera.position + camera.rays(frame) * proxy.distance_m, [(0, 1, 2, 3)])
    if isinstance(proxy, Drum):
        return _drum(proxy)
    w = proxy.width_m / 2
    if isinstance(proxy, Card):
        h = proxy.height_m
        return mesh_of(
            _stood(proxy, np.array([[-w, 0, 0], [w, 0, 0], [w, h, 0], [-w, h, 0.0]])),
            [(0, 1, 2, 3)],
        )
    d = proxy.depth_m / 2
    base = np.array([[-w, 0, d], [w, 0, d], [w, 0, -d], [-w, 0, -d]])
    if isinstance(proxy, Floor):
        return mesh_of(_stood(proxy, base), [(0, 1, 2, 3)])
    top = base + [0, proxy.height_m, 0]
    sides = [(0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7), (4, 5, 6, 7), (3, 2, 1, 0)]
    return mesh_of(_stood(proxy, np.concatenate([base, top])), sides)


def _drum(proxy: Drum) -> Mesh:
    angle = np.arange(DRUM_SIDES) * 2 * np.pi / DRUM_SIDES
    ring = proxy.radius_m * np.stack([np.cos(angle), 0 * angle, -np.sin(angle)], axis=1)
    lift = np.array([0, proxy.height_m, 0])
    points = _stood(proxy, np.concatenate([ring, ring + lift, [lift * 0, lift]]))
    tris, faces = [], []
    n = DRUM_SIDES
    for i in range(n):
        j = (i + 1) % n
        tris += [(i, j, n + j), (i, n + j, n + i), (2 * n + 1, n + i, n + j), (2 * n, j, i)]
        faces += [0, 0, 1, 2]
    return Mesh(points, np.array(tris, np.int32), np.array(faces, np.int32))


def meshes(scene: Scene, camera: Camera) -> list[Mesh]:
    """The meshes of all proxies that are not hidden, in the scene's order."""
    return [mesh(p, camera) for p in scene.proxies if not p.hidden]


def base_corners(proxy: Card | Box | Floor) -> Array:
    """(2, 3) or (4, 3): the ends of a card's foot, or the corners of a base, in handle order."""
    w = proxy.width_m / 2
    if isinstance(proxy, Card):
        return _stood(proxy, np.array([[-w, 0, 0], [w, 0, 0.0]]))
    d = proxy.depth_m / 2
    return _stood(proxy, np.array([[-w, 0, d], [w, 0, d], [w, 0, -d], [-w, 0, -d]]))


def handles(proxy: Proxy) -> list[Handle]:
    """Where a proxy can be taken hold of."""
    if isinstance(proxy, Backdrop):
        return []
    out = [Handle("foot", (proxy.x, proxy.level_m, proxy.z))]
    if isinstance(proxy, Drum):
        rim = _stood(proxy, np.array([[proxy.radius_m, 0, 0.0]]))[0]
        out.append(Handle("corner-0", _point(rim)))
    else:
        out += [Handle(f"corner-{i}", _point(p)) for i, p in enumerate(base_corners(proxy))]
        reach = proxy.width_m / 2 + 0.25 * min(proxy.width_m, 2.0)
        out.append(Handle("turn", _point(_stood(proxy, np.array([[reach, 0, 0.0]]))[0])))
    if not isinstance(proxy, Floor):
        out.append(Handle("top", (proxy.x, proxy.level_m + proxy.height_m, proxy.z)))
    return out


def _point(p: Array) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])
