"""A scene in parts, as it is kept: each part once, under the digest of its content.

A scene is one value for whoever works with it. Kept as one text, every edit would cost what the
whole scene weighs; kept in parts, it costs what it changes, and what two scenes share is the very
same object when they are read again.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import TypeAdapter, ValidationError

from ..cache import Cache
from ..refusal import Refusal
from ..value import Edge, Name, Value
from .document import plainly
from .kinds import MANY, PART_KINDS, SINGLE
from .model import STILL_LANTERN, Lantern, Scene

MOST_BYTES = 32 << 20  # of parts that are known by their value, and by their digest
VALUE_OVER_TEXT = 6  # about how many bytes a part takes in memory for each byte of its text
# Without these there is no scene; any other part can be missing.
NEEDED = ("label", "plate")


class Named(Value):
    """What a scene is called, and the number that its next thing gets."""

    version: Literal[2, 3, 4, 5, 6] = 6
    name: Name
    next_id: int


class OneLantern(Value):
    """What a scene of version 2 kept of its only lantern."""

    edge: Edge = "stop"


ADAPTERS: dict[str, TypeAdapter[Any]] = {
    "label": TypeAdapter(Named),
    "lantern": TypeAdapter(OneLantern),
    **{kind.name: TypeAdapter(kind.type) for kind in PART_KINDS},
}


@dataclass(frozen=True)
class PartText:
    """A part as it is kept: JSON text, under the digest of the text."""

    digest: str
    body: str


def _text_weight(known: tuple[Value, PartText]) -> int:
    return 400 + (1 + VALUE_OVER_TEXT) * len(known[1].body)


def _value_weight(known: tuple[Value, int]) -> int:
    return 400 + VALUE_OVER_TEXT * known[1]


# Parts by the identity of their value: values are immutable, and scenes share unchanged ones, so
# that only what an edit made anew is written out. The value is kept beside, so that its identity
# is not given to another.
_texts: Cache[int, tuple[Value, PartText]] = Cache(MOST_BYTES, _text_weight)
# Values, and how long their text is, by name of their kind and digest, so that equal parts are the
# same object when read.
_values: Cache[tuple[str, str], tuple[Value, int]] = Cache(MOST_BYTES, _value_weight)


def values_of(scene: Scene) -> dict[str, Value]:
    """The scene's values by the names of their parts, things that there are many of in order."""
    out: dict[str, Value] = {
        "label": Named(version=scene.version, name=scene.name, next_id=scene.next_id)
    }
    for kind in SINGLE:
        value = getattr(scene, kind.name)
        if value is not None:
            out[kind.name] = value
    for kind in MANY:
        for thing in getattr(scene, kind.name):
            out[f"{kind.name}/{thing.id}"] = thing
    return out


def parts_of(scene: Scene) -> dict[str, PartText]:
    """The scene's parts by name."""
    return {name: _part(name, value) for name, value in values_of(scene).items()}


def _part(name: str, value: Value) -> PartText:
    known = _texts.get(id(value))
    if known is not None and known[0] is value:
        return known[1]
    body = value.model_dump_json()
    part = PartText(hashlib.sha256(body.encode()).hexdigest(), body)
    if name != "label":
        _remember(name, value, part)
    return part


def known_value(name: str, digest: str) -> Value | None:
    """A part's value, if it has been read or written lately."""
    known = _values.get((_kind(name), digest))
    return None if known is None else known[0]


def read_part(name: str, digest: str, body: str) -> Value:
    """A part's value from its text. Raises Refusal where it is damaged."""
    if hashlib.sha256(body.encode()).hexdigest() != digest:
        raise Refusal(f"The part {name} is not what was kept.")
    try:
        value: Value = ADAPTERS[_kind(name)].validate_json(body)
    except (ValidationError, ValueError) as error:
        words = plainly(error) if isinstance(error, ValidationError) else str(error)
        raise Refusal(f"The part {name} cannot be read: {words}") from error
    _remember(name, value, PartText(digest, body))
    return value


def _remember(name: str, value: Value, part: PartText) -> None:
    _texts.put(id(value), (value, part))
    _values.put((_kind(name), part.digest), (value, len(part.body)))


def scene_of(values: Mapping[str, Value]) -> Scene:
    """The scene that values make together; the inverse of `values_of`.

    Raises Refusal where one is missing without which there is no scene.
    """
    for name in NEEDED:
        if name not in values:
            raise Refusal(f"The scene's {name} is missing.")
    label: Any = values["label"]
    fields: dict[str, Any] = {k.name: values[k.name] for k in SINGLE if k.name in values}
    for kind in MANY:
        fields[kind.name] = tuple(v for n, v in values.items() if n.startswith(f"{kind.name}/"))
    if label.version == 2:
        old: Any = values.get("lantern", OneLantern())
        fields["lanterns"] = (Lantern(id=STILL_LANTERN, name="still", edge=old.edge),)
    try:
        return Scene(name=label.name, next_id=label.next_id, **fields)
    except ValidationError as error:
        raise Refusal(f"The scene cannot be read: {plainly(error)}") from error


def _kind(name: str) -> str:
    return name.partition("/")[0]
