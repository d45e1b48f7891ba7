"""Focal lengths known from a lens and a sensor: sizes of sensors, crop factors, 35 mm terms."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field

from ..camera import focal_px_from_35mm
from ..refusal import Refusal
from ..scene.edits import Edit, SetFocal
from ..scene.gesture import Gesture
from ..scene.model import FocalHint, Scene
from ..value import Length, Value

FULL_DIAGONAL_MM = 43.27
# how well a focal length is known, as a share of it
SURE = {"exactly": 1e-4, "closely": 0.02, "roughly": 0.1}


class Sensor(Value):
    """A usual size of sensor or film gate."""

    name: str
    width_mm: float
    height_mm: float

    @property
    def crop(self) -> float:
        return crop_factor(self.width_mm, self.height_mm)


SENSORS = tuple(
    Sensor(name=name, width_mm=w, height_mm=h)
    for name, w, h in (
        ("Full frame", 36.0, 24.0),
        ("Medium format, large", 53.4, 40.0),
        ("Medium format, small", 43.8, 32.9),
        ("Super 35", 24.9, 18.7),
        ("APS-C", 23.6, 15.7),
        ("Four Thirds", 17.3, 13.0),
        ("One inch", 13.2, 8.8),
        ("2/3 inch", 8.8, 6.6),
        ("1/1.3 inch", 9.8, 7.3),
        ("1/1.7 inch", 7.6, 5.7),
        ("1/2.3 inch", 6.17, 4.55),
        ("1/2.55 inch", 5.64, 4.23),
        ("16 mm film", 10.26, 7.49),
        ("35 mm film, four perforations", 24.89, 18.66),
    )
)


def crop_factor(width_mm: float, height_mm: float) -> float:
    """How much smaller than 36 x 24 mm, by the diagonal."""
    return FULL_DIAGONAL_MM / math.hypot(width_mm, height_mm)


class GiveFocal(Gesture):
    """Give the focal length: in 35 mm terms, or as the lens says it with a sensor's size or a
    crop factor; and how surely it is known."""

    verb: Literal["GiveFocal"] = "GiveFocal"
    focal_mm: Annotated[float, Field(ge=1, le=5000)]
    sensor_mm: tuple[Length, Length] | None = None
    crop: Annotated[float, Field(gt=0.05, lt=50)] | None = None
    sure: Literal["exactly", "closely", "roughly"] = "closely"

    def edit(self, scene: Scene) -> Edit:
        width, height = scene.plate.width, scene.plate.height
        if self.sensor_mm is not None:
            long = max(self.sensor_mm)
            short = min(self.sensor_mm)
            if long > 500 or short < 0.5:
                raise Refusal("A sensor is between half a millimetre and half a metre wide.")
            # a picture squarer than the sensor was cut at its ends, a longer one along its sides
            longer = max(width, height) / min(width, height)
            used = long if longer >= long / short else short * longer
            focal = self.focal_mm * max(width, height) / used
        else:
            focal = focal_px_from_35mm(self.focal_mm * (self.crop or 1.0), width, height)
        return SetFocal(focal=FocalHint(value=focal, sigma=focal * SURE[self.sure]))
