"""Values for any JSON schema: plausible ones as often as not, borderline and absurd ones else.

A fuzzer that follows the schema reaches every verb and every field, new ones too. Names of fields
say what is plausible: `proxy` is an id that is there, `turn_deg` an angle, `by_m` a few metres.
"""

from __future__ import annotations

import random
from typing import Any

from pydantic import TypeAdapter

from jade_lantern.core.change import Change
from jade_lantern.core.scene.model import Scene

SCHEMA = TypeAdapter(Change).json_schema()
VERBS = sorted(SCHEMA["discriminator"]["mapping"])
ABSURD = [0, -1, 1e-9, 0.5, 7, 900, 1e5, -1e5, 1e6, 1e7, -1e7, 1e300, 5e-324]
# what the ids in a field may be of, by a part of the field's name
KINDS = {
    "prox": "proxies", "onto": "proxies", "other": "proxies", "lantern": "lanterns",
    "trace": "traces", "rectangle": "rectangles", "tape": "tapes", "corner": "corners",
    "kept": "kept_sightings", "label": "labels", "weld": "welds", "id": "proxies",
}  # fmt: skip
# how large a plausible number is, by how its field's name ends
PLAUSIBLE = {
    "_m": (-3, 3), "_deg": (-50, 50), "_px": (600, 3000), "focal_mm": (18, 80), "frame": (0, 95),
    "frames": (24, 96), "fps": (24, 25), "count": (1, 5), "crop": (1, 2), "value": (800, 3000),
    "sigma": (1, 90), "reach": (2, 20), "aspect": (0.5, 2), "trust": (0, 1), "strength": (0, 1),
    "k1": (-0.08, 0.08), "k2": (-0.01, 0.01), "face": (1, 6), "faces": (1, 6), "end": (0, 1),
    "corner": (1, 8), "edge": (1, 8), "number": (0, 1), "length_m": (0.5, 3), "height_m": (0.5, 3),
    "width": (64, 800), "height": (64, 800), "width_m": (0.5, 3), "depth_m": (0.5, 3),
    "radius_m": (0.2, 2), "distance_m": (2, 60), "metres": (0.5, 3), "eye_height_m": (1, 2),
    "opening_m": (0.2, 1), "to": (0.3, 2), "cells": (1, 4), "margin_m": (0.02, 0.3),
}  # fmt: skip


class Anything:
    """Makes values for a scene, by chance. sense: how often a number or an id is plausible."""

    def __init__(self, chance: random.Random, schema: dict[str, Any] = SCHEMA) -> None:
        self.chance, self.schema = chance, schema
        self.scene: Scene | None = None
        self.sense = 0.7

    def change(self, scene: Scene, verb: str) -> dict[str, Any]:
        self.scene, self.sense = scene, self.chance.choice([0.5, 0.9, 1.0, 1.0])
        found: dict[str, Any] = self.of({"$ref": SCHEMA["discriminator"]["mapping"][verb]}, verb)
        return found

    def of(self, schema: dict[str, Any], name: str = "", deep: int = 0) -> Any:
        if "$ref" in schema:
            found = self.schema
            for step in schema["$ref"].removeprefix("#/").split("/"):
                found = found[step]
            return self.of(found, name, deep)
        if "const" in schema:
            return schema["const"]
        if "enum" in schema:
            return self.chance.choice(schema["enum"])
        for many in ("anyOf", "oneOf"):
            if many in schema:
                return self.of(self.chance.choice(schema[many]), name, deep + 1)
        match schema.get("type"):
            case "object":
                return self._object(schema, deep)
            case "array":
                return self._array(schema, name, deep)
            case "string":
                return self._string(schema, name)
            case "boolean":
                return self.chance.random() < 0.5
            case "integer":
                return int(self._bounded(schema, name))
            case "number":
                return self._bounded(schema, name)
        return None

    def _object(self, schema: dict[str, Any], deep: int) -> dict[str, Any]:
        needed = set(schema.get("required", ()))
        likely = 0.5 / (1 + deep / 4)
        return {
            name: self.of(of, name, deep + 1)
            for name, of in schema.get("properties", {}).items()
            if name in needed or "const" in of or self.chance.random() < likely
        }

    def _array(self, schema: dict[str, Any], name: str, deep: int) -> Any:
        fixed = schema.get("prefixItems")
        if fixed is not None:
            if all(one.get("type") == "number" for one in fixed):
                return self.place(len(fixed))
            return [self.of(one, name, deep + 1) for one in fixed]
        least = schema.get("minItems", 0)
        most = min(schema.get("maxItems", 6), least + self.chance.choice([0, 1, 1, 2, 5]))
        return [
            self.of(schema.get("items", {}), name, deep + 1)
            for _ in range(self.chance.randint(least, max(most, least)))
        ]

    def place(self, axes: int) -> list[float]:
        """A pixel of the plate, or a point of the world."""
        if self.chance.random() > self.sense:
            return [self.absurd() for _ in range(axes)]
        scene = self.scene
        if axes == 2:
            width, height = (scene.plate.width, scene.plate.height) if scene else (1920, 1280)
            low = self.chance.choice([0.0, 0.0, 0.55])  # the ground lies in the lower half
            x, y = self.chance.uniform(0, width), self.chance.uniform(low * height, height)
            return [x, y]
        return [self.chance.uniform(*span) for span in ((-4, 4), (0, 3), (-12, -1))][:axes]

    def _string(self, schema: dict[str, Any], name: str) -> str:
        pattern = schema.get("pattern", "")
        if "0-9a-f" in pattern:
            digests = [self.scene.plate.digest] if self.scene else []
            return self.chance.choice([*digests, "0" * 64])
        if r"\d+" in pattern:
            return self._id(name)
        if pattern == "^[A-Z]$":
            return self.chance.choice("AAB")
        if pattern:
            return "PNG"
        return self.chance.choice(["a", "b", "lantern", "still", "n" * 80, "n" * 99, "", "\x00"])

    def _id(self, name: str) -> str:
        if self.scene is not None and self.chance.random() < self.sense:
            for part, kind in KINDS.items():
                if part in name:
                    many = getattr(self.scene, kind, None)
                    many = getattr(self.scene.sighting, kind, ()) if many is None else many
                    if many:
                        return str(self.chance.choice(many).id)
        return self.chance.choice(["box-24", "floor-13", "lantern-0", "trace-1", "box-9999"])

    def absurd(self) -> float:
        if self.chance.random() < 0.4:
            return self.chance.choice([-1, 1]) * 10 ** self.chance.uniform(-12, 9)
        return float(self.chance.choice(ABSURD))

    def _bounded(self, schema: dict[str, Any], name: str) -> float:
        low = schema.get("minimum", schema.get("exclusiveMinimum"))
        high = schema.get("maximum", schema.get("exclusiveMaximum"))
        if self.chance.random() > self.sense:
            ends = [end for end in (low, high) if end is not None]
            return float(self.chance.choice([self.absurd(), self.absurd(), *ends]))
        ending = max((e for e in PLAUSIBLE if name.endswith(e)), key=len, default="")
        least, most = PLAUSIBLE.get(ending, (-2, 2))
        if low is not None:
            least, most = max(least, low), max(most, low)
        if high is not None:
            least, most = min(least, high), min(most, high)
        whole = schema.get("type") == "integer"
        return (
            self.chance.randint(int(least), int(most))
            if whole
            else self.chance.uniform(least, most)
        )
