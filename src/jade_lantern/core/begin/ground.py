"""The world of a brought camera, by places on the ground that a hand picks in two pictures that it
took: a camera that another program has followed knows its own way, but not which way is up."""

from __future__ import annotations

import math
from typing import Annotated

import numpy as np
import scipy  # its submodules load on first use
from pydantic import Field

from ..arrays import Floats
from ..camera import Camera
from ..refusal import Refusal
from ..value import Length, Point2, Value
from .world import World

FEWEST, MOST = 3, 24
HAND = 0.001  # of the width: how far a hand is off
FAR_OFF = 6.0  # of HAND, beyond which a place is not the same in both pictures
MOST_OPEN_DEG = 5.0  # how far the places may leave open which way is up


class GroundPicks(Value):
    """pictures: the two of the plate in which places are picked, counted from 0. places: px, where
    each is in the first and in the second; the first place becomes the world's zero, and the way
    from it to the second its X. apart_m: how far these two are from each other."""

    pictures: tuple[
        Annotated[int, Field(ge=0, le=100_000)], Annotated[int, Field(ge=0, le=100_000)]
    ]
    places: Annotated[
        tuple[tuple[Point2, Point2], ...], Field(min_length=FEWEST, max_length=MOST)
    ]  # fmt: skip
    apart_m: Length | None = None


class Ground:
    """The plane in a camera's own world in which picked places lie.

    places: (N, 3) there. up: (3,) its normal, to the side of the cameras. open_deg: one standard
    deviation of which way is up. off_px: how far places lie from where they were picked, root mean
    square.
    """

    def __init__(self, picks: GroundPicks, one: Camera, other: Camera) -> None:
        """one, other: the cameras of the two pictures. Raises Refusal where the places are not the
        same in both, or leave open where the ground is."""
        self._one, self._other = one, other
        self._pixels = np.array(picks.places, float)  # (N, which of the two, 2)
        self._hand = HAND * one.width
        self._start()
        found = scipy.optimize.least_squares(
            self._off, np.zeros(3 + 2 * len(self._pixels)), x_scale="jac", max_nfev=100
        )
        off = self._hand * np.linalg.norm(found.fun.reshape(2, -1, 2), axis=2)  # (2, N)
        self.off_px = math.sqrt(float((off**2).sum(axis=0).mean()))
        self.up, self._level = self._plane(found.x)
        self.places = self._on_plane(found.x)
        ahead = [camera.project(self.places)[1].min() for camera in (one, other)]
        if not off.max() < FAR_OFF * self._hand or min(ahead) <= 0:
            worst = int(off.max(axis=0).argmax())
            raise Refusal(
                f"Place {worst + 1} is not the same place in both pictures, or the camera is not "
                "the one that took them: the two do not meet on one ground."
            )
        free = len(off.T) * 2 - 3
        worse = max(2 * found.cost / max(free, 1), 1.0)
        # not a pseudo-inverse, for which what is wholly open would be wholly known
        known = found.jac.T @ found.jac + 1e-9 * np.eye(len(found.x))
        spread = np.linalg.inv(known)[:2, :2] * worse
        self.open_deg = math.degrees(math.sqrt(float(np.linalg.eigvalsh(spread)[-1])))
        if not self.open_deg < MOST_OPEN_DEG:
            raise Refusal(
                f"These places leave open which way is up, by ± {min(self.open_deg, 90):.0f}°. "
                "Pick them in pictures that were taken farther apart, far from each other, and "
                "not all on one line."
            )
        sides = [float(self.up @ camera.position) - self._level for camera in (one, other)]
        if sides[0] * sides[1] <= 0:
            raise Refusal(
                "The camera is above the ground in one of the pictures, below in another."
            )
        if sides[0] < 0:
            self.up = -self.up

    def _start(self) -> None:
        """The plane through the places where the rays of the two cameras are nearest each other."""
        pixels = self._pixels
        a, b = self._one.rays(pixels[:, 0]), self._other.rays(pixels[:, 1])
        way = self._other.position - self._one.position
        aa, bb, ab = (a * a).sum(1), (b * b).sum(1), (a * b).sum(1)
        least = np.maximum(aa * bb - ab**2, 1e-12 * aa * bb)
        far = ((a @ way) * bb - (b @ way) * ab) / least
        size = float(np.linalg.norm(way))
        if size == 0:
            raise Refusal(
                "The camera did not move between these two pictures. Pick in two that it took from "
                "different places."
            )
        far = np.where(far > 0.01 * size, far, 1000 * size)
        places = self._one.position + a * far[:, None]
        middle = places.mean(axis=0)
        _, _, v = np.linalg.svd(places - middle)
        self._axes = v  # its last row is the plane's normal
        # turned about a place in it, so that a turn does not move it away
        self._middle, self._size = middle, float(np.linalg.norm(middle - self._one.position))

    def _plane(self, p: Floats) -> tuple[Floats, float]:
        normal = self._axes[2] + p[0] * self._axes[0] + p[1] * self._axes[1]
        normal = normal / np.linalg.norm(normal)
        return normal, float(normal @ self._middle) + p[2] * self._size

    def _on_plane(self, p: Floats) -> Floats:
        """(N, 3) where what the first camera sees lies in the plane."""
        normal, level = self._plane(p)
        rays = self._one.rays(self._pixels[:, 0] + self._hand * p[3:].reshape(-1, 2))
        slant = rays @ normal
        slant = np.where(abs(slant) < 1e-9, 1e-9, slant)
        return self._one.position + rays * ((level - normal @ self._one.position) / slant)[:, None]

    def _off(self, p: Floats) -> Floats:
        """What is off in both pictures, in standard deviations of a hand."""
        at, _ = self._other.project(self._on_plane(p))
        return np.concatenate([p[3:], ((at - self._pixels[:, 1]) / self._hand).ravel()])

    def world(self, size: float) -> World:
        """What takes the camera's own world to one that stands on this ground. size: metres for
        each of its own."""
        way = self.places[1] - self.places[0]
        x = way / np.linalg.norm(way)
        turn = np.array([x, self.up, np.cross(x, self.up)])
        return World(size, turn, -size * (turn @ self.places[0]))

    def apart(self) -> float:
        """How far the first two places are from each other, in the camera's own world. Raises
        Refusal where they are one."""
        found = float(np.linalg.norm(self.places[1] - self.places[0]))
        if found < 1e-6 * self._size:
            raise Refusal("Places 1 and 2 are the same, so they give the ground no direction.")
        return found

    def above(self, place: Floats) -> float:
        """How far a place (3,) is above the ground, in the camera's own world."""
        return float(self.up @ (place - self.places[0]))
