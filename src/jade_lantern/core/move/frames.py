"""Which frames of a shot are asked for, and in what format."""

from __future__ import annotations

from dataclasses import dataclass

from ..camera import Frame
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

    @property
    def width(self) -> int:
        """Of what is rendered, px: overscan included."""
        return self.frame.size[0]

    @property
    def height(self) -> int:
        return self.frame.size[1]


def render_request(
    scene: Scene,
    width: int | None = None,
    first: int | None = None,
    last: int | None = None,
    height: int | None = None,
    overscan: float = 0.0,
) -> RenderRequest:
    """A request for frames of the plate's shape, or with a height for the middle of them in
    another shape. Raises Refusal for a size or a range that cannot be rendered."""
    end = scene.move.frames - 1
    first, last = 0 if first is None else first, end if last is None else last
    if not 0 <= first <= last <= end:
        raise Refusal(f"Frames {first} to {last} are not all in the shot, which has 0 to {end}.")
    plate = scene.plate
    if width is None:
        width = plate.width if height is None else round(height * plate.width / plate.height)
    if height is None:
        height = round(width * plate.height / plate.width)
    if width < 16 or height < 16:
        raise Refusal("A frame needs at least 16 pixels a side.")
    if not 0.0 <= overscan <= MOST_OVERSCAN:
        raise Refusal(f"Overscan is from 0 to {MOST_OVERSCAN:g} of the frame on each side.")
    frame = Frame(width, height, overscan=overscan)
    if max(frame.size) > LARGEST_SIDE:
        raise Refusal(f"A frame of more than {LARGEST_SIDE:,} pixels a side cannot be rendered.")
    if not [p for p in scene.proxies if not p.hidden]:
        raise Refusal("There is nothing to cast on yet. Stand a proxy in Block first.")
    return RenderRequest(frame, first, last)
