"""The paint kit: for each lantern what a painter needs, and where it may be painted in vain."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..arrays import Bytes, Flags, Floats
from ..camera import Camera
from ..mesh import Triangles, joined
from ..picture import png, tones
from ..picture.eight import in_eight_bit
from ..picture.openraster import Layer, written
from ..refusal import Refusal
from ..render.diagnose import DiagnosedCast
from ..render.frame import rendered
from ..render.land import Cast, near_limit
from ..render.see import see
from ..scene.model import Lantern, Scene
from ..scene.moment import moments
from ..scene.sheet import lanterns_of
from ..scene.shot import shot_cameras
from ..sight.measure import required_camera
from .fill import removed
from .flat import flat_size
from .guides import blocking_from, grid_guide, wire_guide
from .ofscene import Pixels, cast_meshes, places_of, plate_camera, plate_of, targets, throwers
from .take import painted_out

GUIDES = ("remove", "reveal", "wire", "grid", "grey", "depth", "which frame", "shift")
LOOKED_AT = 768  # px, the longer side at which revealed pixels are computed
MOST_FRAMES = 17
# Offsets to a pixel and its neighbours; the pixel itself first, where most points are found.
ROUND_A_PIXEL = sorted(
    ((y, x) for y in (-1, 0, 1) for x in (-1, 0, 1)), key=lambda p: abs(p[0]) + abs(p[1])
)
SEEN_WIDTH = 960
NOTE = "READ ME.txt"


BYTES_A_PIXEL = 120.0  # memory per pixel of a lantern's plate, with its guides and layers


def kit_bytes(scene: Scene) -> float:
    """About how much memory a paint kit takes while it is made: its lanterns follow each other."""
    sizes = [
        (one.view.width, one.view.height)
        if one.view is not None and one.plate is None
        else (plate_of(scene, one).width, plate_of(scene, one).height)
        for one in kit_lanterns(scene)
    ]
    return BYTES_A_PIXEL * max((width * height for width, height in sizes), default=0)


@dataclass(frozen=True)
class KitSheet:
    """What goes out for one lantern. remove, reveal: (H, W). revealed: the share of what is to be
    removed that the move will show."""

    lantern: Lantern
    plate: NDArray[Any]
    remove: Flags
    reveal: Flags
    wire: Bytes
    grid: Bytes
    gone: tuple[str, ...]
    revealed: float
    grey: Bytes | None = None
    depth: Bytes | None = None


def sheet(scene: Scene, lantern: Lantern, pixels: Pixels) -> KitSheet:
    """A lantern's sheet of the paint kit. Raises Refusal where there is no camera."""
    if lantern.view is not None:
        return _wide_sheet(scene, lantern, pixels)
    plate = pixels(plate_of(scene, lantern))
    height, width = plate.shape[:2]
    sighted = required_camera(scene)
    camera = plate_camera(lantern, sighted).resized(width, height)
    s = min(LOOKED_AT / max(width, height), 1.0)
    small = (max(round(width * s), 1), max(round(height * s), 1))
    todo = removed(scene, lantern, *small)
    seen = revealed(scene, camera.resized(*small), todo.area, todo.behind)
    ids = set(painted_out(scene, lantern))
    shown = [p for p in scene.proxies if not p.hidden]
    takes = [p for p in shown if lantern in lanterns_of(scene, p.id)]
    own = cast_meshes(scene, sighted, takes)
    gone = [p for p in shown if p.id in ids]
    wire = wire_guide(camera, own, cast_meshes(scene, sighted, gone))
    area = removed(scene, lantern, width, height).area
    share = float(seen.sum() / todo.area.sum()) if todo.area.any() else 0.0
    return KitSheet(
        lantern, plate, area, _larger(seen, width, height) & area,
        wire, grid_guide(camera), tuple(p.name for p in gone), share,
    )  # fmt: skip


