"""Plates on disk: the file as it came, under its digest, and its pixels in levels (see
`levels`)."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path
from threading import Lock, RLock
from typing import Any

import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from ..core.budget import Budget
from ..core.cache import Cache
from ..core.cast.ofscene import masked, plate_of
from ..core.outside.layers import read_over_time
from ..core.outside.process import read_apart
from ..core.picture import (
    Still,
    encoded,
    keeps_more,
    level_sizes,
    pixels_named,
    png,
    preview,
    read_deep,
    read_still,
    tile_of,
)
from ..core.picture.eight import eight_bit, eight_bit_alpha, for_views, three_channels
from ..core.picture.source import OpenSources, SourceFacts, plays
from ..core.refusal import Refusal
from ..core.render.pyramid import Picture
from ..core.scene.model import Lantern, Scene
from ..core.scene.pictures import playing_plate
from ..core.scene.plate import LensFacts, Plate
from ..core.scene.timed import Move
from ..core.sight.look import Look
from ..core.store import GONE, PART, Folder, read
from . import levels, small_pictures
from .machine import give_memory_back
from .models import PlateNeeded
from .trouble import Busy

SMALL = 640  # px, the longer side of a plate in a list
LARGE_PIXELS = 16_000_000
MOST_WAITING = 4
ANY_NUMBER = 1 << 40  # no limit: a stored plate passed the limit that was set when it came in
# Age from which an unreferenced file is deleted; a younger one may belong to a change that is just
# being kept.
UNTOUCHED_S = 600


def folder() -> Path:
    path: Path = settings.DATA / "plates"
    path.mkdir(parents=True, exist_ok=True)
    return path


def store() -> Folder:
    return Folder(folder())


def _path(digest: str) -> Path:
    return store().place(digest)


_turn = RLock()
_sources = OpenSources(lambda digest: store().open(digest))
smalls = small_pictures.SmallPictures(store, PART)
_waiting = 0
_counting = Lock()


@contextmanager
def _one_at_a_time() -> Iterator[None]:
    """Large pictures are decoded one after another. Raises Busy where several wait already."""
    global _waiting
    with _counting:
        if _waiting >= MOST_WAITING:
            raise Busy
        _waiting += 1
    try:
        with _turn:
            yield
            give_memory_back()
    finally:
        with _counting:
            _waiting -= 1


def take_in(data: bytes) -> Still:
    """Read a still's file and keep it, whole or not at all; of pictures over time the first is
    read. Raises Refusal where it is none, or decodes to more than can be worked on."""
    if plays(data[:16]):
        return take_in_playing(data)[0]
    if pixels_named(data) <= LARGE_PIXELS:
        still = read_still(data, settings.MOST_PIXELS, Budget(settings.MOST_DECODED_BYTES))
        path = _path(still.digest)
        store().keep(data)
    else:
        # a large file takes about as long to write as to decode
        with ThreadPoolExecutor(1) as beside, _one_at_a_time():
            part = beside.submit(store().part, data)
            try:
                still = read_still(data, settings.MOST_PIXELS, Budget(settings.MOST_DECODED_BYTES))
            except BaseException:
                with suppress(OSError):  # it is not there where there was no room for it
                    part.result().unlink(missing_ok=True)
                raise
            path = _path(still.digest)
            part.result().replace(path)
    levels.keep(path, _shown(data, still), PART)
    return still


def plate_of_file(
    data: bytes, name: str, fps: float = Move().fps
) -> tuple[Plate, SourceFacts | None]:
    """A still, a movie or a numbered sequence as a plate, its file kept; and what there is to know
    of pictures over time, None for a still. fps: pictures a second where they do not say. Raises
    Refusal."""
    if plays(data[:16]):
        still, facts = take_in_playing(data)
        return playing_plate(name, still.digest, facts, fps), facts
    still = take_in(data)
    facts_of_lens = LensFacts(
        focal_mm=still.focal_mm, focal_35mm=still.focal_35mm, taken_with=still.taken_with
    )
    return Plate(
        name=name[:80], width=still.width, height=still.height, digest=still.digest,
        format=still.format, bits=still.bits, alpha=still.alpha, profile=still.profile,
        lens=facts_of_lens,
    ), None  # fmt: skip


def take_in_playing(data: bytes) -> tuple[Still, SourceFacts]:
    """Keep a movie or a numbered sequence, whole or not at all: its first picture, and what there
    is to know of all. Raises Refusal where it is none."""
    first = read_apart(read_over_time, data, settings.MOST_PIXELS)
    facts = first.facts
    digest = store().keep(data)
    levels.keep(_path(digest), for_views(first.picture), PART)
    pixels = three_channels(eight_bit(first.picture))
    still = Still(pixels, "movie", facts.bits, facts.alpha, None, None, None, digest)
    smalls.begin(digest)
    return still, facts


def _shown(data: bytes, still: Still) -> NDArray[np.uint8]:
    """A plate as views show it: over black, and of one with an alpha (H, W, 4), premultiplied."""
    if not still.alpha:
        return still.pixels
    numbers = read_deep(data)
    if numbers.shape[2] < 4:
        return still.pixels
    return np.concatenate([still.pixels, eight_bit_alpha(numbers[..., 3:])], axis=2)


def there(digest: str) -> bool:
    return store().there(digest)


def original(digest: str) -> bytes:
    """A plate's file as it came. Raises Refusal where it is gone."""
    return read(store(), digest)


