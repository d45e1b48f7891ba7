"""A scene that begins on nothing: a frame, and a camera set by eye over a drawn ground."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from ..arrays import Bytes
from ..camera import Camera, focal_px_from_35mm, rotation_of
from ..refusal import Refusal
from ..scene.model import ByEye, Scene, Sighting
from ..scene.plate import Plate
from ..value import Length, Name, Value

GREY = 118  # of eight bit, a middle grey in sRGB
LEAST_SIDE = 16  # px
DOWN = 0.94  # of the frame's height: where the datum lies, if the ground is seen there


class Nothing(Value):
    """What a project begins with that has no picture yet. focal_mm: in 35 mm terms."""

    name: Name = "New project"
    width: Annotated[int, Field(ge=LEAST_SIDE, le=16_384)] = 1920
    height: Annotated[int, Field(ge=LEAST_SIDE, le=16_384)] = 1080
    eye_height_m: Length = 1.6
    tilt_deg: Annotated[float, Field(ge=-85, le=85)] = 0.0
    focal_mm: Annotated[float, Field(ge=4, le=1000)] = 35.0


def grey_picture(width: int, height: int) -> Bytes:
    """(H, W, 3) what stands in for a picture that is yet to come."""
    return np.full((height, width, 3), GREY, np.uint8)


def awaited_plate(digest: str, width: int, height: int) -> Plate:
    """The plate of such a picture, kept under a digest."""
    return Plate(
        name="nothing yet", width=width, height=height, digest=digest, format="PNG", bits=8,
        awaited=True,
    )  # fmt: skip


def scene_on_nothing(asked: Nothing, digest: str) -> Scene:
    """The scene. Raises Refusal where no ground would be seen, on which things could be stood."""
    focal = focal_px_from_35mm(asked.focal_mm, asked.width, asked.height)
    turn = rotation_of(asked.tilt_deg, 0.0, 0.0)
    camera = Camera.centred(asked.width, asked.height, focal, turn, np.zeros(3))
    foot = (asked.width / 2, asked.height * DOWN)
    if camera.rays(np.array(foot))[1] >= -1e-3:
        raise Refusal(
            f"With a tilt of {asked.tilt_deg:g}° and {asked.focal_mm:g} mm no ground is in the "
            "frame, and things are stood on the ground. Tilt it less, or take a shorter lens."
        )
    return Scene(
        name=asked.name, plate=awaited_plate(digest, asked.width, asked.height),
        sighting=Sighting(
            by_eye=ByEye(focal_px=focal, tilt_deg=asked.tilt_deg), datum=foot,
            eye_height_m=asked.eye_height_m,
        ),
    )  # fmt: skip
