"""What takes the world of a file to that of a scene."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..arrays import Floats
from ..proxy import Solid
from ..proxy.kind import angles_of


@dataclass(frozen=True)
class World:
    """``p -> scale * turn @ p + shift``. turn: (3, 3) a rotation; shift: (3,) metres."""

    scale: float = 1.0
    turn: Floats = field(default_factory=lambda: np.eye(3))
    shift: Floats = field(default_factory=lambda: np.zeros(3))

    def moved(self, places: Floats) -> Floats:
        """Places (..., 3) of the file's world."""
        return np.asarray(self.scale * places @ self.turn.T + self.shift, float)

    def turned(self, axes: Floats) -> Floats:
        """The axes (..., 3, 3), by rows, of cameras in the file's world."""
        return np.asarray(axes @ self.turn.T, float)

    def carried(self, solid: Solid) -> Solid:
        """A solid of the file's world that has its size already."""
        turn, foot = solid.frame()
        x, y, z = (self.turn @ foot + self.shift).tolist()
        about, lean, roll = angles_of(self.turn @ turn)
        return solid.model_copy(update={
            "x": x, "level_m": y, "z": z, "turn_deg": about, "lean_deg": lean, "roll_deg": roll,
        })  # fmt: skip
