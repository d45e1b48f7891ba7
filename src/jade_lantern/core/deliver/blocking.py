"""A blocking in and out: proxies as GLB, OBJ or USD, without their pictures."""

from __future__ import annotations

import io
import re
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import numpy as np
import trimesh
from pxr import Tf, Usd, UsdGeom

from ..arrays import Floats
from ..camera import world_size
from ..mesh import Mesh
from ..proxy import Proxy, Solid
from ..refusal import Refusal
from ..scene.edits import AddProxies
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..solid.shape import Shape, shape_of_mesh
from .gltf import exported_proxies

Kind = Literal["glb", "obj", "usda", "usdc"]
KINDS: tuple[Kind, ...] = ("glb", "obj", "usda", "usdc")
MOST_BYTES = 300 << 20
MOST_TRIANGLES = 60_000
MOST_MESHES = 1000
# of the world's size: what is farther across, or smaller, is not in metres
LARGEST, SMALLEST = 5000.0, 0.005

Part = tuple[str, Floats, np.ndarray]  # name, points (N, 3), triangles (M, 3)


def brought(data: bytes, name: str, scene: Scene, unit_m: float | None = None) -> AddProxies:
    """The edit that brings a file's meshes in as solids. name: the file's, by whose ending it is
    read. unit_m: what one of its units is, metres; what the file says, or a metre, where it is
    left out.

    Raises Refusal for a file that is broken, too large, or plainly not in metres.
    """
    camera = required_camera(scene)
    kind = Path(name).suffix.lower().lstrip(".")
    if len(data) > MOST_BYTES:
        raise Refusal(f"{name} is larger than {MOST_BYTES >> 20} MB. Bring in a simpler blocking.")
    parts, unit = _read(data, kind, name)
    scale = unit_m if unit_m is not None else unit
    count = sum(len(t) for _, _, t in parts)
    if not count:
        raise Refusal(f"There is no surface in {name}, so nothing was brought in.")
    if count > MOST_TRIANGLES or len(parts) > MOST_MESHES:
        raise Refusal(
            f"{name} has {count:,} triangles in {len(parts):,} meshes; up to {MOST_TRIANGLES:,} in "
            f"{MOST_MESHES:,} are brought in. A blocking is simple: make it simpler there."
        )
    every = np.concatenate([p for _, p, _ in parts]) * scale
    if not np.isfinite(every).all():
        raise Refusal(f"{name} is broken: some of its points are no numbers.")
    across = float(np.ptp(every, axis=0).max())
    size = world_size(camera)
    if not SMALLEST * size <= across <= LARGEST * size:
        raise Refusal(
            f"{name} is {across:.3g} m across, which cannot be here. It is not in metres: say what "
            "one of its units is, for example 0.01 for centimetres."
        )
    return AddProxies(proxies=tuple(_solid(n, p * scale, t) for n, p, t in parts), said="Bring in")


def _solid(name: str, points: Floats, triangles: np.ndarray) -> Solid:
    shape = shape_of_mesh(Mesh(points, triangles.astype(np.int32), np.zeros(len(triangles), int)))
    if not shape.faces:
        raise Refusal(f"{name} has no area, so nothing was brought in.")
    places = shape.at(shape.points)
    low, high = places.min(axis=0), places.max(axis=0)
    foot = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
    corners, faces = Shape({i: p - foot for i, p in shape.points.items()}, shape.faces).rows()
    x, y, z = (float(v) for v in foot)
    return Solid(id="solid-0", name=_plain(name), x=x, level_m=y, z=z, corners=corners, faces=faces)


def _plain(name: str) -> str:
    words = "".join(c if c.isprintable() else " " for c in name).strip()
    return words[:80] or "solid"


def _read(data: bytes, kind: str, name: str) -> tuple[list[Part], float]:
    """A file's meshes in one frame with +Y up, and what one of its units is, metres."""
    try:
        if kind in ("usd", "usda", "usdc", "usdz"):
            return _usd(data, kind)
        if kind in ("glb", "gltf", "obj"):
            return _meshes(data, "glb" if kind != "obj" else "obj"), 1.0
    except Refusal:
        raise
    except Exception as error:  # whatever a reader meets in a broken file
        raise Refusal(f"{name} cannot be read: it is broken, or not what its name says.") from error
    raise Refusal(f"{name} is not a GLB, OBJ or USD, so it was not brought in.")


