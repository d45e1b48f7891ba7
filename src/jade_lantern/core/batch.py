"""Changes applied one after another without a browser, as a pipeline sends them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter, ValidationError

from .cache import Cache
from .change import Change, changed
from .picture import encoded, keeps_more, read_deep, read_still
from .picture.eight import eight_bit, three_channels
from .picture.source import OpenSources
from .refusal import Refusal
from .scene.check import ids_in
from .scene.document import plainly
from .scene.edits import Edit
from .scene.gesture import Gesture, PictureGesture
from .scene.model import Scene
from .scene.plate import Plate
from .sight.look import Look
from .store import Store, read

CHANGE: TypeAdapter[Any] = TypeAdapter(Change)
# the fields by which a change names what it is done to
NAMING = ("proxy", "lantern", "trace", "rectangle", "tape", "corner", "kept")

MOST_HELD_BYTES = 1 << 30  # of decoded pictures

AnyChange = Edit | Gesture | PictureGesture


@dataclass(frozen=True)
class Step:
    """One change that was made: what it is called, the thing it made or was done to (None where
    it is none in particular), and the scene after it."""

    title: str
    id: str | None
    scene: Scene


def read_changes(data: Any) -> list[AnyChange]:
    """Changes as the API takes them. Raises Refusal, naming the first one that is none."""
    if not isinstance(data, list):
        raise Refusal("Changes are a list, each an object with its verb.")
    out: list[AnyChange] = []
    for i, one in enumerate(data, 1):
        try:
            out.append(CHANGE.validate_python(one))
        except ValidationError as error:
            raise Refusal(f"Change {i}: {plainly(error)}") from error
    return out


def step_of(before: Scene, change: AnyChange, edit: Edit, after: Scene) -> Step:
    """What came of a change."""
    there = set(ids_in(before))
    new = sorted(set(ids_in(after)) - there, key=lambda id: int(id.rpartition("-")[2]))
    naming = (getattr(change, name, None) for name in NAMING)
    named = next((id for id in naming if isinstance(id, str)), None)
    return Step(edit.title(before), new[0] if new else named, after)


def edited(scene: Scene, changes: list[AnyChange], pictures: PicturesAtHand) -> Iterator[Step]:
    """The steps that changes come to, each on the scene of the one before. Raises Refusal at the
    first that cannot be; the steps before it stand."""
    for change in changes:
        edit, after = changed(scene, change, pictures)
        yield step_of(scene, change, edit, after)
        scene = after


def _look_weight(look: Look) -> int:
    return 2 * look.pixels.nbytes


class PicturesAtHand:
    """The pictures of a store, for changes that are made away from the studio."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.sources = OpenSources(store.open)
        self._looks: Cache[str, Look] = Cache(MOST_HELD_BYTES, _look_weight)

    def look(self, plate: Plate) -> Look:
        def make() -> Look:
            if plate.playing is not None:
                first = three_channels(eight_bit(self.sources.of(plate.digest).at(0)))
                return Look(first, plate.lens.focal_35mm)
            return Look(read_still(read(self.store, plate.digest)).pixels, plate.lens.focal_35mm)

        return self._looks.of(plate.digest, make)

    def deep(self, plate: Plate) -> NDArray[Any]:
        if plate.playing is not None:
            return self.sources.of(plate.digest).at(plate.picture)
        if not keeps_more(plate):
            return np.asarray(self.look(plate).pixels)
        return read_deep(read(self.store, plate.digest))

    def there(self, digest: str) -> bool:
        return self.store.there(digest)

    def file(self, digest: str) -> bytes:
        return read(self.store, digest)

    def bring(self, pixels: NDArray[Any]) -> str:
        return self.store.keep(encoded(pixels))