def _look_weight(look: Look) -> int:
    # the planes that edges are sought in take as much again as the pixels
    return 2 * look.pixels.nbytes


held: Cache[str, Look] = Cache(settings.HELD_BYTES, _look_weight)


def let_go(idle_s: float = 120.0) -> None:
    """Give back the memory of plates that nobody has looked at for a while."""
    if held.drop_idle(idle_s):
        give_memory_back()


def look(plate: Plate) -> Look:
    """The plate as the sighting looks at it; the same one again for the last few plates."""
    return _look(plate.digest, plate.lens.focal_35mm)


def _look(digest: str, told_mm: float | None = None) -> Look:
    def make() -> Look:
        pixels = levels_of(digest)[0]
        if pixels.shape[2] == 3:
            return Look(pixels, told_mm)
        clear = pixels[..., 3] == 0
        return Look(np.ascontiguousarray(pixels[..., :3]), told_mm, clear if clear.any() else None)

    return held.of(digest, make)


def masked_levels(
    scene: Scene, lantern: Lantern, number: int = 0
) -> Sequence[NDArray[np.uint8]]:  # fmt: skip
    """The levels of a lantern's plate with its mask taken into its alpha, as views throw it.
    number: of the pictures of both, where one of them plays (see `thrown_number`)."""
    plate, mask = plate_of(scene, lantern), lantern.mask
    mask_number, own_number = divmod(number, _count(plate))
    plate = plate.model_copy(update={"picture": own_number})
    if mask is not None:
        last = _count(mask) - 1
        mask = mask.model_copy(update={"picture": min(mask_number, last)})
    shown = lantern.model_copy(update={"plate": plate, "mask": mask})
    # by the pictures that there are, whatever number was asked for
    path = _picture_path(thrown_digest(scene, lantern), thrown_number(plate, mask))
    return _kept_levels(path, lambda: masked(scene, shown, deep))


def thrown_number(plate: Plate, mask: Plate | None) -> int:
    """Which of its pictures a lantern throws: one number for those of its plate and of its mask."""
    return plate.picture + (0 if mask is None else mask.picture * _count(plate))


def _count(plate: Plate) -> int:
    return 1 if plate.playing is None else plate.playing.count


def _picture_path(digest: str, number: int) -> Path:
    if number == 0:
        return _path(digest)
    return _path(hashlib.sha256(f"{digest} picture {number}".encode()).hexdigest())


def _kept_levels(path: Path, make: Callable[[], Picture]) -> Sequence[NDArray[np.uint8]]:
    found = levels.there(path)
    if found is None:
        with _turn:
            levels.keep(path, for_views(make()), PART)
            found = levels.there(path)
    if found is None:
        raise OSError("the plate's levels could not be written")
    return found


def derived_levels(
    digest: str, number: int, make: Callable[[], Picture]
) -> Sequence[NDArray[np.uint8]]:  # fmt: skip
    """The levels of a picture that is made of others, kept under a digest that says of what."""
    return _kept_levels(_picture_path(digest, number), make)


def picture_levels(digest: str, number: int) -> Sequence[NDArray[np.uint8]]:
    """The levels of one picture of a plate that plays. Raises Refusal where it cannot be read."""
    if number == 0:
        return levels_of(digest)
    number = min(number, _sources.of(digest).facts.count - 1)
    return _kept_levels(_picture_path(digest, number), lambda: _sources.of(digest).at(number))


def playing(digest: str) -> bool:
    """Whether a plate is pictures over time. Raises Refusal where its file is gone."""
    with store().open(digest) as file:
        return plays(file.read(16))


def quick(digest: str, number: int) -> bytes:
    """A small file of one picture of a plate that plays, as views show it first: one that was made
    ready, or of what its levels are made of. Raises Refusal where it cannot be read."""
    found = levels.there(_picture_path(digest, number))
    if found is None:
        ready = smalls.of(digest, number)
        if ready is not None:
            return ready
        return small_pictures.coded(_sources.of(digest).small(number, small_pictures.LONGEST))
    return quick_of(found)


def quick_of(found: Sequence[NDArray[np.uint8]]) -> bytes:
    """A small file of a picture of which there are levels."""
    return small_pictures.coded(_preview(found, small_pictures.LONGEST))


