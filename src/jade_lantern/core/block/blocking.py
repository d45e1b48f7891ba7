"""A blocking in and out: proxies as GLB, OBJ or USD, without their pictures."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np
from pydantic import ValidationError

from ..arrays import Floats
from ..camera import world_size
from ..mesh import Mesh
from ..outside.meshes import read_meshes
from ..outside.process import read_apart
from ..proxy import Proxy, Solid
from ..refusal import Refusal
from ..scene.document import plainly
from ..scene.edits import AddProxies
from ..scene.model import Scene
from ..sight.measure import required_camera
from ..solid.shape import Shape, shape_of_mesh
from ..value import NEW_ID, name_of

if TYPE_CHECKING:
    import trimesh

BlockingFormat = Literal["glb", "obj", "usda", "usdc"]
KINDS: tuple[BlockingFormat, ...] = ("glb", "obj", "usda", "usdc")
READ = {"glb", "obj", "usd", "usda", "usdc", "usdz"}
MOST_BYTES = 300 << 20
UNITS_M = 1e-6, 1e6  # the least and the most that one of a file's units can be, metres
# of the world's size: what is farther across, or smaller, is not in metres
LARGEST, SMALLEST = 5000.0, 0.005


def exported_proxies(scene: Scene) -> list[Proxy]:
    """What is exported of the geometry. Raises Refusal where that is nothing."""
    shown = [p for p in scene.proxies if not p.hidden]
    if not shown:
        raise Refusal("There is nothing to export yet. Stand a proxy in Block first.")
    return shown


def brought(
    data: bytes, name: str, scene: Scene, unit_m: float | None = None, size: float = 1.0
) -> AddProxies:  # fmt: skip
    """The edit that brings a file's meshes in as solids. name: the file's, by whose ending it is
    read. unit_m: what one of its units is, metres; what the file says, or a metre, where it is
    left out. size: how many times larger than that it is taken.

    Raises Refusal for a file that is broken, too large, or plainly not in metres.
    """
    camera = required_camera(scene)
    kind = Path(name).suffix.lower().lstrip(".")
    name = name_of(name, "file")
    kind = "glb" if kind == "gltf" else kind
    if kind not in READ:
        raise Refusal(f"{name} is not a GLB, OBJ or USD, so it was not brought in.")
    if len(data) > MOST_BYTES:
        raise Refusal(f"{name} is larger than {MOST_BYTES >> 20} MB. Bring in a simpler blocking.")
    try:
        parts, unit = read_apart(read_meshes, data, kind, name)
    except Refusal as error:
        if name in str(error):
            raise
        raise Refusal(f"{name} cannot be read. {error}") from error
    scale = size * (unit_m if unit_m is not None else unit)
    if not UNITS_M[0] <= scale <= UNITS_M[1]:
        raise Refusal(f"{name} says that its unit is {scale:g} m, which cannot be. Say what it is.")
    if not any(len(part.triangles) for part in parts):
        raise Refusal(f"There is no surface in {name}, so nothing was brought in.")
    every = np.concatenate([part.points for part in parts]) * scale
    if not np.isfinite(every).all():
        raise Refusal(f"{name} is broken: some of its points are no numbers.")
    across = float(np.ptp(every, axis=0).max())
    size = world_size(camera)
    if not SMALLEST * size <= across <= LARGEST * size:
        raise Refusal(
            f"{name} is {across:.3g} m across, which cannot be here. It is not in metres: say what "
            "one of its units is, for example 0.01 for centimetres."
        )
    try:
        solids = tuple(_solid(n, p * scale, t) for n, p, t in parts)
        return AddProxies(proxies=solids, said="Bring in")
    except ValidationError as error:
        raise Refusal(f"{name} cannot be brought in: {plainly(error)}") from error


def _solid(name: str, points: Floats, triangles: np.ndarray) -> Solid:
    shape = shape_of_mesh(Mesh(points, triangles.astype(np.int32), np.zeros(len(triangles), int)))
    name = name_of(name, "solid")
    if not shape.faces:
        raise Refusal(f"{name} has no area, so nothing was brought in.")
    places = shape.at(shape.points)
    low, high = places.min(axis=0), places.max(axis=0)
    foot = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
    corners, faces = Shape({i: p - foot for i, p in shape.points.items()}, shape.faces).rows()
    x, y, z = (float(v) for v in foot)
    return Solid(id=NEW_ID, name=name, x=x, level_m=y, z=z, corners=corners, faces=faces)


def blocking(scene: Scene, kind: BlockingFormat) -> bytes:
    """All proxies that are shown, with +Y up and in metres, as a file of a kind.

    Raises Refusal without a camera or a proxy.
    """
    import trimesh  # takes a while to load

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


def _as_usd(scene: Scene, parts: list[tuple[Proxy, Mesh]], kind: BlockingFormat) -> bytes:
    from pxr import Usd, UsdGeom  # takes a while to load

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
