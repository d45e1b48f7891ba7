"""The meshes of a USD file, and of nothing that it refers to.

A USD file may draw on other files by references, payloads, sublayers and value clips, named by any
path of the machine that opens it. None of them is opened here: a file that names one is refused.
The layers inside a USDZ package are that file's own.
"""

from __future__ import annotations

import posixpath
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Sdf, Tf, Usd, UsdGeom

from ..refusal import Refusal

LAYERS = (".usd", ".usda", ".usdc")
MOST_UNPACKED = 600 << 20  # bytes of a USDZ's members
MOST_PRIMS = 100_000
BROKEN = "This USD file cannot be read: it is broken."

UsdMesh = tuple[str, NDArray[np.float64], NDArray[np.int64]]


def read_usd(
    data: bytes, kind: str, name: str, most_meshes: int, most_triangles: int
) -> tuple[list[UsdMesh], float]:
    """Names, points (N, 3) and triangles (M, 3) of a file's meshes with +Y up, and what one of its
    units is, metres. Raises Refusal."""
    with opened(data, kind, name) as (stage, unit, _):
        found = meshes_of(stage, name, most_meshes, most_triangles)
        return [(prim.GetName(), points, faces) for prim, points, faces, _ in found], unit


@contextmanager
def opened(data: bytes, kind: str, name: str) -> Iterator[tuple[Usd.Stage, float, Path]]:
    """A file's stage, looked at before it is opened, what one of its units is, and the folder that
    it lies in meanwhile."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"blocking.{kind}"
        path.write_bytes(data)
        try:
            if kind == "usdz":
                _check_package(path, Path(folder), name)
            else:
                _check_layer(path, set(), "", name)
            stage = Usd.Stage.Open(str(path))
        except Tf.ErrorException as error:
            raise Refusal(BROKEN) from error
        for layer in stage.GetUsedLayers():
            if not layer.anonymous and not layer.realPath.startswith(folder):
                raise _refers(name, layer.identifier)
        yield stage, float(UsdGeom.GetStageMetersPerUnit(stage)), Path(folder)


def _refers(name: str, to: str) -> Refusal:
    return Refusal(
        f"{name} refers to another file ({to[:80]}), and only what is in the file itself is read. "
        "Save it there as one flattened file."
    )


def _check_layer(path: Path, own: set[str], within: str, name: str) -> None:
    """Raises Refusal where a layer names a file that is not one of its package's own (by their
    paths in the package; within: the folder of this one)."""
    layer = Sdf.Layer.FindOrOpen(str(path))
    if layer is None:
        raise Refusal(BROKEN)
    for asset in filter(None, layer.GetCompositionAssetDependencies()):  # "" is the layer itself
        inside = posixpath.normpath(posixpath.join(within, asset))
        if inside not in own or asset.startswith("/") or "$" in asset or "[" in asset:
            raise _refers(name, asset)
    seen = 0

    def look(at: Sdf.Path) -> None:
        nonlocal seen
        seen += 1
        if seen > 40 * MOST_PRIMS:
            raise Refusal(f"{name} has more in it than can be read. Make it simpler there.")
        spec = layer.GetPrimAtPath(at) if at.IsPrimPath() else None
        if spec is not None and spec.HasInfo("clips"):
            raise _refers(name, "value clips")

    layer.Traverse(Sdf.Path.absoluteRootPath, look)


def _check_package(path: Path, folder: Path, name: str) -> None:
    """Look at each layer of a USDZ by itself, unpacked beside it."""
    try:
        with zipfile.ZipFile(path) as package:
            members = package.infolist()
            if sum(m.file_size for m in members) > MOST_UNPACKED or len(members) > 1000:
                raise Refusal(f"{name} holds more than can be read.")
            own = {posixpath.normpath(m.filename) for m in members}
            for i, member in enumerate(members):
                ending = posixpath.splitext(member.filename)[1].lower()
                if ending == ".usdz":
                    raise Refusal(f"{name} has a package in a package. Save it as one there.")
                if ending in LAYERS:
                    beside = folder / f"layer-{i}{ending}"
                    beside.write_bytes(package.read(member))
                    _check_layer(beside, own, posixpath.dirname(member.filename), name)
    except (zipfile.BadZipFile, OSError, ValueError, RuntimeError, NotImplementedError) as error:
        if isinstance(error, Refusal):
            raise
        raise Refusal(BROKEN) from error


def meshes_of(
    stage: Usd.Stage, name: str, most_meshes: int, most_triangles: int
) -> Iterator[tuple[Usd.Prim, NDArray[Any], NDArray[np.int64], NDArray[np.int64]]]:
    """Each mesh with its points, its triangles, and which face corners those are."""
    z_up = UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z
    places = UsdGeom.XformCache()
    prims = meshes = total = 0
    for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
        prims += 1
        if prims > MOST_PRIMS or meshes > most_meshes:
            raise Refusal(
                f"{name} has more than {most_meshes:,} meshes. A blocking is simple: make it "
                "simpler there."
            )
        if not prim.IsA(UsdGeom.Mesh):
            continue
        mesh = UsdGeom.Mesh(prim)
        points = np.array(mesh.GetPointsAttr().Get() or [], float).reshape(-1, 3)
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
        indices = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
        if not len(points) or not len(counts):
            continue
        meshes += 1
        if counts.min() < 0 or counts.sum() > len(indices):
            raise Refusal(f"{name} is broken: its faces have more corners than it names.")
        total += int(np.maximum(counts - 2, 0).sum())
        if total > most_triangles:
            raise Refusal(
                f"{name} has more than {most_triangles:,} triangles. A blocking is simple: make it "
                "simpler there."
            )
        turn = np.array(places.GetLocalToWorldTransform(prim))
        points = points @ turn[:3, :3] + turn[3, :3]
        if z_up:
            points = points[:, [0, 2, 1]] * [1, 1, -1]
        corners = _fans(counts, np.arange(len(indices)))
        left = mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded
        if left != (np.linalg.det(turn[:3, :3]) < 0):
            corners = corners[:, ::-1]
        yield prim, points, indices[corners], corners


def _fans(counts: NDArray[np.int64], indices: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles (M, 3) of faces whose corners stand one face after another: each a fan about its
    first corner."""
    each = np.maximum(counts - 2, 0)
    first = np.repeat(np.cumsum(counts) - counts, each)
    step = np.arange(int(each.sum())) - np.repeat(np.cumsum(each) - each, each)
    return np.stack([indices[first], indices[first + step + 1], indices[first + step + 2]], axis=1)
