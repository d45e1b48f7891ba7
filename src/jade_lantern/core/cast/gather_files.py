"""What was gathered from footage, as files: layers to paint on, and which frame gave each place."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from ..arrays import Bytes
from ..deadline import check_time
from ..picture import encoded, png
from ..picture.eight import in_eight_bit
from ..picture.openraster import Layer, written
from ..picture.tones import told_apart
from ..refusal import Refusal
from ..scene.model import Lantern, Scene
from .footage import footage_of
from .gather import MOST_CHOSEN, Gathered, gathered
from .ofscene import Pixels

WHICH, SHIFT = "which frame", "shift"  # guides: left out again when it comes back
SHIFT_WHITE = 8.0  # px
BYTES_A_PIXEL = 4.0 * (MOST_CHOSEN + 12)


def gathering_lanterns(scene: Scene) -> list[Lantern]:
    """The lanterns that the footage can be gathered for: those of a place of their own. Raises
    Refusal where there is none, or no footage with a camera."""
    footage_of(scene)
    out = [one for one in scene.lanterns if one.view is not None]
    if not out:
        raise Refusal("No lantern stands elsewhere. Add a wide one, and gather into that.")
    return out


def gathering_bytes(scene: Scene) -> float:
    """About how much memory the files take while they are made."""
    views = [one.view for one in gathering_lanterns(scene) if one.view is not None]
    return BYTES_A_PIXEL * max((v.width * v.height for v in views), default=0)


def gathered_files(
    scene: Scene, lantern: Lantern, pixels: Pixels, after_each: Callable[[], None] = check_time
) -> Iterator[tuple[str, bytes]]:
    """The files of one lantern: an OpenRaster file of what was gathered, over what each frame
    throws by itself; the picture; the number of the frame of each place, counted from one, in 16
    bit; and the shift. Raises Refusal: see `gathered`."""
    made = gathered(scene, lantern, pixels, after_each)
    name = lantern.name.replace("/", "-")
    height, width = made.which.shape
    guides = [Layer(WHICH, _tinted(made), visible=False), Layer(SHIFT, _shift(made), visible=False)]
    frames = [
        Layer(f"frame {scene.move.first + k}", in_eight_bit(made.thrown(k)), visible=False)
        for k in made.frames
    ]
    plate = Layer("plate", in_eight_bit(made.picture))
    yield f"{name}.ora", written(width, height, [*guides, *frames, plate])
    floating = made.picture.dtype.kind == "f"
    yield f"{name}.{'tif' if floating else 'png'}", encoded(made.picture)
    numbers = np.where(made.which >= 0, made.which + 1, 0).clip(0, 65535).astype(np.uint16)
    yield f"{name} {WHICH}.png", png(np.repeat(numbers[..., None], 3, axis=2))
    yield f"{name} {SHIFT}.png", png(_shift(made))


def _tinted(made: Gathered) -> Bytes:
    """(H, W, 4) each place in the colour of the frame that gave it."""
    out = np.zeros((*made.which.shape, 4), np.uint8)
    for i, number in enumerate(made.frames):
        out[made.which == number] = [*told_apart(i), 255]
    return out


def _shift(made: Gathered) -> Bytes:
    """(H, W, 4) the shift, SHIFT_WHITE px white; clear where nothing was seen twice."""
    known = np.isfinite(made.shift)
    shade = (np.nan_to_num(made.shift) * (255 / SHIFT_WHITE)).clip(0, 255).astype(np.uint8)
    return np.dstack([np.repeat(shade[..., None], 3, axis=2), np.where(known, 255, 0)]).astype(
        np.uint8
    )
