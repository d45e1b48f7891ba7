"""Live repeats of a proxy: its mirrored twin, and a row of it. They follow the proxy until they
are broken off."""

from __future__ import annotations

from typing import Annotated, Self

import numpy as np
from pydantic import Field

from ..arrays import Floats
from ..cache import cached
from ..mesh import Mesh
from ..value import Number, Value

Frame = tuple[tuple[float, ...], tuple[float, ...]]  # turn, row by row, and place

MOST_BYTES = 24 << 20  # of remembered results


def turned(degrees: float, by: float) -> float:
    """An angle turned on, between -180 and 180 degrees."""
    return (degrees + by + 180.0) % 360.0 - 180.0


def level_direction(degrees: float) -> Floats:
    """(3,) unit direction of a turn about Up, from Across."""
    a = np.radians(degrees)
    return np.array([np.cos(a), 0.0, -np.sin(a)])


class Mirror(Value):
    """An upright plane in the world through x, z that runs along turn_deg; the twin stands on its
    other side."""

    x: Number
    z: Number
    turn_deg: Number = 0.0

    def map(self) -> tuple[Floats, Floats]:
        """(3, 3) and (3,): a point ``p`` has its twin at ``turn @ p + place``."""
        along = level_direction(self.turn_deg)
        normal = np.array([-along[2], 0.0, along[0]])
        turn = np.eye(3) - 2 * np.outer(normal, normal)
        through = np.array([self.x, 0.0, self.z])
        return turn, 2 * normal * float(normal @ through)


class Row(Value):
    """The same again and again: count in all, each a step further along turn_deg and a rise
    higher."""

    turn_deg: Number = 0.0
    step_m: Number
    rise_m: Number = 0.0
    count: Annotated[int, Field(ge=2, le=400)]

    def steps(self) -> list[Floats]:
        """(3,) for each, the first one zero."""
        step = level_direction(self.turn_deg) * self.step_m + [0.0, self.rise_m, 0.0]
        return [i * step for i in range(self.count)]

    def carried(self, scale: float, turn_deg: float) -> Self:
        """The same after the world's size and turn have changed."""
        return self.model_copy(update={
            "step_m": self.step_m * scale, "rise_m": self.rise_m * scale,
            "turn_deg": turned(self.turn_deg, turn_deg),
        })  # fmt: skip


def maps_of(mirror: Mirror | None, row: Row | None) -> list[tuple[Floats, Floats]]:
    """Turn (3, 3) and place (3,) of each repeat in the world, the proxy itself first."""
    maps = [(np.eye(3), np.zeros(3))] + ([mirror.map()] if mirror else [])
    steps = row.steps() if row else [np.zeros(3)]
    return [(turn, place + step) for step in steps for turn, place in maps]


@cached(MOST_BYTES)
def repeated(once: Mesh, frame: Frame, mirror: Mirror | None, row: Row | None) -> Mesh:
    """A mesh in its own frame with its repeats. A mirrored one is wound anew, so that it faces
    outward as it does itself; the faces of each are numbered on from those of the one before."""
    turn, place = np.array(frame[0]).reshape(3, 3), np.array(frame[1])
    world = once.points @ turn.T + place
    faces = int(once.faces.max(initial=-1)) + 1
    points, triangles, owners = [], [], []
    for i, (by, shift) in enumerate(maps_of(mirror, row)):
        points.append((world @ by.T + shift - place) @ turn)
        wound = once.triangles if np.linalg.det(by) > 0 else once.triangles[:, ::-1]
        triangles.append(wound + i * len(world))
        owners.append(once.faces + i * faces)
    return Mesh(
        np.concatenate(points),
        np.concatenate(triangles).astype(np.int32),
        np.concatenate(owners).astype(np.int32),
    )
