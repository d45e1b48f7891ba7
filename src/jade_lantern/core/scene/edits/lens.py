"""The verbs of what is known of the lens, and of its flattened plate."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ...refusal import Refusal
from ...value import Point2
from ..check import check_inside
from ..model import ByEye, CameraPass, FocalHint, Given, Scene, Sighting
from ..moment import pictures_at
from ..plate import Bend, Plate
from ..timed import Move
from .sighting import OfSight, SightEdit

SHORTEST_FOCAL, LONGEST_FOCAL = 0.05, 200.0  # of the plate's longer side


class SetFocal(SightEdit):
    verb: Literal["SetFocal"] = "SetFocal"
    focal: FocalHint | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        size = max(scene.plate.width, scene.plate.height)
        if self.focal and not SHORTEST_FOCAL * size <= self.focal.value <= LONGEST_FOCAL * size:
            raise Refusal("No lens has such a focal length. Check the number and what it is in.")
        return sighting.model_copy(update={"focal": self.focal})

    def title(self, scene: Scene) -> str:
        return "Give the focal length" if self.focal else "Let the focal length be solved"


class SetPrincipal(SightEdit):
    """Give the principal point, have it solved, or hold it in the plate's middle."""

    verb: Literal["SetPrincipal"] = "SetPrincipal"
    principal: Literal["solve"] | Point2 | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        if self.principal is not None and self.principal != "solve":
            check_inside([self.principal], scene.plate, "principal point")
        return sighting.model_copy(update={"principal": self.principal})

    def title(self, scene: Scene) -> str:
        if self.principal is None:
            return "Hold the principal point in the middle"
        return (
            "Solve the principal point" if self.principal == "solve" else "Give the principal point"
        )


class SetBend(SightEdit):
    """Give the lens's bending, have it solved, or take the lens as straight."""

    verb: Literal["SetBend"] = "SetBend"
    bend: Literal["solve"] | Bend | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"bend": self.bend})

    def title(self, scene: Scene) -> str:
        if self.bend is None:
            return "Take the lens as straight"
        return "Solve the lens's bending" if self.bend == "solve" else "Give the lens's bending"


class SetByEye(SightEdit):
    """Set the camera by hand, or go back to the traces."""

    verb: Literal["SetByEye"] = "SetByEye"
    by_eye: ByEye | None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"by_eye": self.by_eye, "given": None})

    def title(self, scene: Scene) -> str:
        return "Sight by eye" if self.by_eye else "Sight by traces"


class BringCamera(SightEdit):
    """Take a camera that was known before as the sighted one, in its own place; None leaves what is
    sighted. move, passed: where it moves, the shot that goes along with it, and its motion."""

    verb: Literal["BringCamera"] = "BringCamera"
    camera: Given | None = None
    move: Move | None = None
    passed: CameraPass | None = None

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        if self.camera is None:
            return sighting
        new = {"given": self.camera, "eye_height_m": None, "distance_m": None, "datum": None}
        return sighting.model_copy(update={**new, "datum_level_m": 0.0})

    def on(self, scene: Scene) -> Scene:
        if self.camera is None and self.passed is None:
            raise Refusal("There is no camera in this change, so nothing was changed.")
        after = scene if self.camera is None else super().on(scene)
        if self.passed is None:  # what an earlier camera went through is not this one's
            after = after.model_copy(update={"passed": None})
        new: dict[str, object] = {"move": self.move, "passed": self.passed}
        playing = scene.plate.playing
        if self.passed is not None and playing is not None:
            fps = scene.move.fps if self.move is None else self.move.fps
            shown = pictures_at(playing, np.array([float(self.passed.reference)]), fps)
            new["plate"] = scene.plate.model_copy(update={"picture": int(shown[0])})
        return after.model_copy(update={k: v for k, v in new.items() if v is not None})

    def title(self, scene: Scene) -> str:
        known = self.camera or self.passed
        called = "a file" if known is None else known.name
        return f"Bring in the camera {called}" if self.camera else f"Move as {called}"


class LetCameraGo(SightEdit):
    """Go back from a camera that was brought in to what is traced, or set by eye."""

    verb: Literal["LetCameraGo"] = "LetCameraGo"

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        if sighting.given is None:
            raise Refusal("No camera was brought in, so there is none to let go of.")
        return sighting.model_copy(update={"given": None})

    def title(self, scene: Scene) -> str:
        return "Let the brought camera go"


class SetLevel(SightEdit):
    """Hold the horizon level, whatever the traces say of the roll; or let them say it."""

    verb: Literal["SetLevel"] = "SetLevel"
    level: bool

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        update: dict[str, object] = {"level": self.level}
        if sighting.by_eye is not None:
            update = {"by_eye": sighting.by_eye.model_copy(update={"roll_deg": 0.0})}
        return sighting.model_copy(update=update)

    def title(self, scene: Scene) -> str:
        return "Level the horizon" if self.level else "Let the horizon tilt"


class SetMade(SightEdit):
    """Say what made the picture. A renderer's has its principal point in the middle and a straight
    lens; of a photograph's neither is known so well."""

    verb: Literal["SetMade"] = "SetMade"
    made: Literal["photo", "render"]

    def sighted(self, sighting: Sighting, scene: Scene) -> Sighting:
        return sighting.model_copy(update={"made": self.made})

    def title(self, scene: Scene) -> str:
        return "Made by a renderer" if self.made == "render" else "Made by a camera"


class SwapPlate(OfSight):
    """Put a flat plate in the place of the bent one, or the bent one back, with the sighting
    carried over to it. The plate's pixels are made by who asks (see `sight.flatten`)."""

    verb: Literal["SwapPlate"] = "SwapPlate"
    plate: Plate
    sighting: Sighting

    def on(self, scene: Scene) -> Scene:
        if scene.sighting.locked:
            raise Refusal("The sighting is locked, so nothing was changed. Unlock it in Sight.")
        return scene.model_copy(update={"plate": self.plate, "sighting": self.sighting})

    def title(self, scene: Scene) -> str:
        return "Flatten the plate" if self.plate.flattened else "Bring the bent plate back"