def _wide_sheet(scene: Scene, lantern: Lantern, pixels: Pixels) -> KitSheet:
    """The sheet of a lantern that stands elsewhere: its plate, or what the other lanterns throw as
    it sees it, over the blocking in grey; what none of them reaches is what the move reveals."""
    sighted = required_camera(scene)
    camera = plate_camera(lantern, sighted)
    if lantern.plate is not None:
        camera = camera.resized(lantern.plate.width, lantern.plate.height)
    every = [t for t in targets(scene, sighted) if t.lanterns]
    # of a flat view only its face, whatever stands between; of one that nothing takes yet, all
    mine = [t for t in every if scene.lanterns.index(lantern) in t.lanterns]
    takes = mine or every
    others = [
        replace(one, strength=0.0) if scene.lanterns[i].id == lantern.id else one
        for i, one in enumerate(throwers(scene, sighted, pixels))
    ]
    grey, depth = blocking_from([t.mesh for t in takes], camera, near_limit([sighted]))
    plate = grey
    if lantern.plate is not None:
        plate = pixels(lantern.plate)
    elif others:
        over = in_eight_bit(rendered(Cast(takes, others), camera))
        share = over[..., 3:].astype(np.float32) / 255
        plate = np.asarray(over[..., :3] * share + grey * (1 - share) + 0.5, np.uint8)
    unlit = [replace(one, plate=None, strength=float(i != scene.lanterns.index(lantern)))
             for i, one in enumerate(places_of(scene, sighted))]  # fmt: skip
    unlit_cast = DiagnosedCast(targets(scene, sighted), unlit, SEEN_WIDTH)
    small = camera.at_width(SEEN_WIDTH)
    reveal = _larger(unlit_cast.from_(small).reveal, camera.width, camera.height)
    own = [t.mesh for t in takes]
    return KitSheet(
        lantern, plate, np.zeros_like(reveal), reveal, wire_guide(camera, own, []),
        grid_guide(camera), (), float(reveal.mean()), grey, depth,
    )  # fmt: skip


def _larger(where: Flags, width: int, height: int) -> Flags:
    grown = cv2.resize(where.astype(np.uint8) * 255, (width, height))
    return np.asarray(grown > 127, bool)


def revealed(scene: Scene, camera: Camera, area: Flags, behind: Any) -> Flags:
    """(H, W) which places behind an area of a lantern's plate the move shows, with a little round
    them. behind: what the lantern's own proxies show there."""
    out = np.zeros(area.shape, bool)
    rows, columns = np.nonzero(area & (behind.surface >= 0))
    if not len(rows):
        return out
    at = np.stack([columns + 0.5, rows + 0.5], axis=1)
    surface = behind.surface[rows, columns].astype(np.int64)
    place = camera.position + camera.rays(at) / behind.inverse_depth_at(surface, at)[:, None]
    shown = np.zeros(len(place), bool)
    for shot, meshes in _frames(scene):
        left = np.nonzero(~shown)[0]
        shown[left] = _sees(shot, meshes, place[left])
    out[rows, columns] = shown
    reach = max(round(0.006 * max(area.shape)), 2)
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    grown = cv2.morphologyEx(out.astype(np.uint8), cv2.MORPH_DILATE, ring)
    return np.asarray(grown, bool) & area


def _frames(scene: Scene) -> Iterator[tuple[Camera, Triangles]]:
    """Frames of the shot, evenly over it, with what stands there."""
    sighted = required_camera(scene)
    last = scene.move.frames - 1
    numbers = np.unique(np.round(np.linspace(0, last, min(MOST_FRAMES, last + 1))))
    before: tuple[Scene, Triangles] | None = None
    shots = shot_cameras(scene, numbers, sighted)
    for shot, moment in zip(shots, moments(scene, numbers), strict=True):
        if before is None or before[0] is not moment:
            before = moment, joined([p.mesh(sighted) for p in moment.proxies if not p.hidden])
        yield shot.at_width(SEEN_WIDTH), before[1]


def _sees(shot: Camera, meshes: Triangles, place: Floats) -> Flags:
    """Which places (N, 3) a shot camera sees."""
    seen = see(meshes, shot, near_limit([shot]))
    pixel, depth = shot.project(place)
    inside = (depth > 0) & (pixel >= 0).all(axis=1)
    inside &= (pixel < [shot.width, shot.height]).all(axis=1)
    out = np.zeros(len(place), bool)
    look = np.nonzero(inside)[0]
    for dy, dx in ROUND_A_PIXEL:
        column, row = pixel[look].astype(int).T
        s = seen.surface[
            np.clip(row + dy, 0, shot.height - 1), np.clip(column + dx, 0, shot.width - 1)
        ].astype(np.int64)
        there = s >= 0
        nearest = np.zeros(len(look))
        nearest[there] = seen.inverse_depth_at(s[there], pixel[look][there])
        found = there & (nearest * depth[look] <= 1 + 1e-3)
        out[look[found]] = True
        look = look[~found]
    return out


