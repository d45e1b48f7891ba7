"""A whole project as one open archive: a ZIP with the scene as JSON, the plate's own file, and of
a flattened plate the bent one that it was made from."""

from __future__ import annotations

import io
import lzma
import zipfile
import zlib
from dataclasses import dataclass

from ..picture import Still, read_still
from ..picture.still import MOST_PIXELS
from ..refusal import Refusal
from ..scene.check import checked
from ..scene.document import as_text, read
from ..scene.model import Scene

SCENE, PLATE, BENT = "scene.json", "plate", "plate-bent"
LARGEST_SCENE_BYTES = 64_000_000
LARGEST_PLATE_BYTES = 2_000_000_000

# what zipfile and its decompressors say of an archive that is damaged, locked or of another kind
UNREADABLE = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, KeyError, EOFError, OSError, ValueError,
    RuntimeError, NotImplementedError, OverflowError,
)  # fmt: skip


@dataclass(frozen=True)
class Unpacked:
    """A scene with its plate's file, and the bent plate's where the plate was flattened."""

    scene: Scene
    plate: bytes
    bent: bytes | None = None


def packed(scene: Scene, plate: bytes, bent: bytes | None = None) -> bytes:
    """The archive's bytes. bent: the file that a flattened plate was made from."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(SCENE, as_text(scene))
        archive.writestr(PLATE, plate, compress_type=zipfile.ZIP_STORED)
        if bent is not None:
            archive.writestr(BENT, bent, compress_type=zipfile.ZIP_STORED)
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
    by = scene.plate.flattened
    if by is None or bent is None:
        return Unpacked(scene, plate)
    if _told(read_still(bent, most_pixels)) != (by.digest, by.width, by.height):
        raise Refusal("The bent plate in this archive is not the one that was flattened.")
    return Unpacked(scene, plate, bent)


def _told(still: Still) -> tuple[str, int, int]:
    return still.digest, still.width, still.height


def _member(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    if archive.getinfo(name).file_size > most:
        raise Refusal("This archive holds more than can be read.")
    return archive.read(name)
