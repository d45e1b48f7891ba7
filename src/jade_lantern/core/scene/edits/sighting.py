"""What every change of the sighting has in common, and the verbs that keep and compare them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, ClassVar, Literal

from ...refusal import Refusal
from ...value import Id, Name, Point2
from ..check import check_inside
from ..model import KeptSighting, Scene, Sighting
from ..plate import Plate
from .edit import Edit, Station, numbered, the_one

SHORTEST_TRACE_PX = 2.0


class OfSight(Edit):
    station: ClassVar[Station] = "sight"


class SightEdit(OfSight):
    """A change to the sighting, which a lock keeps out. Under a built scene the sighting that it
    was built on is remembered, so that there is a way back."""

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        raise NotImplementedError

    def on(self, scene: Scene) -> Scene:
        if scene.sighting.locked:
            raise Refusal("The sighting is locked, so nothing was changed. Unlock it in Sight.")
        sighting = self.sighted(scene.sighting, scene)
        update: dict[str, Any] = {"sighting": sighting}
        if scene.sighting.given is not None and sighting.given is None:
            update["passed"] = None  # its places were of the world of the camera that is let go
        if scene.proxies and scene.built_on is None:
            update["built_on"] = scene.sighting
        return scene.model_copy(update=update)


class SetLock(OfSight):
    verb: Literal["SetLock"] = "SetLock"
    locked: bool

    def on(self, scene: Scene) -> Scene:
        sighting = scene.sighting.model_copy(update={"locked": self.locked})
        return scene.model_copy(update={"sighting": sighting})

    def title(self, scene: Scene) -> str:
        return "Lock the sighting" if self.locked else "Unlock the sighting"


class KeepSighting(OfSight):
    """Put the sighting by as it is now, under a name."""

    verb: Literal["KeepSighting"] = "KeepSighting"
    name: Name

    def on(self, scene: Scene) -> Scene:
        kept = KeptSighting(
            id=f"sighting-{scene.next_id}", name=self.name,
            sighting=scene.sighting.model_copy(update={"locked": False}),
        )  # fmt: skip
        return numbered(scene.model_copy(update={"kept_sightings": (*scene.kept_sightings, kept)}))

    def title(self, scene: Scene) -> str:
        return f"Keep the sighting as {self.name}"


class UseSighting(SightEdit):
    """Go on from a sighting that was put by."""

    verb: Literal["UseSighting"] = "UseSighting"
    kept: Id

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return the_one(scene.kept_sightings, self.kept, "sighting").sighting

    def title(self, scene: Scene) -> str:
        return "Go on from a kept sighting"


class DropSighting(OfSight):
    verb: Literal["DropSighting"] = "DropSighting"
    kept: Id

    def on(self, scene: Scene) -> Scene:
        the_one(scene.kept_sightings, self.kept, "sighting")
        left = tuple(k for k in scene.kept_sightings if k.id != self.kept)
        return scene.model_copy(update={"kept_sightings": left})

    def title(self, scene: Scene) -> str:
        return "Drop a kept sighting"


class GoBackToBuilt(SightEdit):
    """Bring back the sighting that the proxies were stood under."""

    verb: Literal["GoBackToBuilt"] = "GoBackToBuilt"

    def on(self, scene: Scene) -> Scene:
        if scene.built_on is None:
            raise Refusal("The sighting is the one that the proxies were stood under.")
        return super().on(scene).model_copy(update={"built_on": None})

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return scene.built_on or sighting

    def title(self, scene: Scene) -> str:
        return "Back to the sighting that was built on"


class AcceptSighting(OfSight):
    """Let the proxies miss as they do: from here on they count as stood under this sighting."""

    verb: Literal["AcceptSighting"] = "AcceptSighting"

    def on(self, scene: Scene) -> Scene:
        return scene.model_copy(update={"built_on": None})

    def title(self, scene: Scene) -> str:
        return "Build on under the new sighting"


def check_line(points: Sequence[Point2], plate: Plate, what: str) -> None:
    check_inside(points, plate, what)
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    if math.hypot(max(xs) - min(xs), max(ys) - min(ys)) < SHORTEST_TRACE_PX:
        raise Refusal(f"This {what} has no length. Draw it along an edge, the longer the better.")
