"""A whole project as one open archive: a ZIP with the scene as JSON, the plate's own file, of a
flattened plate the bent one that it was made from, and the plates of other lanterns."""

from __future__ import annotations

import io
import lzma
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import dataclass

from ..budget import Budget
from ..picture import read_still
from ..picture.still import MOST_PIXELS
from ..refusal import Refusal
from ..scene.check import checked
from ..scene.document import as_text, read
from ..scene.model import Flattened, Plate, Scene
from ..scene.pictures import pictures_in

SCENE, PLATE, BENT, PLATES = "scene.json", "plate", "plate-bent", "plates/"
LARGEST_SCENE_BYTES = 64_000_000
MOST_UNPACKED_BYTES = 16_000_000_000  # files and what they decode to, one after another

# what zipfile and its decompressors say of an archive that is damaged, locked or of another kind
UNREADABLE = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, KeyError, EOFError, OSError, ValueError,
    RuntimeError, NotImplementedError, OverflowError,
)  # fmt: skip


@dataclass(frozen=True)
class Unpacked:
    """A scene with its pictures' files by their digests: the plate's, the bent plate's where the
    plate was flattened and it is there, and those of lanterns."""

    scene: Scene
    files: Mapping[str, bytes]


def _members(scene: Scene) -> dict[str, str]:
    """What a scene's pictures are called in an archive, by digest."""
    out = {digest: f"{PLATES}{digest}" for digest in sorted(pictures_in(scene))}
    out[scene.plate.digest] = PLATE
    if scene.plate.flattened is not None:
        out[scene.plate.flattened.digest] = BENT
    return out


def packed(scene: Scene, files: Mapping[str, bytes]) -> bytes:
    """The archive's bytes. files: its pictures by digest; of the bent plate it may be missing."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(SCENE, as_text(scene))
        for digest, name in _members(scene).items():
            if digest in files or name != BENT:
                archive.writestr(name, files[digest], compress_type=zipfile.ZIP_STORED)
    return out.getvalue()


def unpacked(data: bytes, most_pixels: int = MOST_PIXELS, budget: Budget | None = None) -> Unpacked:
    """What is in an archive, checked as a project's own scenes are. Only what its scene names is
    read.

    Raises Refusal where the archive is not whole, or its scene not sound, or not of its plates, or
    where it is more than its budget has left.
    """
    budget = budget or Budget(MOST_UNPACKED_BYTES)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            scene = checked(read(_member(archive, SCENE, LARGEST_SCENE_BYTES)))
            there = set(archive.namelist())
            named = {d: n for d, n in _members(scene).items() if n in there}
            for member in set(named.values()):
                budget.take(archive.getinfo(member).file_size)
            files = {d: archive.read(name) for d, name in named.items()}
    except Refusal:
        raise
    except UNREADABLE as error:
        encrypted = isinstance(error, RuntimeError) and "encrypted" in str(error)
        raise Refusal(
            "This archive is encrypted. Save it without a password."
            if encrypted
            else "This file is no project archive, or it is damaged."
        ) from error
    plate, by = scene.plate, scene.plate.flattened
    if plate.digest not in files:
        raise Refusal("The plate is missing in this archive.")
    if not _is(files[plate.digest], plate, most_pixels, budget):
        raise Refusal("The plate in this archive is not the one its scene was made on.")
    if by is not None and by.digest in files and not _is(files[by.digest], by, most_pixels, budget):
        raise Refusal("The bent plate in this archive is not the one that was flattened.")
    seen = {plate.digest}
    for lantern in scene.lanterns:
        for one in (lantern.plate, *lantern.earlier, lantern.mask):
            if one is None or one.digest in seen:
                continue
            seen.add(one.digest)
            if one.digest not in files:
                raise Refusal(f"A plate of the lantern {lantern.name} is missing in this archive.")
            if not _is(files[one.digest], one, most_pixels, budget):
                raise Refusal(f"A plate of the lantern {lantern.name} is not what its scene says.")
    return Unpacked(scene, files)


def _is(data: bytes, plate: Plate | Flattened, most_pixels: int, budget: Budget) -> bool:
    """Whether a file is the picture that a scene says it is."""
    still = read_still(data, most_pixels, budget)
    return (still.digest, still.width, still.height) == (plate.digest, plate.width, plate.height)


def _member(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    if archive.getinfo(name).file_size > most:
        raise Refusal("This archive holds more than can be read.")
    return archive.read(name)
