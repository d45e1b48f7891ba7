"""Plates on disk: the file as it came, under its digest, and smaller copies made from it."""

from __future__ import annotations

import hashlib
import os
import tempfile
from functools import lru_cache
from pathlib import Path
from threading import Lock

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from ..core.cast.pyramid import Pyramid, pyramid
from ..core.picture import Still, png, preview, read_still
from ..core.refusal import Refusal
from ..core.scene.model import Plate
from ..core.sight.look import Look


def _folder() -> Path:
    path: Path = settings.DATA / "plates"
    path.mkdir(parents=True, exist_ok=True)
    return path


def keep(data: bytes, still: Still) -> None:
    """Keep a still's file, whole or not at all."""
    _write(_folder() / still.digest, data)


def _write(path: Path, data: bytes) -> None:
    if path.exists():
        return
    handle, part = tempfile.mkstemp(dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        Path(part).replace(path)
    except OSError:
        Path(part).unlink(missing_ok=True)
        raise


def original(plate: Plate) -> bytes:
    try:
        return (_folder() / plate.digest).read_bytes()
    except FileNotFoundError as error:
        raise Refusal("The plate's file is not in the project's folder any more.") from error


@lru_cache(maxsize=2)
def _pixels(digest: str) -> NDArray[np.uint8]:
    return read_still((_folder() / digest).read_bytes()).pixels


def pixels(plate: Plate) -> NDArray[np.uint8]:
    original_path = _folder() / plate.digest
    if not original_path.exists():
        raise Refusal("The plate's file is not in the project's folder any more.")
    return _pixels(plate.digest)


def keep_made(made: NDArray[np.uint8]) -> tuple[str, int, int]:
    """Keep a plate that was made here, as a PNG: its digest, width and height."""
    data = png(made, effort=1)
    digest = hashlib.sha256(data).hexdigest()
    _write(_folder() / digest, data)
    return digest, int(made.shape[1]), int(made.shape[0])


@lru_cache(maxsize=2)
def _look(digest: str) -> Look:
    return Look(_pixels(digest))


_looking = Lock()


def look(plate: Plate) -> Look:
    """The plate as the sighting looks at it; the same one again for the last few plates."""
    pixels(plate)
    with _looking:
        return _look(plate.digest)


def ready(plate: Plate) -> Pyramid:
    """The plate ready to be cast."""
    return pyramid(pixels(plate))


def copy(plate: Plate, longest: int) -> bytes:
    """The plate as a PNG, no longer than so many pixels a side. Made once, then kept."""
    path = _folder() / f"{plate.digest}.{longest}.png"
    if not path.exists():
        _write(path, png(preview(pixels(plate), longest), effort=1))
    return path.read_bytes()
