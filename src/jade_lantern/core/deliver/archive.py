"""A whole project as one open archive: a ZIP with the scene as JSON, the plate's own file, of a
flattened plate the bent one that it was made from, and the plates of other lanterns."""

from __future__ import annotations

import io
import lzma
import zipfile
import zlib
from collections.abc import Mapping
from dataclasses import dataclass

from ..picture import Still, read_still
from ..picture.still import MOST_PIXELS
from ..refusal import Refusal
from ..scene.check import checked
from ..scene.document import as_text, read
from ..scene.model import Lantern, Plate, Scene
from ..scene.pictures import pictures_in

SCENE, PLATE, BENT, PLATES = "scene.json", "plate", "plate-bent", "plates/"
LARGEST_SCENE_BYTES = 64_000_000
LARGEST_PLATE_BYTES = 2_000_000_000

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


def unpacked(data: bytes, most_pixels: int = MOST_PIXELS) -> Unpacked:
    """What is in an archive, checked as a project's own scenes are.

    Raises Refusal where the archive is not whole, or its scene not sound, or not of its plates.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = archive.namelist()
            text = _member(archive, SCENE, LARGEST_SCENE_BYTES)
            plate = _member(archive, PLATE, LARGEST_PLATE_BYTES)
            bent = _member(archive, BENT, LARGEST_PLATE_BYTES) if BENT in names else None
            lit = {
                n.removeprefix(PLATES): _member(archive, n, LARGEST_PLATE_BYTES)
                for n in names if n.startswith(PLATES)
            }  # fmt: skip
    except Refusal:
        raise
    except UNREADABLE as error:
        encrypted = isinstance(error, RuntimeError) and "encrypted" in str(error)
        raise Refusal(
            "This archive is encrypted. Save it without a password."
            if encrypted
            else "This file is no project archive, or it is damaged."
        ) from error
    scene = checked(read(text))
    still = read_still(plate, most_pixels)
    if _told(still) != (scene.plate.digest, scene.plate.width, scene.plate.height):
        raise Refusal("The plate in this archive is not the one its scene was made on.")
    files = {scene.plate.digest: plate}
    by = scene.plate.flattened
    if by is not None and bent is not None:
        if _told(read_still(bent, most_pixels)) != (by.digest, by.width, by.height):
            raise Refusal("The bent plate in this archive is not the one that was flattened.")
        files[by.digest] = bent
    for lantern in scene.lanterns:
        for one in (lantern.plate, *lantern.earlier, lantern.mask):
            if one is not None and one.digest not in files:
                files[one.digest] = _checked_plate(one, lit.get(one.digest), lantern, most_pixels)
    return Unpacked(scene, files)


def _checked_plate(plate: Plate, data: bytes | None, lantern: Lantern, most_pixels: int) -> bytes:
    if data is None:
        raise Refusal(f"A plate of the lantern {lantern.name} is missing in this archive.")
    if _told(read_still(data, most_pixels)) != (plate.digest, plate.width, plate.height):
        raise Refusal(f"A plate of the lantern {lantern.name} is not what its scene says.")
    return data


def _told(still: Still) -> tuple[str, int, int]:
    return still.digest, still.width, still.height


def _member(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    if archive.getinfo(name).file_size > most:
        raise Refusal("This archive holds more than can be read.")
    return archive.read(name)