def _meshes(data: bytes, kind: str) -> list[Part]:
    more = {"split_objects": True, "group_material": False} if kind == "obj" else {}
    loaded = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False, **more)
    out: list[Part] = []
    nodes = loaded.graph.geometry_nodes
    for node, key in ((n, k) for k in loaded.geometry for n in nodes.get(k, ())):
        turn, _ = loaded.graph[node]
        mesh = loaded.geometry[key]
        if not isinstance(mesh, trimesh.Trimesh):
            continue
        points = np.asarray(mesh.vertices, float) @ turn[:3, :3].T + turn[:3, 3]
        triangles = np.asarray(mesh.faces)
        if np.linalg.det(turn[:3, :3]) < 0:
            triangles = triangles[:, ::-1]
        out.append((str(node), points, triangles))
    if kind == "obj":  # which are read in no order in particular
        lines = data.decode("utf-8", "replace").splitlines()
        order = {line[2:].strip(): i for i, line in enumerate(lines) if line.startswith("o ")}
        out.sort(key=lambda part: order.get(part[0], len(order)))
    return out


def _usd(data: bytes, kind: str) -> tuple[list[Part], float]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"blocking.{kind}"
        path.write_bytes(data)
        try:
            stage = Usd.Stage.Open(str(path))
        except Tf.ErrorException as error:
            raise Refusal("This USD file cannot be read: it is broken.") from error
        out = list(_usd_meshes(stage))
        return out, float(UsdGeom.GetStageMetersPerUnit(stage))


def _usd_meshes(stage: Usd.Stage) -> Iterator[Part]:
    z_up = UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z
    places = UsdGeom.XformCache()
    for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
        if not prim.IsA(UsdGeom.Mesh):
            continue
        mesh = UsdGeom.Mesh(prim)
        points = np.array(mesh.GetPointsAttr().Get() or [], float).reshape(-1, 3)
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], int)
        indices = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], int)
        if not len(points) or not len(counts):
            continue
        turn = np.array(places.GetLocalToWorldTransform(prim))
        points = points @ turn[:3, :3] + turn[3, :3]
        if z_up:
            points = points[:, [0, 2, 1]] * [1, 1, -1]
        triangles, start = [], 0
        for n in counts:
            ring = indices[start : start + n]
            triangles += [(ring[0], ring[i], ring[i + 1]) for i in range(1, n - 1)]
            start += n
        faces = np.array(triangles, int).reshape(-1, 3)
        left = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded
        if left != (np.linalg.det(turn[:3, :3]) < 0):
            faces = faces[:, ::-1]
        yield prim.GetName(), points, faces


def blocking(scene: Scene, kind: Kind) -> bytes:
    """All proxies that are shown, with +Y up and in metres, as a file of a kind.

    Raises Refusal without a camera or a proxy.
    """
    camera = required_camera(scene)
    parts = [(p, p.mesh(camera)) for p in exported_proxies(scene)]
    if kind in ("usda", "usdc"):
        return _as_usd(scene, parts, kind)
    out = trimesh.Scene()
    for name, (_, mesh) in zip(_names(parts), parts, strict=True):
        surface = trimesh.Trimesh(mesh.points, mesh.triangles, process=False)
        out.add_geometry(surface, node_name=name, geom_name=name)
    if kind == "obj":
        return _as_obj(out)
    data = out.export(file_type="glb")
    assert isinstance(data, bytes)  # as it is for a GLB
    return data


def _as_obj(scene: trimesh.Scene) -> bytes:
    """Written by hand, for an object a proxy: trimesh writes one for all."""
    lines, start = ["# Jade Lantern: metres, +Y up"], 1
    for name, mesh in scene.geometry.items():
        lines.append(f"o {name}")
        lines += [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in mesh.vertices]
        lines += ["f " + " ".join(str(start + i) for i in t) for t in mesh.faces]
        start += len(mesh.vertices)
    return ("\n".join(lines) + "\n").encode()


def _as_usd(scene: Scene, parts: list[tuple[Proxy, Mesh]], kind: Kind) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"blocking.{kind}"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        root = UsdGeom.Xform.Define(stage, "/Blocking")
        stage.SetDefaultPrim(root.GetPrim())
        for name, (proxy, mesh) in zip(_names(parts), parts, strict=True):
            prim = UsdGeom.Mesh.Define(stage, f"/Blocking/{name}")
            prim.GetPrim().SetDisplayName(proxy.name)
            prim.CreatePointsAttr(mesh.points.astype(np.float32))
            prim.CreateFaceVertexCountsAttr(np.full(len(mesh.triangles), 3, np.int32))
            prim.CreateFaceVertexIndicesAttr(mesh.triangles.astype(np.int32).ravel())
            prim.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
            prim.CreateDoubleSidedAttr(True)
        stage.GetRootLayer().Save()
        return path.read_bytes()


def _names(parts: list[tuple[Proxy, Mesh]]) -> list[str]:
    """The proxies' names as every format takes them, each once."""
    out: list[str] = []
    for proxy, _ in parts:
        plain = re.sub(r"[^A-Za-z0-9_]+", "_", proxy.name).strip("_") or proxy.kind
        plain = plain if not plain[0].isdigit() else f"_{plain}"
        name, n = plain, 2
        while name in out:
            name, n = f"{plain}_{n}", n + 1
        out.append(name)
    return out
