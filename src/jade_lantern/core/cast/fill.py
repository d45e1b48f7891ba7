"""Rough fill: pixels of a plate that nearer things hide, made up from what is visible beside them,
so that a move can be judged before anybody has painted.

Each plane is rectified first, so that slabs and boards repeat without perspective, and completed
from patches of the same plane (see `patches`). Bent surfaces, and planes of which nothing is
visible, are completed in the picture itself.

Measured against the painter's own pictures, where a moved camera shows what was hidden (the scenes
of tests/core/test_cast_truth.py): 33.8 dB in the room and 24.1 dB on the quay. `cv2.inpaint` with
the whole still as its source comes to 29.4 and 23.1 dB (Telea), or 29.0 and 23.4 dB
(Navier-Stokes), and blurs boards and slabs away.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import Field

from ..arrays import Bytes, Flags, Floats, Indices
from ..camera import Camera
from ..deadline import check_time
from ..mesh import joined
from ..refusal import Refusal
from ..render.land import near_limit
from ..render.see import Seen, see
from ..scene.edits import Edit, PutLanterns
from ..scene.edits.cast import thrown_anew
from ..scene.edits.edit import the_one
from ..scene.gesture import PictureGesture
from ..scene.model import Lantern, Scene
from ..scene.pictures import Pictures, brought
from ..scene.sheet import lanterns_of
from ..sight.measure import required_camera
from ..value import Id
from .ofscene import cast_meshes, plate_camera
from .patches import completed
from .take import painted_out

MARGIN = 0.004  # of the plate's longer side, painted over around a thing's silhouette
CLOSE = 0.0008  # the same for a rough fill, so that seen from the lens next to nothing changes
LARGEST_FLAT = 600  # px, the longer side of a rectified piece
ROUND_ABOUT = 1.2  # of a hole's size: the distance within which patches are searched
FAR_STEP = 2.5  # ratio of depths that one rectified piece may span
LEAST_FLAT_PX = 24  # px; smaller holes are not rectified
LEAST_SOURCE = 0.06  # visible pixels of the same thing around a hole, relative to its area
LEAST_KNOWN = 0.08  # share of a rectified piece that has to be visible
BYTES_A_PIXEL = 40.0  # memory needed per pixel of a plate
BENT = 10  # surfaces of one mesh in a hole, above which the mesh counts as bent
UPRIGHT = 0.5  # vertical part of a unit normal below which a surface is a wall


class Fill(PictureGesture):
    """Fill in roughly what is to be painted out of lanterns' plates, as stand-ins until they are
    painted."""

    verb: Literal["Fill"] = "Fill"
    lanterns: Annotated[tuple[Id, ...], Field(min_length=1, max_length=64)]

    def memory_bytes(self, scene: Scene) -> float:
        plates = (one.plate or scene.plate for one in scene.lanterns if one.id in self.lanterns)
        return BYTES_A_PIXEL * max((p.width * p.height for p in plates), default=0)

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        out = []
        for id in self.lanterns:
            check_time()
            lantern = the_one(scene.lanterns, id, "lantern")
            if lantern.plate is not None and not lantern.stand_in:
                raise Refusal(f"{lantern.name} has been painted, so it was not filled.")
            filled = filled_plate(scene, lantern, pictures.look(scene.plate).pixels)
            plate = brought(pictures, f"{lantern.name} stand-in", filled)
            out.append(thrown_anew(lantern, plate, stand_in=True))
        what = out[0].name if len(out) == 1 else f"{len(out)} lanterns"
        return PutLanterns(lanterns=tuple(out), said=f"Fill {what}"[:80])


@dataclass(frozen=True)
class Removed:
    """What is to be painted out of a plate, in its pixels. area: (H, W) the silhouettes and a
    margin. behind: the visibility buffer of the proxies that take the lantern."""

    area: Flags
    behind: Seen


def removed(
    scene: Scene, lantern: Lantern, width: int, height: int, margin: float = MARGIN
) -> Removed:
    """What is to be painted out of a lantern's plate, at a size: the pixels where another proxy is
    in front of those that take it. margin: of the longer side, added around it."""
    sighted = required_camera(scene)
    camera = plate_camera(lantern, sighted).resized(width, height)
    shown = [p for p in scene.proxies if not p.hidden]
    gone = set(painted_out(scene, lantern))
    near = near_limit([sighted])
    takes = [p for p in shown if lantern in lanterns_of(scene, p.id)]
    own = cast_meshes(scene, sighted, takes)
    out = cast_meshes(scene, sighted, [p for p in shown if p.id in gone])
    behind = see(joined(own), camera, near)
    before = see(joined(out), camera, near)
    hides = hiding(before, behind).astype(np.uint8)
    reach = max(round(margin * max(width, height)), 1)
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    return Removed(np.asarray(cv2.dilate(hides, ring), bool), behind)


def hiding(before: Seen, behind: Seen) -> Flags:
    """(H, W) where the surfaces of one visibility buffer are in front of another's."""
    rows, columns = np.nonzero(before.surface >= 0)
    hides = np.zeros(behind.surface.shape, bool)
    hides[rows, columns] = _inverse(before, rows, columns) > _inverse(behind, rows, columns)
    return hides


