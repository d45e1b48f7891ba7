"""The pinhole camera: what the sighting finds, a lantern throws from, and the shot moves; and the
format of a frame."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from .arrays import Floats


@dataclass(frozen=True)
class Camera:
    """A camera in the world.

    Pixels have their origin at the picture's top-left corner, x right, y down. The camera looks
    along its own -Z with +Y up, and ``c = rotation @ (p - position)`` takes a world point to it.
    """

    width: int
    height: int
    focal_px: float
    rotation: Floats  # (3, 3), rows are the camera's axes in the world
    position: Floats  # (3,), metres
    cx: float
    cy: float

    @classmethod
    def centred(
        cls, width: int, height: int, focal_px: float, rotation: Floats, position: Floats
    ) -> Camera:
        """A camera whose principal point is the picture's centre."""
        return cls(width, height, focal_px, rotation, position, width / 2, height / 2)

    @property
    def forward(self) -> Floats:
        """(3,) unit world direction the camera looks along."""
        return -self.rotation[2]

    def projection(self) -> Floats:
        """(3, 3) M: ``M @ (p - position)`` is the homogeneous pixel, its w the depth. Worked out
        once; not to be written into."""
        return self._projection

    def unprojection(self) -> Floats:
        """(3, 3) the inverse of `projection`."""
        return self._unprojection

    @cached_property
    def _projection(self) -> Floats:
        k = np.array(
            [
                [self.focal_px, 0.0, -self.cx],
                [0.0, -self.focal_px, -self.cy],
                [0.0, 0.0, -1.0],
            ]
        )
        return k @ self.rotation

    @cached_property
    def _unprojection(self) -> Floats:
        return np.asarray(np.linalg.inv(self._projection), float)

    def project(self, points: Floats) -> tuple[Floats, Floats]:
        """World points (..., 3) to pixels (..., 2) and depths (...,) in metres along the axis.

        A point behind the camera has a depth of zero or less and its pixel means nothing.
        """
        h = (np.asarray(points, float) - self.position) @ self.projection().T
        depth = h[..., 2]
        safe = np.where(np.abs(depth) < 1e-12, 1e-12, depth)
        return h[..., :2] / safe[..., None], depth

    def rays(self, pixels: Floats) -> Floats:
        """Pixels (..., 2) to world directions (..., 3) of unit depth along the axis."""
        px = np.asarray(pixels, float)
        c = np.stack(
            [
                (px[..., 0] - self.cx) / self.focal_px,
                -(px[..., 1] - self.cy) / self.focal_px,
                -np.ones(px.shape[:-1]),
            ],
            axis=-1,
        )
        out: Floats = c @ self.rotation
        return out

    def resized(self, width: int, height: int) -> Camera:
        """The same picture at another size; of another shape, its middle (see `Frame`)."""
        return Frame(width, height).of(self)

    def at_width(self, width: int) -> Camera:
        """The same view so many pixels wide; narrower where the frame is so tall that it would
        have more pixels than one MOST_TALL times as tall as wide."""
        tall = self.height / self.width
        if tall > MOST_TALL:
            width = max(round(width * math.sqrt(MOST_TALL / tall)), 1)
        return self.resized(width, min(max(round(width * tall), 1), LONGEST_SIDE))


@dataclass(frozen=True)
class Frame:
    """A frame's format. Another shape than the camera's picture is a crop of it, or more than it
    shows, and never squashed.

    width, height: px, without overscan. window: left and top corner and width of the part of the
    picture that the frame shows, in widths of the picture, from its top-left corner; it may reach
    beyond the picture, and its height follows from the frame's shape. None for the largest part of
    that shape in the picture's middle. overscan: how much is added on each side, in widths and
    heights of the frame.
    """

    width: int
    height: int
    window: tuple[float, float, float] | None = None
    overscan: float = 0.0

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels, with overscan."""
        return (
            self.width + 2 * round(self.overscan * self.width),
            self.height + 2 * round(self.overscan * self.height),
        )

    def of(self, camera: Camera) -> Camera:
        """The camera with the frame for its picture, overscan included."""
        if self.window is None:
            scale = max(self.width / camera.width, self.height / camera.height)
            left = (camera.width - self.width / scale) / 2
            top = (camera.height - self.height / scale) / 2
        else:
            left, top, wide = (one * camera.width for one in self.window)
            scale = self.width / wide
        width, height = self.size
        return replace(
            camera,
            width=width,
            height=height,
            focal_px=camera.focal_px * scale,
            cx=(camera.cx - left) * scale + (width - self.width) / 2,
            cy=(camera.cy - top) * scale + (height - self.height) / 2,
        )


MOST_TALL = 3.0
LONGEST_SIDE = 40_000  # px
NEAREST = 0.01  # distance of the near plane, relative to the world's size


def world_size(sighted: Camera) -> float:
    """The measure, metres, that limits in metres follow from: how high the sighted camera is over
    the ground, or a little where it stands on it."""
    return max(abs(float(sighted.position[1])), 0.2)


def same_camera(a: Camera, b: Camera) -> bool:
    """Whether two cameras see the same."""
    numbers = ("width", "height", "focal_px", "cx", "cy")
    return (
        all(getattr(a, name) == getattr(b, name) for name in numbers)
        and np.array_equal(a.rotation, b.rotation) and np.array_equal(a.position, b.position)
    )  # fmt: skip


def focal_35mm(focal_px: float, width: int, height: int) -> float:
    """Focal length in 35 mm terms, from pixels."""
    return focal_px * 36.0 / max(width, height)


def focal_px_from_35mm(focal_mm: float, width: int, height: int) -> float:
    """Focal length in pixels, from 35 mm terms."""
    return focal_mm * max(width, height) / 36.0


def tilt_roll_yaw(rotation: Floats) -> tuple[float, float, float]:
    """Degrees: tilt (up is positive), roll (horizon falling to the right is positive) and yaw
    (turned from Away towards Across is positive)."""
    up = rotation[:, 1]
    forward = -rotation[2]
    tilt = np.degrees(np.arcsin(np.clip(forward[1], -1.0, 1.0)))
    roll = np.degrees(np.arctan2(up[0], up[1]))
    yaw = np.degrees(np.arctan2(forward[0], -forward[2]))
    return float(tilt), float(roll), float(yaw)


def rotation_of(tilt_deg: float, roll_deg: float, yaw_deg: float) -> Floats:
    """(3, 3) world-to-camera rotation with the given tilt, roll and yaw; inverse of
    `tilt_roll_yaw`."""
    t, r, y = np.radians([tilt_deg, roll_deg, yaw_deg])
    forward = np.array([np.sin(y) * np.cos(t), np.sin(t), -np.cos(y) * np.cos(t)])
    right = np.array([np.cos(y), 0.0, np.sin(y)])
    up = np.cross(right, forward)
    x = np.cos(r) * right + np.sin(r) * up
    return np.stack([x, np.cross(-forward, x), -forward])
