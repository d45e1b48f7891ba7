"""The split of a made still, painted: a clean plate for each of its lanterns."""

from __future__ import annotations

import os
from collections.abc import Callable
from hashlib import sha256
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np

from ..core.arrays import Flags
from ..core.camera import Camera
from ..core.cast.fill import removed
from ..core.cast.kit import revealed
from ..core.cast.take import TakeSplit, painted_out
from ..core.change import changed
from ..core.picture import png, read_still
from ..core.scene.edits import Edit, PutLanterns, apply
from ..core.scene.edits.cast import thrown_anew
from ..core.scene.model import Lantern, Scene
from ..core.scene.plate import Plate
from ..core.sight.measure import required_camera
from .picture import clean_plate
from .world import Shapes


class Painted(NamedTuple):
    """What a still was painted of. name: what its plates are called by. painted_as: the names that
    the painter knows a proxy of some name as."""

    name: str
    shapes: Shapes
    lens: Camera
    painted_as: Callable[[str], set[str]]


def split_and_painted(
    scene: Scene, still: bytes, folder: Path, of: Painted
) -> tuple[list[tuple[Edit, Scene]], list[bytes]]:
    """The steps that carry a demo on through Cast, and the plates that they bring: the split
    taken, and a clean plate for each of its lanterns, painted as the still is without what hides
    its proxies. folder: where plates are found again that were painted before."""
    steps: list[tuple[Edit, Scene]] = []
    edit, scene = changed(scene, TakeSplit())
    steps.append((edit, scene))
    pixels = read_still(still).pixels
    painted, files = [], []
    for lantern in scene.lanterns:
        gone = painted_out(scene, lantern)
        if not gone:
            continue
        name = f"{of.name}-{lantern.name.replace(' ', '-')}"
        # painted anew where another split paints out other things
        path = folder / f"{name}-{sha256(' '.join(gone).encode()).hexdigest()[:8]}.png"
        if not path.exists():
            size = pixels.shape[1], pixels.shape[0]
            todo = removed(scene, lantern, *size)
            shown = shown_of(scene, lantern, size)
            names = {p.id: p.name for p in scene.proxies}
            parts = {part for id in gone for part in of.painted_as(names[id])}
            plate = clean_plate(pixels, of.shapes, of.lens, parts, todo.area, shown)
            part = path.with_suffix(f".{os.getpid()}.part")
            part.write_bytes(png(plate, effort=6))
            part.replace(path)
        data = path.read_bytes()
        files.append(data)
        painted.append(thrown_anew(lantern, plate_of_file(data, f"{name}.png"), stand_in=False))
    edit = PutLanterns(lanterns=tuple(painted), said=f"Paint for {len(painted)} lanterns")
    steps.append((edit, apply(scene, edit)))
    return steps, files


def plate_of_file(data: bytes, name: str) -> Plate:
    read = read_still(data)
    return Plate(
        name=name, width=read.width, height=read.height, digest=read.digest, format=read.format,
        bits=read.bits,
    )  # fmt: skip


def shown_of(scene: Scene, lantern: Lantern, size: tuple[int, int]) -> Flags:
    """(H, W) what the move shows of what is to be painted, and a little more."""
    small = (size[0] // 4, size[1] // 4)
    todo = removed(scene, lantern, *small)
    camera = required_camera(scene).resized(*small)
    found = revealed(scene, camera, todo.area, todo.behind).astype(np.uint8)
    return np.asarray(cv2.resize(cv2.dilate(found, np.ones((5, 5), np.uint8)), size) > 0, bool)
