"""What falls on a cast and lies in it: suns, lamps, light from all sides, haze and darkening."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from ..arrays import Floats, Floats32
from ..mesh import Mesh
from .around import looked_up, turned_about_up

Shares = Mapping[int, float]  # by proxy; of those that are not named it is 1


@dataclass(frozen=True)
class Haze:
    """colour: (3,) 0 to 1, in the picture's numbers. density: per metre, at `level_m` metres above
    the ground and below. start_m: how far from the camera it begins. fall_m: metres of height in
    which it thins to 1 / e; None where it is the same everywhere. shares: how much of it lies
    before each proxy."""

    colour: tuple[float, float, float]
    density: float
    start_m: float = 0.0
    fall_m: float | None = None
    level_m: float = 0.0
    shares: Shares = field(default_factory=dict)


@dataclass(frozen=True)
class Darkening:
    """strength: 0 to 1 how much of what is hidden is dark. reach_m: from how far away things hide.
    shares: how much of it each proxy takes; 1 for those not named. casts: the proxies that hide."""

    strength: float
    reach_m: float
    shares: Mapping[int, float] = field(default_factory=dict)
    casts: frozenset[int] = frozenset()


@dataclass(frozen=True, eq=False)
class Light:
    """A light. energy: (3,) linear: what it adds to a white plane that faces it; of a lamp, at one
    metre. place: of a lamp, metres; of a sun, the way towards it. size: of a lamp its radius,
    metres; of a sun its angular radius, degrees. around: of surroundings, their map (see
    `around`); turn_deg: how far they are turned.

    does: "adds" to the light that a picture shows already; "replaces" it, so that the picture is
    taken for what things look like in plain white light; "shades": only its shadow is seen, and
    energy says how much of the light it takes away, up to 1. shares:
    how much of it each proxy takes. casters: the proxies that cast its shadow; None for all.
    """

    kind: Literal["sun", "lamp", "sky", "surroundings"]
    energy: tuple[float, float, float]
    place: tuple[float, float, float] = (0.0, 1.0, 0.0)
    size: float = 0.0
    does: Literal["adds", "replaces", "shades"] = "adds"
    shares: Shares = field(default_factory=dict)
    casters: frozenset[int] | None = None
    around: Floats32 | None = None
    turn_deg: float = 0.0

    @property
    def spread(self) -> bool:
        """Whether it comes from all sides, so that nothing casts a shadow of it."""
        return self.kind in ("sky", "surroundings")

    def shadowing(self) -> tuple[object, ...]:
        """What its buffers depend on, besides the surfaces."""
        return self.kind, self.place, self.casters

    def falls_on(self, normals: Floats) -> Floats:
        """(N, 3) what it adds to white surfaces with normals (N, 3); of one that is spread."""
        if self.around is None:
            return np.asarray(0.5 * (1.0 + normals[:, 1:2]) * np.array(self.energy), float)
        return looked_up(self.around, turned_about_up(normals, self.turn_deg)) * self.energy


@dataclass(frozen=True)
class Dress:
    """What falls on a cast and lies before it. unseen: what lights see that is not in the cast, by
    the numbers that name it as a caster."""

    lights: tuple[Light, ...] = ()
    haze: Haze | None = None
    unseen: Mapping[int, Mesh] = field(default_factory=dict)
    darkening: Darkening | None = None

    def __bool__(self) -> bool:
        dark = self.darkening is not None and self.darkening.strength > 0
        return bool(self.lights) or dark or (self.haze is not None and self.haze.density > 0)


PLAIN = Dress()
