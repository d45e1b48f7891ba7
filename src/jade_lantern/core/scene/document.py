"""Scenes as versioned JSON: an older version is upgraded, a newer one refused."""

from __future__ import annotations

import json

from pydantic import ValidationError

from ..refusal import Refusal
from .model import VERSION, Scene


def written(scene: Scene) -> str:
    """The scene as JSON text."""
    return scene.model_dump_json()


def read(text: str | bytes) -> Scene:
    """A scene from JSON text.

    Raises Refusal where the text is no scene, or one of a newer version than this program knows.
    """
    try:
        data = json.loads(text)
    except ValueError as error:
        raise Refusal("This file is not a scene: it is not JSON.") from error
    if not isinstance(data, dict) or "version" not in data:
        raise Refusal("This file is not a scene: it has no version.")
    if not isinstance(data["version"], int) or data["version"] > VERSION:
        raise Refusal(
            f"This scene is of version {data['version']}; this program reads up to {VERSION}."
        )
    if data["version"] == 1:
        data["version"] = 2  # what came since has a value that means it is not there
    try:
        return Scene.model_validate(data)
    except ValidationError as error:
        raise Refusal(f"This scene cannot be read: {plainly(error)}") from error


def plainly(error: ValidationError) -> str:
    """A validation error in one line a person can act on."""
    first = error.errors()[0]
    place = " ".join(str(p).replace("_", " ") for p in first["loc"] if not isinstance(p, int))
    message = first["msg"].removeprefix("Value error, ").replace("Input should be", "should be")
    return f"{place}: {message}." if place else f"{message}."
