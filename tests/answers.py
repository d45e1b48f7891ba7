"""Answers of the API put together as a client does it."""

from __future__ import annotations

from typing import Any

from jade_lantern.core.scene import kinds
from jade_lantern.core.scene.model import VERSION

SINGLE = ("name", "next_id", *(kind.name for kind in kinds.SINGLE))
MANY = tuple(kind.name for kind in kinds.MANY)
FOLLOWING = ("reading", "misses", "shot", "times", "keys", "lanterns", "dress")


class Known:
    """A project as somebody knows it who has taken every answer so far."""

    def __init__(self, answer: dict[str, Any]) -> None:
        assert answer["base"] is None
        self.scene: dict[str, Any] = {
            "version": VERSION, **dict.fromkeys(SINGLE), **{many: [] for many in MANY}
        }  # fmt: skip
        self.reading: Any = None
        self.misses: Any = None
        self.shot: Any = None
        self.times: Any = None
        self.keys: Any = None
        self.lanterns: Any = None
        self.dress: Any = None
        self.takes: dict[str, Any] = {}
        self.shapes: dict[str, Any] = {}
        self.kept: dict[str, Any] = {}
        self.arrays: dict[str, str] = {}
        self.revision: int = -1
        self.take(answer)

    def take(self, answer: dict[str, Any]) -> Known:
        assert answer["base"] in (None, self.revision)
        changed, gone, order = answer["changed"], answer["gone"], answer["order"]
        for name in SINGLE:
            if changed[name] is not None:
                self.scene[name] = changed[name]
            elif name in gone:
                self.scene[name] = None
        for name in MANY:
            things = {t["id"]: t for t in self.scene[name]}
            things |= {t["id"]: t for t in changed[name] or ()}
            ids = order[name] if order[name] is not None else list(things)
            self.scene[name] = [things[i] for i in ids]
        follows = answer["follows"]
        for name in FOLLOWING:
            if follows[name] is not None:
                setattr(self, name, follows[name])
            elif name in gone:
                setattr(self, name, None)
        if "shapes" in gone:
            self.shapes = {}
        self.shapes |= {s["id"]: s for s in follows["shapes"] or ()}
        if "takes" in gone:
            self.takes = {}
        self.takes |= {t["id"]: t for t in follows["takes"] or ()}
        self.kept |= {k["id"]: k["reading"] for k in follows["kept"] or ()}
        there = {p["id"] for p in self.scene["proxies"]}
        self.shapes = {i: s for i, s in self.shapes.items() if i in there}
        self.takes = {i: t for i, t in self.takes.items() if i in there}
        put_by = {k["id"] for k in self.scene["kept_sightings"]}
        self.kept = {i: r for i, r in self.kept.items() if i in put_by}
        self.arrays |= answer["arrays"]
        self.revision = answer["revision"]
        return self

    def all(self) -> dict[str, Any]:
        """Everything that is known, to be compared."""
        return {
            "scene": self.scene, "reading": self.reading, "misses": self.misses,
            "shot": self.shot, "times": self.times, "keys": self.keys, "shapes": self.shapes,
            "kept": self.kept,
            "lanterns": self.lanterns, "takes": self.takes, "dress": self.dress,
        }  # fmt: skip


def whole(answer: dict[str, Any]) -> dict[str, Any]:
    """An answer that tells all, with its scene and what follows put together."""
    return {**answer, **Known(answer).all()}
