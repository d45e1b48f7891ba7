"""Rough fill: what nearer things hide in a plate, made up from what shows beside it, so that a move
can be judged before anybody has painted.

It is done in the flat space of each surface, where slabs and boards run on in their perspective,
with patches from elsewhere on the same plane (shift maps: Pritch, Kav-Venaki & Peleg 2009, and He &
Sun 2012, as OpenCV has them). Where a surface is bent, or shows nothing of itself, it is done in
the picture.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import Field

from ..arrays import Bytes, Flags, Floats
from ..camera import Camera
from ..mesh import Mesh, joined
from ..refusal import Refusal
from ..scene.edits import Edit, PutPaint
from ..scene.edits.cast import Painted
from ..scene.edits.edit import the_one
from ..scene.gesture import PictureGesture
from ..scene.model import Lantern, Plate, Scene
from ..scene.pictures import Pictures
from ..scene.sheet import lanterns_of
from ..sight.measure import required_camera
from ..value import Id
from .land import near_limit
from .ofscene import plate_camera
from .see import Seen, see
from .take import painted_out

MARGIN = 0.004  # of the plate's longer side: so much round a thing is painted over with it
LARGEST_FLAT = 720  # px, the longer side of a flat piece that is filled at once
ROUND_ABOUT = 1.2  # of the size of what is to be filled: how far round it patches are sought
LEAST_KNOWN = 0.08  # of a flat piece must show before it can be filled from itself
BENT = 10  # surfaces of one mesh to be filled, past which it counts as bent
FEATHER = 2.5  # px over which what is filled goes over into the plate


class Fill(PictureGesture):
    """Fill in what is to be painted out of lanterns' plates, as stand-ins until paint comes."""

    verb: Literal["Fill"] = "Fill"
    lanterns: Annotated[tuple[Id, ...], Field(min_length=1, max_length=64)]

    def edit_with(self, scene: Scene, pictures: Pictures) -> Edit:
        out = []
        for id in self.lanterns:
            lantern = the_one(scene.lanterns, id, "lantern")
            if lantern.plate is not None and not lantern.stand_in:
                raise Refusal(f"{lantern.name} has been painted, so it was not filled.")
            filled = filled_plate(scene, lantern, pictures.look(scene.plate).pixels)
            plate = Plate(
                name=f"{lantern.name} stand-in"[:80], width=filled.shape[1],
                height=filled.shape[0], digest=pictures.bring(filled), format="PNG", bits=8,
            )  # fmt: skip
            out.append(Painted(lantern=id, plate=plate, stand_in=True))
        return PutPaint(painted=tuple(out))


@dataclass(frozen=True)
class Removed:
    """What is to be painted out of a plate, in its pixels. area: (H, W) of the things themselves
    and a margin. behind: what the lantern's own proxies show there."""

    area: Flags
    behind: Seen


def removed(scene: Scene, lantern: Lantern, width: int, height: int) -> Removed:
    """What is to be painted out of a lantern's plate of a size."""
    sighted = required_camera(scene)
    camera = plate_camera(lantern, sighted).resized(width, height)
    shown = [p for p in scene.proxies if not p.hidden]
    gone = set(painted_out(scene, lantern))
    near = near_limit([sighted])
    own = [p.mesh(sighted) for p in shown if lantern in lanterns_of(scene, p.id)]
    out = [p.mesh(sighted) for p in shown if p.id in gone]
    area = _area(out, camera, near)
    return Removed(area, see(*joined(own), camera, near))


def _area(meshes: list[Mesh], camera: Camera, near: float) -> Flags:
    """(H, W) where meshes show, and a margin round them."""
    shown = (see(*joined(meshes), camera, near).surface >= 0).astype(np.uint8)
    reach = max(round(MARGIN * max(camera.width, camera.height)), 2)
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    return np.asarray(cv2.dilate(shown, ring), bool)


