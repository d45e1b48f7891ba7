"""Models with their surfaces, of GLB, OBJ and USD files, as plain arrays in one frame with +Y up.
Read in a process of its own (see `process`)."""

from __future__ import annotations

import hashlib
import io
import re
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..refusal import Refusal
from .glb import document_of
from .meshes import MOST_MESHES

MOST_TRIANGLES = 1_000_000
MOST_PICTURES = 256
MOST_SIDE = 4096  # px of a surface's picture; a larger one is made smaller
MOST_COLOURS = 4096  # that a model without pictures has, corner by corner
MOST_UNPACKED = 1 << 30  # bytes of a ZIP
MOST_MEMBERS = 1000
PLAIN = (0.75, 0.75, 0.75, 1.0)  # what has no surface of its own

Picture = NDArray[np.uint8]


class Surface(NamedTuple):
    """colour: red, green, blue and alpha, 0 to 1, in the picture's own numbers; it is multiplied
    into the picture (h, w, 3 or 4), where there is one."""

    colour: tuple[float, float, float, float]
    picture: Picture | None = None


class Model(NamedTuple):
    """points: (N, 3), in the file's units. triangles: (M, 3) indices. places: (M, 3, 2) where their
    corners are in their surface's picture, in widths from its left and heights from its top.
    surface: (M,) which of the surfaces each has. unit_m: what one unit is, metres. said: what is
    odd about the file, in words. normals: (M, 3, 3) of the triangles' corners, zero where the file
    has none; None where it has none at all."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int64]
    places: NDArray[np.float64]
    surface: NDArray[np.int64]
    surfaces: list[Surface]
    unit_m: float
    said: list[str]
    normals: NDArray[np.float64] | None = None


class Part(NamedTuple):
    """A mesh with one surface; places, normals: as of a `Model`, or None."""

    points: NDArray[np.float64]
    triangles: NDArray[np.int64]
    places: NDArray[np.float64] | None
    surface: Surface
    normals: NDArray[np.float64] | None = None


def read_model(data: bytes, kind: str, name: str) -> Model:
    """A file's meshes with their surfaces. kind: glb, obj, zip (an OBJ with its materials and
    pictures), usd, usda, usdc or usdz. name: the file's, for words.

    Raises Refusal for a file that is broken, empty or too large.
    """
    said: list[str] = []
    unit = 1.0
    if kind in ("usd", "usda", "usdc", "usdz"):
        from .usd_surfaces import read_usd_surfaces  # its library takes a while to load

        parts, unit = read_usd_surfaces(data, kind, name, MOST_MESHES, MOST_TRIANGLES, said)
    elif kind == "glb":
        document = document_of(data)
        _check_glb(document, name)
        parts = list(_of_scene(_loaded(io.BytesIO(data), "glb"), said))
    elif kind == "obj":
        _check_obj(data, name)
        parts = list(_of_scene(_loaded(io.BytesIO(data), "obj"), said))
        if re.search(rb"^mtllib ", data, re.MULTILINE):
            said.append("Its materials are in files of their own: bring them with it in one ZIP.")
    else:
        parts = _of_zip(data, name, said)
    return _joined([p for p in parts if len(p.triangles)], unit, said, name)


def _check_glb(document: dict[str, Any], name: str) -> None:
    """Raises Refusal for too many triangles before any is decoded."""
    accessors, count = document.get("accessors", []), 0
    for mesh in document.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            of = primitive.get("indices", primitive.get("attributes", {}).get("POSITION"))
            if isinstance(of, int) and 0 <= of < len(accessors):
                count += accessors[of]["count"] // 3
    _check_count(count, name)


def _check_obj(data: bytes, name: str) -> None:
    _check_count(data.count(b"\nf "), name)


def _check_count(count: int, name: str) -> None:
    if count > MOST_TRIANGLES:
        raise Refusal(
            f"{name} has about {count:,} triangles; up to {MOST_TRIANGLES:,} are brought in. Make "
            "it simpler where it comes from."
        )


def _loaded(file: Any, kind: str, **more: Any) -> Any:
    import trimesh  # takes a while to load

    return trimesh.load_scene(file, file_type=kind, process=False, **more)


def _of_zip(data: bytes, name: str, said: list[str]) -> list[Part]:
    """An OBJ in a ZIP with its materials and pictures, unpacked where only this process looks."""
    try:
        with (
            zipfile.ZipFile(io.BytesIO(data)) as packed,
            tempfile.TemporaryDirectory() as folder,
        ):
            members = [m for m in packed.infolist() if not m.is_dir()]
            if sum(m.file_size for m in members) > MOST_UNPACKED or len(members) > MOST_MEMBERS:
                raise Refusal(f"{name} holds more than can be read.")
            models = [m for m in members if m.filename.lower().endswith(".obj")]
            if len(models) != 1:
                raise Refusal(
                    f"{name} has {len(models)} OBJ files in it, and one is looked for: a model, "
                    "with its materials and pictures beside it."
                )
            there = set()
            for member in members:  # all in one folder: an OBJ names what lies beside it
                plain = Path(member.filename.replace("\\", "/")).name
                there.add(plain)
                (Path(folder) / plain).write_bytes(packed.read(member))
            model = Path(folder) / Path(models[0].filename).name
            _check_obj(model.read_bytes(), name)
            said += _missing(Path(folder), model, there)
            return list(_of_scene(_loaded(str(model), "obj"), said))
    except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError) as error:
        raise Refusal(f"{name} cannot be unpacked: it is broken, or locked.") from error


def _missing(folder: Path, model: Path, there: set[str]) -> list[str]:
    """What an OBJ or its materials name and is not there, in words."""
    named = re.findall(r"^mtllib\s+(.+?)\s*$", model.read_text("utf-8", "replace"), re.MULTILINE)
    lacking = [n for n in named if Path(n).name not in there]
    for material in there:
        if material.lower().endswith(".mtl"):
            text = (folder / material).read_text("utf-8", "replace")
            for picture in re.findall(r"^\s*map_Kd\s+(.+?)\s*$", text, re.MULTILINE):
                plain = Path(picture.replace("\\", "/")).name
                if plain not in there:
                    lacking.append(plain)
    if not lacking:
        return []
    few = ", ".join(sorted(set(lacking))[:5])
    return [f"Missing beside it: {few}. What needs them is shown in its plain colour."]


def _of_scene(scene: Any, said: list[str]) -> Iterator[Part]:
    """The parts of a scene as trimesh has read it, where its nodes stand."""
    import trimesh

    for node in scene.graph.nodes_geometry:
        turn, key = scene.graph[node]
        mesh = scene.geometry[key]
        if not isinstance(mesh, trimesh.Trimesh):
            continue
        points = np.asarray(mesh.vertices, float) @ turn[:3, :3].T + turn[:3, 3]
        triangles = np.asarray(mesh.faces, np.int64)
        visual, normals = mesh.visual, _normals_of(mesh, triangles, turn)
        if visual.kind == "texture":
            surface = _of_material(visual.material)
            places = None
            if surface.picture is not None and visual.uv is not None:
                uv = np.asarray(visual.uv, float)[triangles]
                places = np.stack([uv[..., 0], 1.0 - uv[..., 1]], axis=2)
            yield Part(points, triangles, places, surface, normals)
        elif visual.kind in ("vertex", "face"):
            colours = np.asarray(visual.face_colors)
            yield from _of_colours(points, triangles, colours, normals, said)
        else:
            yield Part(points, triangles, None, Surface(PLAIN), normals)


def _normals_of(
    mesh: Any, triangles: NDArray[np.int64], turn: NDArray[np.float64]
) -> NDArray[np.float64] | None:
    """(M, 3, 3) the normals of corners that the file has itself, turned and stretched as its node
    is; None where it has none."""
    if "vertex_normals" not in mesh._cache.cache:  # else trimesh would make some up
        return None
    own = np.asarray(mesh.vertex_normals, float)
    if len(own) != len(mesh.vertices):
        return None
    return carried_normals(own[triangles], turn[:3, :3])


def carried_normals(
    normals: NDArray[np.float64], turn: NDArray[np.float64]
) -> NDArray[np.float64]:  # fmt: skip
    """Normals (..., 3) after their surface was turned and stretched by (3, 3): by its inverse
    transposed, up to their length."""
    a, b, c = turn
    return np.asarray(normals @ np.array([np.cross(b, c), np.cross(c, a), np.cross(a, b)]).T)


def _of_colours(
    points: NDArray[np.float64], triangles: NDArray[np.int64], colours: NDArray[Any],
    normals: NDArray[np.float64] | None, said: list[str],
) -> Iterator[Part]:  # fmt: skip
    """A mesh whose triangles have colours (M, 4) of their own, uint8."""
    found, of = np.unique(colours, axis=0, return_inverse=True)
    if len(found) > MOST_COLOURS:
        coarse = (colours >> 4 << 4) + 8
        coarse[:, 3] = colours[:, 3]
        found, of = np.unique(coarse, axis=0, return_inverse=True)
        said.append("Its colours are rounded: it has too many to keep each apart.")
    for k, colour in enumerate(found[: 4 * MOST_COLOURS]):
        red, green, blue, alpha = (float(v) / 255 for v in colour)
        mine, surface = of.ravel() == k, Surface((red, green, blue, alpha))
        own = None if normals is None else normals[mine]
        yield Part(points, triangles[mine], None, surface, own)


def _of_material(material: Any) -> Surface:
    """What a material shows in plain white light. A GLB's factors are linear, as its format says;
    its pictures are in the picture's own numbers."""
    picture = getattr(material, "baseColorTexture", None)
    picture = picture if picture is not None else getattr(material, "image", None)
    mode = getattr(material, "alphaMode", None)
    factor = getattr(material, "baseColorFactor", None)
    given = factor if factor is not None else getattr(material, "diffuse", None)
    colour = np.ones(4)
    if given is not None:
        values = np.asarray(given, float).ravel() / (255.0 if np.asarray(given).max() > 1 else 1.0)
        colour[: len(values)] = values[:4]
    if factor is not None:
        colour[:3] = encoded(colour[:3])
    pixels = None if picture is None else pixels_of(picture)
    if mode == "OPAQUE":
        colour[3] = 1.0
        pixels = None if pixels is None else pixels[..., :3]
    if mode == "MASK" and pixels is not None and pixels.shape[2] == 4:
        cut = 255 * (getattr(material, "alphaCutoff", None) or 0.5)
        pixels[..., 3] = np.where(pixels[..., 3] >= cut, 255, 0)
    red, green, blue, alpha = colour.clip(0, 1).tolist()
    return Surface((red, green, blue, alpha), pixels)


