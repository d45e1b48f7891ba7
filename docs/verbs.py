"""Write docs/verbs.md: every verb with its fields, from the schema of the changes themselves.

Run as  python docs/verbs.py
"""

from __future__ import annotations

from pathlib import Path
from typing import Any, get_args

from jade_lantern.core.batch import CHANGE
from jade_lantern.core.block.changes import BlockChange
from jade_lantern.core.cast.changes import CastChange
from jade_lantern.core.dress.changes import DressChange
from jade_lantern.core.move.changes import MoveChange
from jade_lantern.core.scene.edits import RenameProject
from jade_lantern.core.sight.changes import SightChange

PAGE = Path(__file__).parent / "verbs.md"
HEAD = """# Every verb

A change is a JSON object with its `verb` and the fields below. `jade-lantern edit PROJECT
CHANGES.json` applies a list of them in order; the API takes them one by one. Points are pixels of
the plate, from its top left corner, `[x, y]`; a *pick* is such a point, or a ray in the world,
`{"origin": [x, y, z], "direction": [x, y, z]}`. Lengths are metres, angles degrees. A field with
a value in brackets may be left out.

This page is made from the program's own schema by `docs/verbs.py`.
"""


def page() -> str:
    schema = CHANGE.json_schema()
    shapes: dict[str, Any] = schema["$defs"]
    out = [HEAD]
    used: dict[str, None] = {}
    groups = (
        ("Still", (RenameProject,)),
        ("Sight", get_args(SightChange)),
        ("Block", get_args(BlockChange)),
        ("Cast", get_args(CastChange)),
        ("Move", get_args(MoveChange)),
        ("Dress", get_args(DressChange)),
    )
    for title, verbs in groups:
        out.append(f"## {title}\n")
        for verb in verbs:
            out.append(_entry(verb.__name__, shapes[verb.__name__], used))
    out.append("## What they are made of\n")
    done: set[str] = set()
    while left := [n for n in used if n not in done]:
        for name in left:
            done.add(name)
            out.append(_entry(name, shapes[name], used))
    return "\n".join(out)


def _entry(name: str, shape: dict[str, Any], used: dict[str, None]) -> str:
    lines = [f"### {name}\n"]
    if text := shape.get("description"):
        lines.append(" ".join(text.split()) + "\n")
    needed = shape.get("required", [])
    for field, of in shape.get("properties", {}).items():
        if field == "verb":
            continue
        default = "" if field in needed else f" ({_plain(of.get('default'))})"
        lines.append(f"- `{field}`: {_kind(of, used)}{default}")
    return "\n".join(lines) + "\n"


def _kind(of: dict[str, Any], used: dict[str, None]) -> str:
    if "$ref" in of:
        name = of["$ref"].rsplit("/", 1)[1]
        used[name] = None
        return f"[{name}](#{name.lower()})"
    if "const" in of:
        return f"`{_plain(of['const'])}`"
    if "enum" in of:
        return " or ".join(f"`{_plain(v)}`" for v in of["enum"])
    for several in ("anyOf", "oneOf"):
        if several in of:
            return " or ".join(
                dict.fromkeys(_kind(o, used) for o in of[several] if o.get("type") != "null")
            )
    if of.get("type") == "array":
        if "prefixItems" in of:
            parts = [_kind(o, used) for o in of["prefixItems"]]
            if all(part.startswith("number") for part in parts):
                return {2: "point", 3: "place"}.get(len(parts), f"{len(parts)} numbers")
            return f"[{', '.join(parts)}]"
        count = _range(of.get("minItems"), of.get("maxItems"))
        return f"list of {_kind(of.get('items', {}), used)}{count}"
    if of.get("pattern") == "^[A-Z]$":
        return "a bearing's letter"
    names = {"string": "text", "integer": "whole number", "boolean": "true or false"}
    return f"{names.get(of.get('type', ''), of.get('type', 'anything'))}{_limits(of)}"


def _limits(of: dict[str, Any]) -> str:
    low = of.get("minimum", of.get("exclusiveMinimum"))
    high = of.get("maximum", of.get("exclusiveMaximum"))
    if low is not None and high is not None and high - low >= 1e7:
        return ""
    return _range(low, high)


def _range(low: Any, high: Any) -> str:
    if low is None and high is None:
        return ""
    if low is None:
        return f", at most {high:g}"
    return f", at least {low:g}" if high is None else f", {low:g} to {high:g}"


def _plain(value: Any) -> str:
    if value is None or isinstance(value, bool):
        return "none" if value is None else str(value).lower()
    return str(value)


if __name__ == "__main__":
    PAGE.write_text(page())
