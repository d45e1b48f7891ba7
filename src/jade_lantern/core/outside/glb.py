"""What a binary glTF file (2.0; Khronos Group 2021) says of itself, looked at before any of it is
decoded."""

from __future__ import annotations

import json
import math
import struct
from typing import Any

from ..refusal import Refusal

MARK = b"glTF"
JSON_CHUNK = 0x4E4F534A
LARGEST_JSON = 64 << 20
SIZES = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
BYTES = {5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
MOST_DECODED = 400 << 20  # bytes of all accessors together
MOST_NODES = 20_000
DAMAGED = "This GLB cannot be read: it is broken or cut short."


def document_of(data: bytes) -> dict[str, Any]:
    """The JSON of a GLB, whose counts are sound and whose nodes make trees.

    Raises Refusal where it is damaged, of another version, or names more than can be read.
    """
    if data[:4] != MARK or len(data) < 20:
        raise Refusal(DAMAGED)
    version, _, length, kind = struct.unpack_from("<IIII", data, 4)
    if version != 2:
        raise Refusal("This GLB cannot be read: it is not of version 2.")
    if kind != JSON_CHUNK or length > min(len(data) - 20, LARGEST_JSON):
        raise Refusal(DAMAGED)
    try:
        document = json.loads(data[20 : 20 + length])
        if not isinstance(document, dict):
            raise ValueError
        _check_accessors(document)
        _check_nodes(document)
    except Refusal:
        raise
    except (ValueError, TypeError, AttributeError, KeyError, IndexError, RecursionError) as error:
        raise Refusal(DAMAGED) from error
    return document


def _check_accessors(document: dict[str, Any]) -> None:
    """An accessor may name any count, with no data behind it; it is filled with noughts then."""
    total = 0
    for accessor in document.get("accessors", ()):
        count = accessor["count"]
        if not isinstance(count, int) or count < 0:
            raise ValueError
        total += count * SIZES[accessor["type"]] * BYTES[accessor["componentType"]]
    if total > MOST_DECODED:
        raise Refusal(
            f"This GLB names {total / 1e6:,.0f} MB of numbers; {MOST_DECODED / 1e6:,.0f} MB are "
            "read. Make it simpler there."
        )


def _check_nodes(document: dict[str, Any]) -> None:
    """Every node has one parent at the most, and none is above itself."""
    nodes = document.get("nodes", [])
    if len(nodes) > MOST_NODES:
        raise Refusal(f"This GLB has {len(nodes):,} nodes; {MOST_NODES:,} are read.")
    below = [child for node in nodes for child in node.get("children", ())]
    if len(set(below)) < len(below) or any(not 0 <= child < len(nodes) for child in below):
        raise ValueError
    left = [i for i in range(len(nodes)) if i not in set(below)]
    reached = 0
    while left:
        reached += 1
        left += nodes[left.pop()].get("children", ())
    if reached < len(nodes):
        raise ValueError  # a ring
    for node in nodes:
        for name, count in (("matrix", 16), ("translation", 3), ("rotation", 4), ("scale", 3)):
            numbers = node.get(name)
            if numbers is not None and not (
                len(numbers) == count and all(math.isfinite(n) for n in numbers)
            ):
                raise ValueError