def _preview(found: Sequence[NDArray[np.uint8]], longest: int) -> NDArray[np.uint8]:
    """Of levels, the picture with its longer side so many pixels at the most."""
    sizes = level_sizes(found[0].shape[1], found[0].shape[0])
    level = max((k for k, size in enumerate(sizes) if max(size) >= longest), default=0)
    return preview(np.ascontiguousarray(found[level]), longest)


def thrown_digest(scene: Scene, lantern: Lantern) -> str:
    """What a lantern's picture is asked for by: its plate's digest, or one of plate and mask."""
    plate = plate_of(scene, lantern).digest
    if lantern.mask is None:
        return plate
    return hashlib.sha256(f"{plate} {lantern.mask.digest}".encode()).hexdigest()


def levels_of(digest: str) -> Sequence[NDArray[np.uint8]]:
    """A plate's levels, the plate itself first; they are made anew where they are not there.

    Raises Refusal where the plate's file is gone, Busy where many large ones wait to be read.
    """
    path = _path(digest)
    if not path.exists():
        raise Refusal(GONE)
    found = levels.there(path)
    if found is None:
        data = original(digest)
        with _one_at_a_time() if pixels_named(data) > LARGE_PIXELS else _turn:
            found = levels.there(path)
            if found is None:
                shown = (
                    for_views(_sources.of(digest).at(0)) if plays(data[:16])
                    else _shown(data, read_still(data, ANY_NUMBER))
                )  # fmt: skip
                levels.keep(path, shown, PART)
                found = levels.there(path)
    if found is None:
        raise OSError("the plate's levels could not be written")
    return found


def tile(found: Sequence[NDArray[np.uint8]], level: int, x: int, y: int) -> bytes | None:
    """A tile of a plate's levels as a PNG; None where there is none."""
    cut = tile_of(found[level], x, y) if level < len(found) else None
    return None if cut is None else png(np.ascontiguousarray(cut), effort=1)


def small(digest: str) -> bytes:
    """A plate as lists show it: a PNG, its longer side 640 pixels at most."""
    return png(_preview(levels_of(digest), SMALL), effort=1)


class ToLookAt:
    """The pictures as a change that is only tried sees them: it may look, but brings none."""

    def look(self, plate: Plate) -> Look:
        return look(plate)

    def deep(self, plate: Plate) -> Picture:
        return deep(plate)

    def there(self, digest: str) -> bool:
        return there(digest)

    def file(self, digest: str) -> bytes:
        return original(digest)

    def bring(self, pixels: NDArray[Any]) -> str:
        raise Refusal("This makes a picture, so it cannot be tried, only kept.")


class KeepingPictures(ToLookAt):
    """The pictures as a change that is kept sees them. What it brings is written at once, under
    its digest, and swept later if the change is not kept after all. brought: the digests of those
    pictures."""

    def __init__(self) -> None:
        self.brought: set[str] = set()

    def keep(self, data: bytes) -> str:
        """Keep a picture's file, and return its digest. Raises Refusal where it is none."""
        digest = take_in(data).digest
        self.brought.add(digest)
        return digest

    def keep_file(self, data: bytes) -> str:
        """Keep a file that is no picture, and return its digest."""
        digest = store().keep(data)
        self.brought.add(digest)
        return digest

    def bring(self, pixels: NDArray[Any]) -> str:
        if pixels.dtype != np.uint8 or pixels.shape[2] == 4:
            return self.keep(encoded(pixels))
        data = png(pixels, effort=1)
        digest = store().keep(data)
        levels.keep(_path(digest), np.ascontiguousarray(pixels), PART)
        self.brought.add(digest)
        return digest


def pixels(plate: Plate) -> NDArray[np.uint8]:
    return look(plate).pixels


def deep(plate: Plate) -> Picture:
    """The plate's pixels with the depth and the alpha that its file keeps."""
    if plate.playing is not None:
        return _sources.of(plate.digest).at(plate.picture)
    return read_deep(original(plate.digest)) if keeps_more(plate) else pixels(plate)


def sweep(untouched_s: float = UNTOUCHED_S) -> int:
    """Delete plates that no project needs, their levels, and files that were never finished.
    Returns how many files went."""
    needed = set(PlateNeeded.objects.values_list("digest", flat=True))
    uploads: Path = settings.FILE_UPLOAD_TEMP_DIR
    unfinished = list(uploads.iterdir()) if uploads.is_dir() else []
    stray = [p for p in folder().iterdir() if p.name.split(".")[0] not in needed]
    gone = 0
    for path in (*stray, *unfinished):
        try:
            if time.time() - path.stat().st_mtime >= untouched_s:
                path.unlink()
                gone += 1
        except OSError:
            continue  # somebody else's by now
    return gone