def filled_plate(scene: Scene, lantern: Lantern, still: Bytes) -> Bytes:
    """A lantern's plate (H, W, 3) with what is to be painted out of it filled in."""
    height, width = still.shape[:2]
    if lantern.view is not None or lantern.window is not None:
        raise Refusal(f"{lantern.name} does not show what the still shows, so it is not filled.")
    todo = removed(scene, lantern, width, height)
    camera = plate_camera(lantern, required_camera(scene)).resized(width, height)
    return filled(np.ascontiguousarray(still), todo.area, todo.behind, camera)


def filled(still: Bytes, area: Flags, behind: Seen, camera: Camera) -> Bytes:
    """A picture with an area of it filled from what shows of each surface behind it."""
    out = still.copy()
    rest = np.zeros(area.shape, bool)
    surface = behind.surface
    wanted = area & (surface >= 0)
    numbers, counts = np.unique(surface[wanted], return_counts=True)
    owners = behind.screen.owner
    bent = [o for o in set(owners[numbers].tolist()) if (owners[numbers] == o).sum() > BENT]
    for s, count in sorted(
        zip(numbers.tolist(), counts.tolist(), strict=True), key=lambda n: -n[1]
    ):
        mine = surface == s
        here = mine & area
        flat = None if owners[s] in bent or count < 24 else _flat(camera, behind, s, here)
        if flat is None or not _fill_flat(out, still, mine, here, *flat):
            rest |= here
    if rest.any():
        _fill_in_picture(out, area, rest)
    return out


