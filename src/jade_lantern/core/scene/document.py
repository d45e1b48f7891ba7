"""Scenes as versioned JSON: an older version is upgraded, a newer one refused."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from ..refusal import Refusal
from .model import STILL_LANTERN, VERSION, Scene


def as_text(scene: Scene) -> str:
    """The scene as JSON text."""
    return scene.model_dump_json()


def read(text: str | bytes) -> Scene:
    """A scene from JSON text.

    Raises Refusal where the text is no scene, or one of a newer version than this program knows.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise Refusal("This file is not a scene: it is not JSON.") from error
    if not isinstance(data, dict) or "version" not in data:
        raise Refusal("This file is not a scene: it has no version.")
    version = data["version"]
    if not isinstance(version, int) or not 1 <= version <= VERSION:
        raise Refusal(
            f"This scene is of version {str(version)[:20]}; this program reads up to {VERSION}."
        )
    if version < VERSION:
        _raise(data)
    try:
        return Scene.model_validate(data)
    except ValidationError as error:
        raise Refusal(f"This scene cannot be read: {plainly(error)}") from error


def _raise(data: dict[str, Any]) -> None:
    """Make a document of an older version one of this. Versions 2, 4 and 6
    only added optional fields; 3 made one lantern many."""
    data["version"] = VERSION
    old = data.pop("lantern", None)
    if isinstance(old, dict):
        data["lanterns"] = [{"id": STILL_LANTERN, "name": "still", **old}]


def plainly(error: ValidationError) -> str:
    """A validation error in one line a person can act on."""
    first = error.errors()[0]
    place = " ".join(str(p).replace("_", " ") for p in first["loc"] if not isinstance(p, int))
    message = first["msg"].removeprefix("Value error, ").replace("Input should be", "should be")
    return f"{place}: {message}." if place else f"{message}."
