"""A whole project as one open archive: a ZIP with the scene as JSON, the plate's own file, of a
flattened plate the bent one that it was made from, the plates of other lanterns, and the files of
guests."""

from __future__ import annotations

import hashlib
import io
import lzma
import shutil
import time
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from ..budget import Budget
from ..dress.facts import require_true_model
from ..picture import read_still
from ..picture.source import source_of
from ..picture.still import MOST_PIXELS
from ..refusal import Refusal
from ..scene.check import checked
from ..scene.document import as_text, read
from ..scene.guests import ModelGuest, PictureGuest
from ..scene.model import Scene
from ..scene.pictures import pictures_in
from ..scene.plate import Flattened, Plate
from ..store import Members, Store
from ..store import read as whole

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
    """A scene with its pictures' files: the plate's, the bent plate's where the plate was flattened
    and it is there, and those of lanterns."""

    scene: Scene
    pictures: Members


def is_archive(path: Path) -> bool:
    """Whether a file is a project archive, as far as its table of contents says."""
    try:
        with zipfile.ZipFile(path) as archive:
            return SCENE in archive.namelist()
    except (zipfile.BadZipFile, OSError):
        return path.read_bytes()[:2] == b"PK"


def _members(scene: Scene) -> dict[str, str]:
    """What a scene's pictures are called in an archive, by digest."""
    out = {digest: f"{PLATES}{digest}" for digest in sorted(pictures_in(scene))}
    out[scene.plate.digest] = PLATE
    if scene.plate.flattened is not None:
        out[scene.plate.flattened.digest] = BENT
    return out


def packed(scene: Scene, pictures: Store) -> bytes:
    """The archive's bytes."""
    out = io.BytesIO()
    pack(scene, pictures, out)
    return out.getvalue()


def pack(scene: Scene, pictures: Store, out: BinaryIO) -> None:
    """Write an archive, one picture after another. Of the bent plate the file may be missing;
    raises Refusal where another one is."""
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(SCENE, as_text(scene))
        for digest, name in _members(scene).items():
            if name == BENT and not pictures.there(digest):
                continue
            member = zipfile.ZipInfo(name, time.localtime()[:6])
            with pictures.open(digest) as file, archive.open(member, "w", force_zip64=True) as into:
                shutil.copyfileobj(file, into, 1 << 20)


def unpacked(
    source: bytes | Path, most_pixels: int = MOST_PIXELS, budget: Budget | None = None
) -> Unpacked:
    """What is in an archive, checked as a project's own scenes are. Only what its scene names is
    read, one picture after another; of a path they stay where they are.

    Raises Refusal where the archive is not whole, or its scene not sound, or not of its plates, or
    where it is more than its budget has left.
    """
    budget = budget or Budget(MOST_UNPACKED_BYTES)
    try:
        file = io.BytesIO(source) if isinstance(source, bytes) else source
        with zipfile.ZipFile(file) as archive:
            scene = checked(read(_member(archive, SCENE, LARGEST_SCENE_BYTES)))
            there = set(archive.namelist())
            for member in set(_members(scene).values()) & there:
                budget.take(archive.getinfo(member).file_size)
        pictures = Members(source, _members(scene))
        _check(scene, pictures, most_pixels, budget)
    except Refusal:
        raise
    except UNREADABLE as error:
        encrypted = isinstance(error, RuntimeError) and "encrypted" in str(error)
        raise Refusal(
            "This archive is encrypted. Save it without a password."
            if encrypted
            else "This file is no project archive, or it is damaged."
        ) from error
    return Unpacked(scene, pictures)


def _check(scene: Scene, pictures: Members, most_pixels: int, budget: Budget) -> None:
    """Raises Refusal where a picture is missing or not what its scene says."""

    def sound(plate: Plate | Flattened) -> bool:
        if isinstance(plate, Plate) and plate.playing is not None:
            return _plays_as(pictures, plate, most_pixels)
        return _is(whole(pictures, plate.digest), plate, most_pixels, budget)

    plate, by = scene.plate, scene.plate.flattened
    if not pictures.there(plate.digest):
        raise Refusal("The plate is missing in this archive.")
    if not sound(plate):
        raise Refusal("The plate in this archive is not the one its scene was made on.")
    if by is not None and pictures.there(by.digest) and not sound(by):
        raise Refusal("The bent plate in this archive is not the one that was flattened.")
    seen = {plate.digest}
    for lantern in scene.lanterns:
        for one in (lantern.plate, *lantern.earlier, lantern.mask):
            if one is None or one.digest in seen:
                continue
            seen.add(one.digest)
            if not pictures.there(one.digest):
                raise Refusal(f"A plate of the lantern {lantern.name} is missing in this archive.")
            if not sound(one):
                raise Refusal(f"A plate of the lantern {lantern.name} is not what its scene says.")
    table = None if scene.look is None else scene.look.table
    if table is not None and not (pictures.there(table) and _summed(pictures, table) == table):
        raise Refusal("The look's table is missing in this archive, or not what its scene says.")
    needed = [(digest, one.name) for one in scene.lights for digest in one.pictures()]
    reliefs = [(one.relief.picture, one.name) for one in scene.lanterns if one.relief is not None]
    for digest, name in (*needed, *reliefs):
        if digest and not (pictures.there(digest) and _summed(pictures, digest) == digest):
            raise Refusal(
                f"A picture of {name} is missing in this archive, or not what its scene says."
            )
    for guest in scene.guests:
        for digest in guest.pictures() - seen:
            seen.add(digest)
            if not pictures.there(digest):
                raise Refusal(f"The file of the guest {guest.name} is missing in this archive.")
            card = guest.plate if isinstance(guest, PictureGuest) else None
            if not (sound(card) if card else _summed(pictures, digest) == digest):
                raise Refusal(f"The file of the guest {guest.name} is not what its scene says.")
        if isinstance(guest, ModelGuest):
            require_true_model(guest.file, pictures.open)


def _summed(pictures: Members, digest: str) -> str:
    """The digest of a member as it is."""
    sum_ = hashlib.sha256()
    with pictures.open(digest) as file:
        while part := file.read(1 << 20):
            sum_.update(part)
    return sum_.hexdigest()


def _plays_as(pictures: Members, plate: Plate, most_pixels: int) -> bool:
    """Whether a file is the pictures over time that a scene says it is. Raises Refusal where they
    are larger than can be worked on, before any is decoded."""
    if _summed(pictures, plate.digest) != plate.digest:
        return False
    if plate.width * plate.height > most_pixels:
        raise Refusal("A movie in this archive is larger than can be worked on.")
    source = source_of(pictures.open(plate.digest))
    facts = source.facts
    source.close()
    said = plate.playing
    return said is not None and (facts.width, facts.height, facts.count) == (
        plate.width, plate.height, said.count
    )  # fmt: skip


def _is(data: bytes, plate: Plate | Flattened, most_pixels: int, budget: Budget) -> bool:
    """Whether a file is the picture that a scene says it is."""
    still = read_still(data, most_pixels, budget)
    return (still.digest, still.width, still.height) == (plate.digest, plate.width, plate.height)


def _member(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    if archive.getinfo(name).file_size > most:
        raise Refusal("This archive holds more than can be read.")
    return archive.read(name)
