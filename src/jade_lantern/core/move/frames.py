"""Which frames of a shot are asked for, and at what size."""

from __future__ import annotations

from dataclasses import dataclass

from ..refusal import Refusal
from ..scene.model import Scene

LARGEST_SIDE = 16_384


@dataclass(frozen=True)
class RenderRequest:
    """The size of the frames, and the first and last of them, both included."""

    width: int
    height: int
    first: int
    last: int


def render_request(
    scene: Scene, width: int | None = None, first: int | None = None, last: int | None = None
) -> RenderRequest:
    """A request for frames of the plate's aspect ratio. Raises Refusal for a size or a range that
    cannot be rendered."""
    end = scene.move.frames - 1
    first, last = 0 if first is None else first, end if last is None else last
    if not 0 <= first <= last <= end:
        raise Refusal(f"Frames {first} to {last} are not all in the shot, which has 0 to {end}.")
    plate = scene.plate
    width = plate.width if width is None else width
    height = round(width * plate.height / plate.width)
    if width < 16 or height < 16:
        raise Refusal("A frame needs at least 16 pixels a side.")
    if max(width, height) > LARGEST_SIDE:
        raise Refusal(f"A frame of more than {LARGEST_SIDE:,} pixels a side cannot be rendered.")
    if not [p for p in scene.proxies if not p.hidden]:
        raise Refusal("There is nothing to cast on yet. Stand a proxy in Block first.")
    return RenderRequest(width, height, first, last)
