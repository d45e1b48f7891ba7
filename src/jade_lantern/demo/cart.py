"""A lantern-maker's cart, as a GLB: our own model, made of boxes, wheels and paper lanterns."""

from __future__ import annotations

from typing import Any

import numpy as np
import trimesh
from PIL import Image
from trimesh.visual.material import PBRMaterial

from ..core.arrays import Bytes, Floats

HEIGHT_M = 2.05
_Parts = list[trimesh.Trimesh]
PAPERS = ((0.98, 0.62, 0.30), (0.95, 0.36, 0.24), (0.99, 0.80, 0.42), (0.45, 0.78, 0.66))


def cart() -> bytes:
    """The file's bytes, always the same."""
    wood, cloth = _wood(), _stripes()
    parts: _Parts = []
    for y, high in ((0.62, 0.08), (0.80, 0.28)):  # the bed, and its sides
        parts.append(_box((1.5, high, 0.8), (0, y, 0), wood))
    parts.append(_box((1.38, 0.06, 0.68), (0, 0.945, 0), _dark(wood)))
    for x in (-0.68, 0.68):
        for z in (-0.34, 0.34):
            parts.append(_box((0.06, 1.0, 0.06), (x, 1.4, z), wood))
        parts += _wheel(x * 0.74)
    parts += _roof(cloth)
    for x, z, k in (
        (-0.5, 0.38, 0),
        (-0.1, 0.4, 1),
        (0.35, 0.38, 2),
        (0.62, 0.1, 3),
        (0.1, -0.38, 2),
    ):
        parts += _lantern(np.array([x, 1.5 - 0.07 * (k % 2), z]), PAPERS[k])
    for x, k in ((-0.4, 3), (0.05, 0), (0.42, 1)):  # wares on the bed
        parts += _lantern(np.array([x, 1.13, 0.05 * k - 0.08]), PAPERS[k], hung=False)
    for z in (-0.28, 0.28):  # the shafts that it is drawn by
        parts.append(_box((0.9, 0.05, 0.05), (1.15, 0.66, z), wood))
    data = trimesh.Scene(parts).export(file_type="glb")
    assert isinstance(data, bytes)  # as it is for a GLB
    return data


def _box(
    size: tuple[float, float, float], at: tuple[float, float, float], own: Bytes
) -> trimesh.Trimesh:
    """A box whose faces show a picture, each at its own scale."""
    w, h, d = (n / 2 for n in size)
    points: list[Floats] = []
    uv: list[tuple[Any, Any]] = []
    faces = []
    sides = (
        ((w, 0, 0), (0, 0, -d), (0, h, 0)), ((-w, 0, 0), (0, 0, d), (0, h, 0)),
        ((0, 0, d), (w, 0, 0), (0, h, 0)), ((0, 0, -d), (-w, 0, 0), (0, h, 0)),
        ((0, h, 0), (w, 0, 0), (0, 0, -d)), ((0, -h, 0), (w, 0, 0), (0, 0, d)),
    )  # fmt: skip
    for middle, u, v in (np.array(s, float) for s in sides):
        begin = len(points)
        points += [middle - u - v, middle + u - v, middle + u + v, middle - u + v]
        wide, high = 2 * np.linalg.norm(u), 2 * np.linalg.norm(v)
        uv += [(0, 0), (wide, 0), (wide, high), (0, high)]
        faces += [(begin, begin + 1, begin + 2), (begin, begin + 2, begin + 3)]
    mesh = trimesh.Trimesh(np.array(points) + at, faces, process=False)
    mesh.visual = trimesh.visual.TextureVisuals(uv=np.array(uv), material=_pictured(own))
    return mesh


def _wheel(x: float) -> _Parts:
    """Two wheels on one axle across, with spokes."""
    out = []
    for z in (-0.46, 0.46):
        rim = trimesh.creation.torus(0.42, 0.035, major_sections=40, minor_sections=8)
        out.append(_plain(rim, (0.22, 0.14, 0.10), (x, 0.455, z)))
        for k in range(4):
            spoke = trimesh.creation.box((0.82, 0.035, 0.03))
            spoke.apply_transform(_about_z(k * np.pi / 4))
            out.append(_plain(spoke, (0.30, 0.19, 0.12), (x, 0.455, z)))
        hub = trimesh.creation.cylinder(0.07, 0.1, sections=20)
        out.append(_plain(hub, (0.22, 0.14, 0.10), (x, 0.455, z)))
    return out


