"""What a scene says of files, held against the files: a size or a count is read from the bytes, and
never believed because a change or an archive states it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import BinaryIO

from ..picture.source import source_of
from ..picture.still import head_of
from ..refusal import Refusal
from ..scene.guests import ModelFile
from ..scene.kinds import PART_KINDS
from ..scene.model import Scene
from ..scene.plate import Plate
from ..value import Value
from .pieces import model_pieces

Open = Callable[[str], BinaryIO]  # a file by its digest
NOT_SO = "{} is not what this says of it: {}. Bring it in again."


def require_true(before: Scene, after: Scene, known: set[str], open_: Open) -> None:
    """Raises Refusal where a scene says of a file what is not so. Looked at is what the scene
    before did not say. known: digests of files that were read just now to say it."""
    told = set(_stated(before))
    for one in dict.fromkeys(_stated(after)):
        if one in told or one.digest in known:
            continue
        if isinstance(one, ModelFile):
            require_true_model(one, open_)
        else:
            _require_true_plate(one, open_)


def require_true_model(file: ModelFile, open_: Open) -> None:
    """Raises Refusal where a model's file has another number of triangles than is stated."""

    def files(digest: str) -> bytes:
        with open_(digest) as file:
            return file.read()

    count = sum(len(piece.mesh.triangles) for piece in model_pieces(file, files))
    if count != file.triangles:
        said = f"it has {count:,} triangles, not {file.triangles:,}"
        raise Refusal(NOT_SO.format(file.name, said))


def _require_true_plate(plate: Plate, open_: Open) -> None:
    with open_(plate.digest) as file:
        if plate.playing is not None:
            source = source_of(file)
            facts, count = source.facts, plate.playing.count
            source.close()
            size, has = (facts.width, facts.height), facts.count
        else:
            head = head_of(file.read())
            size, has, count = (head.width, head.height), 1, 1
    # a file may say that its picture is to be shown turned
    if sorted(size) != sorted((plate.width, plate.height)):
        raise Refusal(NOT_SO.format(plate.name, f"it is {size[0]} × {size[1]} pixels"))
    if has != count:
        raise Refusal(NOT_SO.format(plate.name, f"it has {has:,} pictures, not {count:,}"))


def _stated(scene: Scene) -> Iterator[Plate | ModelFile]:
    """All that a scene says of files."""
    for kind in PART_KINDS:
        if kind.pictures:
            for part in kind.of(scene):
                yield from _stated_in(part)


def _stated_in(value: object) -> Iterator[Plate | ModelFile]:
    if isinstance(value, Plate | ModelFile):
        yield value
    elif isinstance(value, Value):
        for name in type(value).model_fields:
            yield from _stated_in(getattr(value, name))
    elif isinstance(value, tuple):
        for one in value:
            yield from _stated_in(one)