def encoded(linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """Linear light in the picture's numbers (IEC 61966-2-1)."""
    return np.where(
        linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 0) ** (1 / 2.4) - 0.055
    )


def pixels_of(picture: Any) -> Picture:
    """(h, w, 3 or 4) of a Pillow image."""
    clear = "A" in picture.getbands() or "transparency" in picture.info
    if max(picture.size) > MOST_SIDE:
        picture = picture.copy()
        picture.thumbnail((MOST_SIDE, MOST_SIDE))
    return np.array(picture.convert("RGBA" if clear else "RGB"), np.uint8)


def _digest(picture: Picture | None) -> bytes | None:
    if picture is None:
        return None
    return hashlib.sha256(repr(picture.shape).encode() + picture.tobytes()).digest()


def _joined(parts: list[Part], unit: float, said: list[str], name: str) -> Model:
    count = sum(len(p.triangles) for p in parts)
    if not count:
        raise Refusal(f"{name} has no surfaces in it, so there is nothing to stand.")
    _check_count(count, name)
    surfaces: list[Surface] = []
    known: dict[Any, int] = {}
    points, triangles, places, of, normals = [], [], [], [], []
    begin = 0
    for part in parts:
        if part.triangles.min() < 0 or part.triangles.max() >= len(part.points):
            raise Refusal(f"{name} is broken: a triangle names a point that is not there.")
        surface = part.surface
        if part.places is None and surface.picture is not None:
            surface = surface._replace(picture=None)
        key = surface.colour, _digest(surface.picture)  # one picture may come in many materials
        if key not in known:
            known[key] = len(surfaces)
            surfaces.append(surface)
        points.append(part.points)
        triangles.append(part.triangles + begin)
        none = np.zeros((len(part.triangles), 3, 2))
        places.append(none if part.places is None else part.places)
        of.append(np.full(len(part.triangles), known[key], np.int64))
        normals.append(
            np.zeros((len(part.triangles), 3, 3)) if part.normals is None else part.normals
        )
        begin += len(part.points)
    if sum(s.picture is not None for s in surfaces) > MOST_PICTURES:
        raise Refusal(f"{name} has more than {MOST_PICTURES} pictures on it. Make it simpler.")
    whole = np.concatenate(points)
    if not np.isfinite(whole).all():
        raise Refusal(f"{name} is broken: a point of it is nowhere.")
    return Model(
        whole, np.concatenate(triangles), np.nan_to_num(np.concatenate(places)),
        np.concatenate(of), surfaces, unit, said,
        None if all(p.normals is None for p in parts) else np.nan_to_num(np.concatenate(normals)),
    )  # fmt: skip