def _about_z(angle: float) -> Floats:
    return np.asarray(trimesh.transformations.rotation_matrix(angle, [0, 0, 1]), float)


def _roof(cloth: Bytes) -> _Parts:
    """An awning of striped cloth, bent over the posts, with a hem."""
    steps = 17
    t = np.linspace(-1, 1, steps)
    z, y = 0.52 * t, 1.86 + 0.18 * np.cos(0.5 * np.pi * t)
    points, uv, faces = [], [], []
    for x, u in ((-0.85, 0.0), (0.85, 1.7)):
        points += [(x, b, a) for a, b in zip(z, y, strict=True)]
        uv += [(u, 0.5 + 0.5 * a) for a in t]
    for i in range(steps - 1):
        a, b = i, steps + i
        faces += [(a, a + 1, b + 1), (a, b + 1, b)]
    top = trimesh.Trimesh(points, faces, process=False)
    top.visual = trimesh.visual.TextureVisuals(uv=np.array(uv), material=_pictured(cloth))
    hems = [_box((1.7, 0.14, 0.012), (0, 1.80, side), cloth) for side in (-0.52, 0.52)]
    return [top, *hems]


def _lantern(at: Floats, colour: tuple[float, float, float], hung: bool = True) -> _Parts:
    # paper over hoops: a ball that is drawn in between them
    along = np.linspace(-0.5 * np.pi, 0.5 * np.pi, 49)
    wide = 0.13 * np.cos(along) * (0.97 + 0.03 * np.cos(12 * along))
    ball = trimesh.creation.revolve(
        np.column_stack([wide.clip(1e-4), 0.15 * np.sin(along)]), sections=40
    )
    ball.apply_transform(trimesh.transformations.rotation_matrix(-np.pi / 2, [1, 0, 0]))
    out = [_plain(ball, colour, at)]
    for side in (-1, 1):
        cap = trimesh.creation.cylinder(0.06, 0.03, sections=20)
        cap.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0]))
        out.append(_plain(cap, (0.12, 0.09, 0.10), at + [0, side * 0.15, 0]))
    if hung:
        out.append(
            _plain(trimesh.creation.box((0.008, 0.3, 0.008)), (0.1, 0.1, 0.1), at + [0, 0.3, 0])
        )
    return out


def _plain(
    mesh: trimesh.Trimesh, colour: tuple[float, float, float], at: object
) -> trimesh.Trimesh:
    """In a colour, given in the picture's numbers."""
    encoded = np.array(colour)
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
    mesh.apply_translation(np.asarray(at, float))
    mesh.visual = trimesh.visual.TextureVisuals(
        material=PBRMaterial(baseColorFactor=[*linear.tolist(), 1.0], metallicFactor=0.0)
    )
    return mesh


def _pictured(picture: Bytes) -> PBRMaterial:
    return PBRMaterial(baseColorTexture=Image.fromarray(picture), metallicFactor=0.0)


def _wood() -> Bytes:
    """(256, 256, 3) planks, a metre each way."""
    rng = np.random.default_rng(31)
    y, x = np.mgrid[0:256, 0:256]
    plank = y // 43
    tone = rng.uniform(0.8, 1.1, 7)[plank]
    grain = sum(
        np.sin(x / w + rng.uniform(0, 6) + 3 * plank + 0.6 * np.sin(y / 7 + w)) * 0.03
        for w in (5.0, 11.0, 23.0, 47.0)
    )
    seam = np.where(y % 43 < 2, 0.45, 1.0)
    colour = np.array([126, 74, 46])[None, None] * (tone + grain)[..., None] * seam[..., None]
    return np.asarray(colour.clip(0, 255), np.uint8)


def _dark(picture: Bytes) -> Bytes:
    return np.asarray(picture * 0.6, np.uint8)


def _stripes() -> Bytes:
    """(64, 256, 3) cloth of two colours."""
    x = np.arange(256)
    red = (x // 32) % 2 == 0
    row = np.where(red[:, None], [168, 52, 44], [232, 208, 170])
    return np.asarray(np.broadcast_to(row, (64, 256, 3)), np.uint8).copy()
