"""Models in USD files with the surfaces that they show: those of UsdPreviewSurface, or their
display colour."""

from __future__ import annotations

import posixpath
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from pxr import Usd, UsdGeom, UsdShade

from .surfaces import PLAIN, Part, Surface, carried_normals, encoded, pixels_of
from .usd import meshes_of, opened


def read_usd_surfaces(
    data: bytes, kind: str, name: str, most_meshes: int, most_triangles: int, said: list[str]
) -> tuple[list[Part], float]:
    """The meshes with the surfaces that they show (UsdPreviewSurface, or their display colour), and
    what one unit is, metres. said: what is odd about them, added to. Raises Refusal."""
    with opened(data, kind, name) as (stage, unit, folder):
        shown: dict[str, Surface] = {}
        out = []
        for prim, points, faces, corners in meshes_of(stage, name, most_meshes, most_triangles):
            surface = _surface_of(prim, folder / f"blocking.{kind}", shown, said)
            places = None if surface.picture is None else _places_of(prim, faces, corners)
            out.append(Part(points, faces, places, surface, _normals_of(prim, faces, corners)))
        return out, unit


def _surface_of(
    prim: Usd.Prim, package: Path, shown: dict[str, Surface], said: list[str]
) -> Surface:  # fmt: skip
    material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
    if not material:
        colour = UsdGeom.Gprim(prim).GetDisplayColorAttr().Get()
        if colour is None or not len(colour):
            return Surface(PLAIN)
        red, green, blue = encoded(np.array(colour[0], float)).clip(0, 1).tolist()
        return Surface((red, green, blue, 1.0))
    key = str(material.GetPath())
    if key not in shown:
        shown[key] = _of_shader(material, package, said)
    return shown[key]


def _of_shader(material: UsdShade.Material, package: Path, said: list[str]) -> Surface:
    shader, _, _ = material.ComputeSurfaceSource()
    given = shader.GetInput("diffuseColor") if shader else None
    shines = shader.GetInput("emissiveColor") if shader else None
    if shines and shines.HasConnectedSource() and not (given and given.HasConnectedSource()):
        given = shines  # a picture that has its own light
    clear = shader.GetInput("opacity") if shader else None
    opacity = clear.Get() if clear else None
    alpha = min(max(float(1.0 if opacity is None else opacity), 0.0), 1.0)
    if not given:
        return Surface((*PLAIN[:3], alpha))
    source = given.GetConnectedSource()
    if source:
        file = UsdShade.Shader(source[0].GetPrim()).GetInput("file")
        asset = file.Get() if file else None
        picture = None if asset is None else _picture_in(package, asset.path)
        if picture is not None:
            return Surface((1.0, 1.0, 1.0, alpha), picture)
        missing = "a picture" if asset is None else asset.path[:80]
        said.append(f"Missing in it: {missing}. What needs it is shown in a plain colour.")
        return Surface((*PLAIN[:3], alpha))
    value = given.Get()
    if value is None:
        return Surface((*PLAIN[:3], alpha))
    red, green, blue = encoded(np.array(value, float)).clip(0, 1).tolist()
    return Surface((red, green, blue, alpha))


def _picture_in(package: Path, named: str) -> Any:
    """A picture in a USDZ; None where it is not there, or is none."""
    try:
        with zipfile.ZipFile(package) as packed:
            by = {posixpath.normpath(m.filename): m for m in packed.infolist()}
            member = by.get(posixpath.normpath(named))
            return None if member is None else pixels_of(Image.open(packed.open(member)))
    except (zipfile.BadZipFile, OSError, ValueError):
        return None


def _normals_of(
    prim: Usd.Prim, faces: NDArray[np.int64], corners: NDArray[np.int64]
) -> NDArray[np.float64] | None:
    """(M, 3, 3) the normals of triangles' corners, where the mesh has any (see `_places_of`)."""
    mesh = UsdGeom.Mesh(prim)
    primvar = UsdGeom.PrimvarsAPI(prim).GetPrimvar("normals")  # comes before the attribute
    if primvar and primvar.HasValue():
        given, kind = primvar.ComputeFlattened(), primvar.GetInterpolation()
    else:
        given, kind = mesh.GetNormalsAttr().Get(), mesh.GetNormalsInterpolation()
    values = np.array(given if given is not None else [], float).reshape(-1, 3)
    tokens = UsdGeom.Tokens
    by = {tokens.faceVarying: corners, tokens.vertex: faces, tokens.varying: faces}.get(kind)
    if by is None or not len(by) or by.max() >= len(values):
        return None
    turn = np.array(mesh.ComputeLocalToWorldTransform(Usd.TimeCode.Default()))[:3, :3]
    out = carried_normals(values[by], turn.T)
    if UsdGeom.GetStageUpAxis(prim.GetStage()) == UsdGeom.Tokens.z:
        out = out[..., [0, 2, 1]] * [1, 1, -1]
    return out


def _places_of(
    prim: Usd.Prim, faces: NDArray[np.int64], corners: NDArray[np.int64]
) -> NDArray[np.float64] | None:
    """(M, 3, 2) where triangles' corners are in their picture. corners: (M, 3) which of the mesh's
    face corners they are."""
    api = UsdGeom.PrimvarsAPI(prim)
    st = next((v for v in (api.GetPrimvar(n) for n in ("st", "UVMap", "st0")) if v), None)
    if st is None:
        return None
    values = np.array(st.ComputeFlattened(), float).reshape(-1, 2)
    by = corners if st.GetInterpolation() == UsdGeom.Tokens.faceVarying else faces
    if not len(values) or by.max() >= len(values):
        return None
    uv = values[by]
    return np.stack([uv[..., 0], 1.0 - uv[..., 1]], axis=2)