def _inverse(seen: Seen, rows: Indices, columns: Indices) -> Floats:
    """(N,) one over the depth at pixels; 0 where nothing is seen."""
    surface = seen.surface[rows, columns].astype(np.int64)
    out = np.zeros(len(rows))
    there = surface >= 0
    at = np.stack([columns + 0.5, rows + 0.5], axis=1)
    if there.any():
        out[there] = seen.inverse_depth_at(surface[there], at[there])
    return out


def filled_plate(scene: Scene, lantern: Lantern, still: Bytes) -> Bytes:
    """A lantern's plate (H, W, 3) with what is to be painted out of it filled in. Raises Refusal
    for a lantern that does not show what the still shows."""
    height, width = still.shape[:2]
    if lantern.view is not None or lantern.window is not None:
        raise Refusal(f"{lantern.name} does not show what the still shows, so it is not filled.")
    todo = removed(scene, lantern, width, height, CLOSE)
    camera = plate_camera(lantern, required_camera(scene)).resized(width, height)
    return filled(np.ascontiguousarray(still), todo.area, todo.behind, camera)


def filled(still: Bytes, area: Flags, behind: Seen, camera: Camera) -> Bytes:
    """A picture with an area (H, W) of it filled, each surface behind from its own visible part."""
    out = still.copy()
    surface = behind.surface
    owners = behind.screen.owner
    wanted = area & (surface >= 0)
    owner = np.where(surface >= 0, owners[surface], -1) if len(owners) else surface
    for o in np.unique(owner[wanted]).tolist():
        mine = owner == o
        numbers, counts = np.unique(surface[mine & area], return_counts=True)
        rest = np.zeros(area.shape, bool)
        each = zip(numbers.tolist(), counts.tolist(), strict=True)
        for s, count in sorted(each, key=lambda n: -n[1]):
            here = (surface == s) & area
            if len(numbers) > BENT or count < LEAST_FLAT_PX:
                rest |= here
                continue
            rest |= here & ~_fill_surface(out, still, camera, behind, s, here)
        if rest.any():
            _fill_in_picture(out, mine & ~area, rest)
    return out


def _fill_surface(
    out: Bytes, still: Bytes, camera: Camera, behind: Seen, s: int, here: Flags
) -> Flags:
    """Fill a plane's part of the area piece by piece. Returns (H, W) the pixels that were
    filled."""
    done = np.zeros(here.shape, bool)
    mine = behind.surface == s
    for part in _pieces(behind, s, here):
        rows, columns = np.nonzero(part)
        x, y, w, h = columns.min(), rows.min(), np.ptp(columns) + 1, np.ptp(rows) + 1
        grow_x, grow_y = int(ROUND_ABOUT * w) + 8, int(ROUND_ABOUT * h) + 8
        box = (
            slice(max(y - grow_y, 0), y + h + grow_y), slice(max(x - grow_x, 0), x + w + grow_x)
        )  # fmt: skip
        flat = _flat(camera, behind, s, part, mine, box)
        upright = abs(behind.screen.plane[s, 1]) < UPRIGHT
        if flat is not None and _fill_flat(out, still, mine, here, part, *flat, upright):
            done |= part
    return done


def _pieces(behind: Seen, s: int, here: Flags) -> Iterator[Flags]:
    """The connected pieces of a plane's area, cut by depth: a floor that runs to the horizon cannot
    be rectified at one resolution."""
    rows, columns = np.nonzero(here)
    at = np.stack([columns + 0.5, rows + 0.5], axis=1)
    inverse = behind.inverse_depth_at(np.full(len(rows), s), at)
    steps = np.floor(np.log2(np.maximum(inverse, 1e-12)) / np.log2(FAR_STEP)).astype(int)
    for step in np.unique(steps).tolist():
        some = np.zeros(here.shape, np.uint8)
        some[rows[steps == step], columns[steps == step]] = 1
        count, labels = cv2.connectedComponents(some)
        for k in range(1, count):
            yield labels == k


def _flat(
    camera: Camera, behind: Seen, s: int, part: Flags, mine: Flags, box: tuple[slice, slice]
) -> tuple[Floats, tuple[int, int]] | None:
    """The homography (3, 3) from pixels of the rectified piece around a part of a plane to the
    plate's, and the piece's width and height. None where the piece reaches too near the camera."""
    plane = behind.screen.plane[s]
    normal = plane[:3]
    across = np.cross([0.0, 1.0, 0.0], normal)
    if np.linalg.norm(across) < 0.05:  # a floor: aligned with the viewing direction
        across = np.cross(camera.forward, normal)
    across = across / np.linalg.norm(across)
    up = np.cross(normal, across)
    uv, depth = _on_plane(camera, behind, s, part, across, up)
    low, high = uv.min(axis=0), uv.max(axis=0)
    near = np.zeros(part.shape, bool)
    near[box] = mine[box]
    round_uv, round_depth = _on_plane(camera, behind, s, near, across, up)
    fits = (round_depth > 0.4 * depth.min()) & (round_depth < 2.5 * depth.max())
    if fits.any():
        low = np.minimum(low, round_uv[fits].min(axis=0))
        high = np.maximum(high, round_uv[fits].max(axis=0))
    # the plate's median resolution there, within LARGEST_FLAT
    fine = float(np.median(depth)) / camera.focal_px
    fine = max(fine, float((high - low).max()) / LARGEST_FLAT)
    w, h = (max(int(np.ceil(v / fine)), 8) for v in (high - low).tolist())
    corner = plane[3] * normal + low[0] * across + high[1] * up
    axes = np.stack([across * fine, -up * fine, corner - camera.position], axis=1)
    mapping: Floats = camera.projection() @ axes
    ends = mapping[2] @ np.array([[0, w, w, 0], [0, 0, h, h], [1, 1, 1, 1.0]])
    return None if (ends < 0.1 * depth.min()).any() else (mapping, (w, h))


