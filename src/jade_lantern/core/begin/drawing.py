"""The blocking drawn as the lens sees it, to be painted over."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator

import numpy as np

from ..arrays import Bytes
from ..camera import Camera
from ..cast.guides import blocking_from, grid_guide, wire_guide
from ..mesh import joined
from ..picture import png
from ..picture.openraster import Layer, written
from ..picture.tones import told_apart
from ..refusal import Refusal
from ..render.land import near_limit
from ..render.see import see
from ..scene.model import Scene
from ..sight.measure import required_camera

BYTES_A_PIXEL = 80.0  # memory per pixel, of all drawings together
NAMES = ("proxies", "depth", "grid", "wire", "grey")


def drawing_bytes(scene: Scene) -> float:
    """About how much memory the drawings take."""
    return BYTES_A_PIXEL * scene.plate.width * scene.plate.height


def drawings(scene: Scene, seen_by: Camera | None = None) -> dict[str, Bytes]:
    """The drawings by name, (H, W, 3 or 4), as a camera sees the blocking, or else the lens: grey,
    in plain shades; wire, the edges; grid, of the ground; depth, the nearest white; proxies, each
    in a colour of its own. But for depth, where nothing is they are clear.

    Raises Refusal where there is no camera, or nothing stands.
    """
    sighted = required_camera(scene)
    camera = seen_by or sighted
    shown = [p for p in scene.proxies if not p.hidden]
    if not shown:
        raise Refusal("Nothing stands that could be drawn. Stand a proxy in Block first.")
    meshes = [p.mesh(sighted) for p in shown]
    near = near_limit([camera])
    grey, depth = blocking_from(meshes, camera, near)
    owner = see(joined(meshes), camera, near).owner
    colours = np.zeros((len(shown) + 1, 3), np.uint8)  # the last is of nothing
    for i in range(len(shown)):
        colours[i] = told_apart(i)
    there = np.where(owner >= 0, 255, 0).astype(np.uint8)[..., None]
    return {
        "grey": np.dstack([grey, there]), "wire": wire_guide(camera, meshes, []),
        "grid": grid_guide(camera), "depth": depth, "proxies": np.dstack([colours[owner], there]),
    }  # fmt: skip


def drawing_files(scene: Scene) -> Iterator[tuple[str, bytes]]:
    """The drawings as files: a PNG each, and an OpenRaster file with all of them as layers and an
    empty one to paint on."""
    made = drawings(scene)
    for name in NAMES:
        yield f"{name}.png", png(made[name])
    size = scene.plate.width, scene.plate.height
    empty = np.zeros((size[1], size[0], 4), np.uint8)
    layers = [Layer("paint here", empty)]
    layers += [Layer(name, made[name], visible=name in ("wire", "grey")) for name in NAMES]
    yield "blocking.ora", written(*size, layers)


def drawings_zip(scene: Scene) -> bytes:
    """The drawings in a ZIP. Raises Refusal: see `drawings`."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in drawing_files(scene):
            archive.writestr(name, data)
    return out.getvalue()
