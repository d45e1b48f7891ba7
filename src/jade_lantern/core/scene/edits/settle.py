"""The verbs of the world's zero and size. What stands in the world is carried along with them
(see `sight.settle`), so that nothing moves in the picture."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from ...proxy import Similarity
from ...refusal import Refusal
from ...value import Id, Length, Number, Point2, Point3
from ..check import check_inside
from ..kinds import PART_KINDS
from ..model import Heading, Plane, Scene, Sighting, Tape
from .edit import Edit, numbered, swapped, the_one, without
from .sighting import SightEdit, check_line

FARTHEST_M, LEAST_M = 1e6, 1e-9
OTHER: dict[str, Heading] = {"across": "away", "away": "across", "up": "up"}


class SettleEdit(SightEdit):
    """A change of zero, size or which way the headings run. The sighting that a scene was built
    on is changed with it, so that the two can still be compared."""

    def on(self, scene: Scene) -> Scene:
        after = super().on(scene)
        built = scene.built_on
        return after.model_copy(
            update={"built_on": None if built is None else self.sighted(built, scene)}
        )


class SetDatum(SettleEdit):
    """Pick the point that becomes the world's zero; level_m lifts it off the ground."""

    verb: Literal["SetDatum"] = "SetDatum"
    point: Point2 | None
    level_m: Number | None = None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        if self.point is not None:
            check_inside([self.point], scene.plate, "datum")
        level = sighting.datum_level_m if self.level_m is None else self.level_m
        return sighting.model_copy(
            update={"datum": self.point, "datum_level_m": level if self.point else 0.0}
        )

    def title(self, scene: Scene) -> str:
        return "Set the datum" if self.point else "Remove the datum"


class SetEyeHeight(SettleEdit):
    verb: Literal["SetEyeHeight"] = "SetEyeHeight"
    metres: Length | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"eye_height_m": self.metres})

    def title(self, scene: Scene) -> str:
        return "Set the eye height" if self.metres else "Remove the eye height"


class SetDistance(SettleEdit):
    """How far the camera stands from the datum."""

    verb: Literal["SetDistance"] = "SetDistance"
    metres: Length | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"distance_m": self.metres})

    def title(self, scene: Scene) -> str:
        return "Set the distance to the datum" if self.metres else "Remove the distance"


class AddTape(SettleEdit):
    verb: Literal["AddTape"] = "AddTape"
    points: tuple[Point2, Point2]
    length_m: Length
    on_: Literal["ground", "up", "proxy"] = Field(default="ground", alias="on")
    plane: Plane | None = None

    def on(self, scene: Scene) -> Scene:
        return numbered(super().on(scene))

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        check_line(self.points, scene.plate, "tape")
        tape = Tape(
            id=f"tape-{scene.next_id}", points=self.points, length_m=self.length_m, on=self.on_,
            plane=self.plane,
        )  # fmt: skip
        return sighting.model_copy(update={"tapes": (*sighting.tapes, tape)})

    def title(self, scene: Scene) -> str:
        return "Lay a tape"


class AlterTape(SettleEdit):
    verb: Literal["AlterTape"] = "AlterTape"
    tape: Id
    points: tuple[Point2, Point2] | None = None
    length_m: Length | None = None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        old = the_one(sighting.tapes, self.tape, "tape")
        points = self.points or old.points
        check_line(points, scene.plate, "tape")
        new = old.model_copy(update={"points": points, "length_m": self.length_m or old.length_m})
        return sighting.model_copy(update={"tapes": swapped(sighting.tapes, new)})

    def title(self, scene: Scene) -> str:
        return "Change a tape"


class DeleteTape(SettleEdit):
    verb: Literal["DeleteTape"] = "DeleteTape"
    tape: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"tapes": without(sighting.tapes, self.tape)})

    def title(self, scene: Scene) -> str:
        return "Delete a tape"


class SetWays(SettleEdit):
    """Which way Across and Away run: swap gives each the other's edges, backward turns both
    round; by eye, the camera is turned instead."""

    verb: Literal["SetWays"] = "SetWays"
    swap: bool
    backward: bool
    yaw_deg: Number | None = None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        update: dict[str, Any] = {"backward": self.backward}
        if self.swap:
            update["traces"] = tuple(
                t.model_copy(update={"heading": _other(t.heading)}) for t in sighting.traces
            )
            update["rectangles"] = tuple(
                r.model_copy(update={"headings": tuple(OTHER[h] for h in r.headings)})
                for r in sighting.rectangles
            )
            update["trust"] = tuple(
                t.model_copy(update={"heading": _other(t.heading)}) for t in sighting.trust
            )
        if sighting.by_eye is not None and self.yaw_deg is not None:
            update["by_eye"] = sighting.by_eye.model_copy(update={"yaw_deg": self.yaw_deg})
        return sighting.model_copy(update=update)

    def title(self, scene: Scene) -> str:
        return "Swap Across and Away" if self.swap else "Turn Across and Away round"


def _other(way: str) -> str:
    """What Across or Away becomes when the two are swapped; the rest stays."""
    return OTHER.get(way, way)


SettleChange = SetDatum | SetEyeHeight | SetDistance | AddTape | AlterTape | DeleteTape | SetWays


class Resettle(Edit):
    """A change of zero or size together with the similarity that carries what stands in the
    world: a turn about Up, then ``p -> scale * p + shift``."""

    verb: Literal["Resettle"] = "Resettle"
    change: SettleChange = Field(discriminator="verb")
    scale: Length
    shift: Point3
    turn_deg: Number = 0.0

    def on(self, scene: Scene) -> Scene:
        after = self.change.on(scene)
        by = Similarity(self.scale, self.shift, self.turn_deg)
        proxies = tuple(p.carried(by) for p in after.proxies)
        lengths = [metres for p in proxies for metres in p.lengths().values()]
        if lengths and (max(lengths) > FARTHEST_M or min(lengths) < LEAST_M):
            raise Refusal(
                "With this size what stands in the world would be out of all measure, so nothing "
                "was changed. Check the number."
            )
        update: dict[str, Any] = {"proxies": proxies}
        for kind in PART_KINDS:
            if kind.carried and kind.name != "proxies":
                parts = tuple(part.carried(by) for part in kind.of(after))
                update[kind.name] = parts if kind.many else next(iter(parts), None)
        return after.model_copy(update=update)

    def title(self, scene: Scene) -> str:
        return self.change.title(scene)