def _on_plane(
    camera: Camera, behind: Seen, s: int, where: Flags, across: Floats, up: Floats
) -> tuple[Floats, Floats]:
    """Coordinates of a surface's pixels along two axes (N, 2), and their depths (N,)."""
    rows, columns = np.nonzero(where)
    step = max(len(rows) // 4000, 1)
    at = np.stack([columns[::step] + 0.5, rows[::step] + 0.5], axis=1)
    depth = 1.0 / behind.inverse_depth_at(np.full(len(at), s), at)
    place = camera.position + camera.rays(at) * depth[:, None]
    return np.stack([place @ across, place @ up], axis=1), depth


def _fill_flat(
    out: Bytes, still: Bytes, mine: Flags, here: Flags, part: Flags, mapping: Floats,
    size: tuple[int, int], upright: bool,
) -> bool:  # fmt: skip
    """Rectify a part of a plane, complete it and warp it back into the picture. False where too
    little of the plane is visible."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])  # OpenCV has pixel centres at integers
    to = np.linalg.inv(half) @ mapping @ half
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    flat = cv2.warpPerspective(still, to, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    clear = (mine & ~here).astype(np.uint8) * 255
    known = cv2.warpPerspective(clear, to, size, flags=flags) > 250
    hole = cv2.warpPerspective(part.astype(np.uint8) * 255, to, size, flags=flags) > 4
    if known.mean() < LEAST_KNOWN or not hole.any():
        return False
    # two pixels more, since warping back interpolates
    wanted = cv2.dilate(hole.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    flat = completed(np.asarray(flat, np.uint8), known, wanted, upright)
    rows, columns = np.nonzero(part)
    x, y, w, h = columns.min(), rows.min(), np.ptp(columns) + 1, np.ptp(rows) + 1
    box = (slice(y, y + h), slice(x, x + w))
    shift = np.array([[1, 0, -x], [0, 1, -y], [0, 0, 1.0]])
    back = cv2.warpPerspective(
        flat, shift @ to, (int(w), int(h)), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE
    )
    out[box][part[box]] = np.asarray(back, np.uint8)[part[box]]
    return True


def _fill_in_picture(out: Bytes, source: Flags, rest: Flags) -> None:
    """Complete what could not be rectified in the picture itself, piece by piece and reduced where
    it is large: from visible pixels of the same thing, or from anything beside it where there are
    none."""
    count, labels, boxes, _ = cv2.connectedComponentsWithStats(rest.astype(np.uint8))
    for k in range(1, count):
        x, y, w, h = boxes[k, :4].tolist()
        hole = labels == k
        box = _round(x, y, w, h, rest.shape, max(w, h) // 2 + 12)
        known = source[box]
        if known.sum() < LEAST_SOURCE * hole.sum():
            box = _round(x, y, w, h, rest.shape, 2 * max(w, h))
            known = source[box]
        if known.sum() < LEAST_SOURCE * hole.sum():
            box = _round(x, y, w, h, rest.shape, 12)
            known = ~rest[box]
        if not known.any():
            continue
        piece = out[box]
        s = min(LARGEST_FLAT / max(piece.shape[:2]), 1.0)
        size = (max(int(piece.shape[1] * s), 8), max(int(piece.shape[0] * s), 8))
        small = cv2.resize(piece, size, interpolation=cv2.INTER_AREA)
        shown = cv2.resize(known.astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA) > 251
        if not shown.any():
            continue
        wanted = cv2.resize(hole[box].astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA)
        grown = cv2.dilate(wanted, np.ones((5, 5), np.uint8)) > 0
        made = completed(np.asarray(small, np.uint8), shown, grown)
        full = cv2.resize(made, (piece.shape[1], piece.shape[0]), interpolation=cv2.INTER_CUBIC)
        piece[hole[box]] = np.asarray(full, np.uint8)[hole[box]]


def _round(
    x: int, y: int, w: int, h: int, shape: tuple[int, ...], reach: int
) -> tuple[slice, slice]:
    """A box grown by `reach` on all sides, within the picture."""
    return (
        slice(max(y - reach, 0), min(y + h + reach, shape[0])),
        slice(max(x - reach, 0), min(x + w + reach, shape[1])),
    )
