"""A whole project as one open archive: a ZIP with the scene as JSON and the plate's own file."""

from __future__ import annotations

import io
import zipfile

from ..picture import read_still
from ..refusal import Refusal
from ..scene.document import read, written
from ..scene.model import Scene

SCENE, PLATE = "scene.json", "plate"
LARGEST_BYTES = 2_000_000_000


def packed(scene: Scene, plate_file: bytes) -> bytes:
    """The archive's bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(SCENE, written(scene))
        archive.writestr(PLATE, plate_file, compress_type=zipfile.ZIP_STORED)
    return out.getvalue()


def unpacked(data: bytes) -> tuple[Scene, bytes]:
    """A scene and its plate's file. Raises Refusal where the archive is not whole."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for name in (SCENE, PLATE):
                if archive.getinfo(name).file_size > LARGEST_BYTES:
                    raise Refusal("This archive holds more than can be read.")
            scene, plate = read(archive.read(SCENE)), archive.read(PLATE)
    except (zipfile.BadZipFile, KeyError, EOFError, OSError) as error:
        raise Refusal("This file is no project archive, or it is damaged.") from error
    still = read_still(plate)
    if still.digest != scene.plate.digest:
        raise Refusal("The plate in this archive is not the one its scene was made on.")
    return scene, plate