def _tinted(where: Flags, colour: tuple[int, int, int], strength: int) -> Bytes:
    out = np.zeros((*where.shape, 4), np.uint8)
    out[where] = (*colour, strength)
    return out


def layers_of(one: KitSheet) -> list[Layer]:
    """The layers of a lantern's OpenRaster file, from the top down. Only the plate is painted on;
    the guides are left out again when it comes back."""
    extra = (("depth", one.depth), ("grey", one.grey))
    return [
        *(Layer(name, p, visible=False) for name, p in extra if p is not None),
        Layer("grid", one.grid, visible=False),
        Layer("wire", one.wire, opacity=0.8, visible=False),
        Layer("reveal", _tinted(one.reveal, tones.REVEAL, 110)),
        Layer("remove", _tinted(one.remove, tones.GONE, 80)),
        Layer("plate", one.plate),
    ]


def kit_files(scene: Scene, pixels: Pixels) -> Iterator[tuple[str, bytes]]:
    """The files of a paint kit, one after another: of each lantern that takes paint an OpenRaster
    file and PNGs, and a note in words.

    Raises Refusal where nothing is cast.
    """
    lanterns = kit_lanterns(scene)
    sheets = []
    for lantern in lanterns:
        one = sheet(scene, lantern, pixels)
        name = lantern.name.replace("/", "-")
        yield f"{name}.ora", written(one.plate.shape[1], one.plate.shape[0], layers_of(one))
        yield f"{name}.png", png(_savable(one.plate))
        yield f"{name} remove.png", png(_tinted(one.remove, tones.GONE, 255))
        yield f"{name} reveal.png", png(_tinted(one.reveal, tones.REVEAL, 255))
        yield f"{name} wire.png", png(one.wire)
        if one.grey is not None and one.depth is not None:
            yield f"{name} grey.png", png(one.grey)
            yield f"{name} depth.png", png(one.depth)
        yield f"{name} grid.png", png(one.grid)
        size = flat_size(scene, lantern)
        sheets.append((lantern.name, one.gone, one.revealed, one.plate.shape, size))
    yield NOTE, _note(scene, sheets).encode()


def kit_lanterns(scene: Scene) -> list[Lantern]:
    """The lanterns that something takes and that have anything to be painted out or no plate of
    their own yet. Raises Refusal where there is none."""
    required_camera(scene)
    taken = {one.id for p in scene.proxies if not p.hidden for one in lanterns_of(scene, p.id)}
    out = [
        one for one in scene.lanterns
        if one.view is not None or (
            one.id in taken and (painted_out(scene, one) or one.plate is not None or one.stand_in)
        )
    ]  # fmt: skip
    if not out:
        raise Refusal(
            "Nothing has to be painted: no lantern that is taken shows a thing that is not its "
            "own. Take the split first."
        )
    return out


def _savable(pixels: NDArray[Any]) -> NDArray[Any]:
    if pixels.dtype.kind != "f":
        return pixels
    return np.asarray(pixels.clip(0, 1) * np.float32(65535) + np.float32(0.5), np.uint16)


def _note(scene: Scene, sheets: list[Any]) -> str:
    lines = [
        f"{scene.name}: plates to paint",
        "",
        "Paint on the layer called plate (or on new layers above it), or on the PNG of the same",
        "name. Keep the canvas as it is: its size, and what is where. The layers called remove,",
        "reveal, wire and grid are guides; they are left out when a file comes back.",
        "Files find their lantern by their name: keep it, and add to it what you like behind it.",
        "",
    ]
    for name, gone, share, shape, size in sheets:
        lines.append(f"{name}: {shape[1]} x {shape[0]} pixels")
        if size is not None:
            wide, high = (f"{v:.3g} m" for v in size)
            lines.append(f"  a face seen square on, really {wide} wide and {high} high")
        if gone:
            lines.append(f"  paint out: {', '.join(gone)}")
            lines.append(f"  the move shows {100 * share:.0f} % of what is behind them (reveal)")
        lines.append("")
    return "\n".join(lines)


def kit(scene: Scene, pixels: Pixels) -> bytes:
    """A paint kit as a ZIP."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in kit_files(scene, pixels):
            archive.writestr(name, data)
    return out.getvalue()
