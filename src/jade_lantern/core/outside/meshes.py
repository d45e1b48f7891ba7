"""The meshes of GLB, OBJ and USD files, as plain arrays in one frame with +Y up."""

from __future__ import annotations

import io
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..refusal import Refusal
from .glb import document_of

MOST_TRIANGLES = 60_000
MOST_POINTS = 400_000
MOST_MESHES = 1000


class NamedMesh(NamedTuple):
    """points: (N, 3). triangles: (M, 3) indices of them."""

    name: str
    points: NDArray[np.float64]
    triangles: NDArray[np.int64]


class Blocking(NamedTuple):
    """unit_m: what one of the file's units is, metres."""

    parts: list[NamedMesh]
    unit_m: float


def read_meshes(data: bytes, kind: str, name: str) -> Blocking:
    """A file's meshes. kind: glb, obj, usd, usda, usdc or usdz. name: the file's, for words.

    Raises Refusal for a file that is broken or too large. Triangles are counted before they are
    laid out.
    """
    if kind in ("usd", "usda", "usdc", "usdz"):
        from .usd import read_usd  # its library takes a while to load

        found, unit = read_usd(data, kind, name, MOST_MESHES, MOST_TRIANGLES)
        return Blocking(_counted((NamedMesh(*one) for one in found), name), unit)
    if kind == "glb":
        document_of(data)
    return Blocking(_counted(_by_trimesh(data, kind, name), name), 1.0)


def _by_trimesh(data: bytes, kind: str, name: str) -> Iterable[NamedMesh]:
    import trimesh  # takes a while to load

    more = {"split_objects": True, "group_material": False} if kind == "obj" else {}
    loaded = trimesh.load_scene(
        io.BytesIO(data), file_type=kind, process=False, skip_materials=True, **more
    )
    where: dict[str, list[str]] = loaded.graph.geometry_nodes
    pairs = [(node, key) for key in loaded.geometry for node in where.get(key, ())]
    if kind == "obj":  # which are read in no order in particular
        lines = data.decode("utf-8", "replace").splitlines()
        order = {line[2:].strip(): i for i, line in enumerate(lines) if line.startswith("o ")}
        pairs.sort(key=lambda pair: order.get(str(pair[0]), len(order)))
    meshes = {k: m for k, m in loaded.geometry.items() if isinstance(m, trimesh.Trimesh)}
    pairs = [(node, key) for node, key in pairs if key in meshes]
    _check_count(name, len(pairs), sum(len(meshes[key].faces) for _, key in pairs))
    for node, key in pairs:
        mesh = meshes[key]
        turn, _ = loaded.graph[node]
        points = np.asarray(mesh.vertices, float) @ turn[:3, :3].T + turn[:3, 3]
        triangles = np.asarray(mesh.faces)
        if np.linalg.det(turn[:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        yield NamedMesh(str(node), points, triangles)


def _counted(parts: Iterable[NamedMesh], name: str) -> list[NamedMesh]:
    """The parts, as long as there are not too many and each triangle has its points."""
    out: list[NamedMesh] = []
    points = triangles = 0
    for part in parts:
        out.append(part)
        points, triangles = points + len(part.points), triangles + len(part.triangles)
        _check_count(name, len(out), triangles)
        if points > MOST_POINTS:
            raise Refusal(f"{name} has more than {MOST_POINTS:,} points. Make it simpler there.")
        low, high = part.triangles.min(initial=0), part.triangles.max(initial=-1)
        if low < 0 or high >= len(part.points):
            raise Refusal(f"{name} is broken: a triangle names a point that is not there.")
    return out


def _check_count(name: str, meshes: int, triangles: int) -> None:
    if triangles > MOST_TRIANGLES or meshes > MOST_MESHES:
        raise Refusal(
            f"{name} has {triangles:,} triangles in {meshes:,} meshes; up to {MOST_TRIANGLES:,} in "
            f"{MOST_MESHES:,} are brought in. A blocking is simple: make it simpler there."
        )