def _flat(
    camera: Camera, behind: Seen, s: int, here: Flags
) -> tuple[Floats, tuple[int, int]] | None:
    """Of a piece of a plane round what is to be filled: the mapping (3, 3) from its own pixels to
    the plate's, and its width and height. None where the plane is seen too flat."""
    plane = behind.screen.plane[s]
    normal = plane[:3]
    across = np.cross([0.0, 1.0, 0.0], normal)
    if np.linalg.norm(across) < 0.05:
        across = np.array([1.0, 0.0, 0.0])
    across = across / np.linalg.norm(across)
    up = np.cross(normal, across)
    rows, columns = np.nonzero(here)
    step = max(len(rows) // 4000, 1)
    at = np.stack([columns[::step] + 0.5, rows[::step] + 0.5], axis=1)
    depth = 1.0 / behind.inverse_depth_at(np.full(len(at), s), at)
    place = camera.position + camera.rays(at) * depth[:, None]
    uv = np.stack([place @ across, place @ up], axis=1)
    low, high = np.percentile(uv, 1, axis=0), np.percentile(uv, 99, axis=0)
    size = np.maximum(high - low, 1e-6)
    low, high = low - ROUND_ABOUT * size, high + ROUND_ABOUT * size
    # as fine as the plate is there on the whole, and no larger than can be filled at once
    fine = float(np.median(depth)) / camera.focal_px
    fine = max(fine, float((high - low).max()) / LARGEST_FLAT)
    w, h = (max(int(np.ceil(v / fine)), 8) for v in (high - low).tolist())
    corner = plane[3] * normal + low[0] * across + high[1] * up
    projection = camera.projection()
    columns_ = np.stack([across * fine, -up * fine, corner - camera.position], axis=1)
    mapping: Floats = projection @ columns_
    ends = mapping @ np.array([[0, w, w, 0], [0, 0, h, h], [1, 1, 1, 1.0]])
    if (ends[2] <= 1e-9 * np.abs(ends[2]).max()).any():
        return _nearer(mapping, w, h)
    return mapping, (w, h)


def _nearer(mapping: Floats, w: int, h: int) -> tuple[Floats, tuple[int, int]] | None:
    """A flat piece that reaches behind the camera, cut to what lies before it."""
    x, y = np.meshgrid(np.linspace(0, w, 33), np.linspace(0, h, 33))
    ahead = mapping[2, 0] * x + mapping[2, 1] * y + mapping[2, 2] > 0.02 * np.abs(mapping[2]).max()
    for keep in (np.s_[:, 8:25], np.s_[8:25, :], np.s_[8:25, 8:25]):
        if ahead[keep].all():
            left, top = x[keep].min(), y[keep].min()
            wide, high = np.ptp(x[keep]), np.ptp(y[keep])
            shift = np.array([[1, 0, left], [0, 1, top], [0, 0, 1.0]])
            return mapping @ shift, (int(wide), int(high))
    return None


def _fill_flat(
    out: Bytes, still: Bytes, mine: Flags, here: Flags, mapping: Floats, size: tuple[int, int]
) -> bool:
    """Fill a flat piece, and lay it back into the picture; False where too little of it shows."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])  # OpenCV's pixels have whole centres
    to = np.linalg.inv(half) @ mapping @ half
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    flat = cv2.warpPerspective(still, to, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    clear = (mine & ~here).astype(np.uint8) * 255
    known = cv2.warpPerspective(clear, to, size, flags=flags) > 250
    hole = cv2.warpPerspective(here.astype(np.uint8) * 255, to, size, flags=flags) > 4
    if known.mean() < LEAST_KNOWN or not hole.any():
        return False
    flat = _completed(np.asarray(flat, np.uint8), known)
    back = cv2.warpPerspective(
        flat, np.linalg.inv(to), (out.shape[1], out.shape[0]), flags=flags,
        borderMode=cv2.BORDER_TRANSPARENT, dst=out.copy(),
    )  # fmt: skip
    _lay(out, np.asarray(back, np.uint8), here)
    return True


def _completed(picture: Bytes, known: Flags) -> Bytes:
    """A picture with what is not known of it made up of patches of what is."""
    lab = cv2.cvtColor(picture, cv2.COLOR_RGB2Lab)
    mask = known.astype(np.uint8) * 255
    made = np.zeros_like(lab)
    try:
        cv2.xphoto.inpaint(lab, mask, made, cv2.xphoto.INPAINT_SHIFTMAP)
    except cv2.error:
        return np.asarray(cv2.inpaint(picture, 255 - mask, 5, cv2.INPAINT_TELEA), np.uint8)
    made = cv2.cvtColor(made, cv2.COLOR_Lab2RGB)
    return np.asarray(np.where(known[..., None], picture, made), np.uint8)


def _lay(out: Bytes, over: Bytes, where: Flags) -> None:
    """Lay what was made over a picture, with its border going over softly inwards."""
    inner = cv2.distanceTransform(where.astype(np.uint8), cv2.DIST_L2, 3)
    share = np.clip(inner / FEATHER, 0, 1)[..., None]
    mixed = over * share + out * (1 - share)
    out[where] = (mixed[where] + 0.5).astype(np.uint8)


def _fill_in_picture(out: Bytes, area: Flags, rest: Flags) -> None:
    """Fill what no flat piece could be made for, piece by piece, smaller where it is large."""
    count, labels, boxes, _ = cv2.connectedComponentsWithStats(rest.astype(np.uint8))
    for k in range(1, count):
        x, y, w, h = boxes[k, :4].tolist()
        reach = max(w, h) // 2 + 12
        y0, y1 = max(y - reach, 0), min(y + h + reach, out.shape[0])
        x0, x1 = max(x - reach, 0), min(x + w + reach, out.shape[1])
        piece, hole = out[y0:y1, x0:x1], area[y0:y1, x0:x1]
        s = min(LARGEST_FLAT / max(piece.shape[:2]), 1.0)
        size = (max(int(piece.shape[1] * s), 8), max(int(piece.shape[0] * s), 8))
        small = cv2.resize(piece, size, interpolation=cv2.INTER_AREA)
        known = cv2.resize(hole.astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA) < 4
        if not known.any():
            continue
        made = _completed(np.asarray(small, np.uint8), known)
        full = cv2.resize(made, (piece.shape[1], piece.shape[0]), interpolation=cv2.INTER_CUBIC)
        _lay(piece, np.asarray(full, np.uint8), labels[y0:y1, x0:x1] == k)
