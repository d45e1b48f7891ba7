"""Which frames of a shot are asked for, and in what format."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..camera import Camera, Frame
from ..refusal import Refusal
from ..scene.model import Scene

LARGEST_SIDE = 16_384
MOST_OVERSCAN = 1.0


@dataclass(frozen=True)
class RenderRequest:
    """The format of the frames, and the first and last of them, both included."""

    frame: Frame
    first: int
    last: int
    delivered: Frame | None = None  # as the shot says that it is; None for what is asked for

    @property
    def width(self) -> int:
        """Of what is rendered, px: overscan included."""
        return self.frame.size[0]

    @property
    def height(self) -> int:
        return self.frame.size[1]

    def looked_at(self, camera: Camera) -> tuple[Camera, float, tuple[float, float]]:
        """The camera of the delivered frame's picture at about this width, for `DiagnosedCast`:
        how many times as wide the delivered one is, and its size in this one's pixels. A frame of
        whole pixels at a small width would have another shape, and so another rim."""
        if self.delivered is None:
            of = self.frame.of(camera)
            return of, 1.0, (float(of.width), float(of.height))
        of = self.delivered.of(camera)
        by = self.width / of.width
        size = float(self.width), of.height * by
        small = replace(
            of, width=self.width, height=int(np.ceil(size[1] - 1e-6)), focal_px=of.focal_px * by,
            cx=of.cx * by, cy=of.cy * by,
        )  # fmt: skip
        return small, 1.0 / by, size


def render_request(
    scene: Scene,
    width: int | None = None,
    first: int | None = None,
    last: int | None = None,
    height: int | None = None,
    overscan: float = 0.0,
) -> RenderRequest:
    """A request for frames of the shot's format: the plate's whole picture, or the shape and size
    that the shot is delivered in. With a width and a height, of that shape whatever the shot says;
    overscan is added to the shot's own. Raises Refusal for a size or a range that cannot be
    rendered."""
    end = scene.move.frames - 1
    first, last = 0 if first is None else first, end if last is None else last
    if not 0 <= first <= last <= end:
        raise Refusal(f"Frames {first} to {last} are not all in the shot, which has 0 to {end}.")
    own, plate = scene.move.frame, scene.plate
    wide, high = (plate.width, plate.height) if own is None else (own.width, own.height)
    if width is None:
        width = wide if height is None else round(height * wide / high)
    if height is None:
        height = round(width * high / wide)
    if width < 16 or height < 16:
        raise Refusal("A frame needs at least 16 pixels a side.")
    if own is not None:
        overscan += own.overscan
    if not 0.0 <= overscan <= MOST_OVERSCAN:
        raise Refusal(f"Overscan is from 0 to {MOST_OVERSCAN:g} of the frame on each side.")
    at = (0.5, 0.5) if own is None else own.at

    def of_size(width: int, height: int) -> Frame:
        window = crop_of(plate.width, plate.height, width / height, at)
        return Frame(width, height, window, overscan)

    frame = of_size(width, height)
    if max(frame.size) > LARGEST_SIDE:
        raise Refusal(f"A frame of more than {LARGEST_SIDE:,} pixels a side cannot be rendered.")
    if all(part.hidden for part in (*scene.proxies, *scene.guests)):
        raise Refusal("There is nothing to cast on yet. Stand a proxy in Block first.")
    return RenderRequest(frame, first, last, of_size(wide, high))


def crop_of(
    width: int, height: int, shape: float, at: tuple[float, float]
) -> tuple[float, float, float] | None:
    """The largest window of a shape (width over height) in a picture, px, with its middle as near
    to a place (in widths and heights) as it lies inside; as `Frame.window` has it. None for the
    middle one."""
    if at == (0.5, 0.5):
        return None
    wide = min(1.0, shape * height / width)
    high = wide / shape  # in widths of the picture
    left = min(max(at[0] - wide / 2, 0.0), 1.0 - wide)
    top = min(max(at[1] * height / width - high / 2, 0.0), height / width - high)
    return left, top, wide
