"""The look: a frame's colours changed by exposure, contrast, curves and saturation, sharpened, and
with grain. All that is done to each channel by itself is one table; saturation mixes them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache, partial
from typing import Any, NamedTuple

import cv2
import numpy as np
import scipy  # its submodules load on first use
from numba import njit
from numpy.typing import NDArray

from ..arrays import Floats, Floats32, Packed
from ..cast.ofscene import Source, Tone
from ..picture.eight import white_of
from ..render.pyramid import Picture
from ..scene.dressing import Curve, Look
from ..scene.model import Scene
from ..threads import in_threads
from .guests import no_files
from .pieces import Files
from .spaces import linear_of, picture_of
from .table import through_table

STEPS = 65536  # of a table; one for each number of a frame of sixteen bit
LUMA = (0.2126, 0.7152, 0.0722)  # of red, green and blue (Rec. 709)
MIDDLE_GREY = 0.18  # of linear light; contrast turns about it
GREY_OF_PICTURE = 0.4613546  # the same, in the picture's numbers
GRAIN = 0.08  # of the whole range: the standard deviation of the strongest grain at middle grey
# what is not in its tables
APART = {"sharpen": 0.0, "grain": 0.0, "table": None, "table_name": None}
CHANNELS = ("red", "green", "blue")


class Tables(NamedTuple):
    """forth: (3, STEPS) what 0 to 1 becomes in each channel, in the space that saturation is done
    in. back: (STEPS,) from there to the picture's numbers, by the square root of what goes in;
    empty where it is the same space."""

    forth: Floats32
    back: Floats32


def graded(
    frame: NDArray[Any], look: Look | None, number: int = 0, files: Files = no_files
) -> NDArray[Any]:  # fmt: skip
    """A frame (H, W, 4), uint8, uint16 or float32, its alpha not multiplied in, with a look; the
    very same where there is none. number: of the frame, by which its grain is drawn. files: where
    its table is read from. Raises Refusal where that is gone."""
    if look is None or look.plain:
        return frame
    tables = tables_of(look.model_copy(update=APART))
    out = np.empty_like(frame)
    white = 1.0 if frame.dtype.kind == "f" else float(np.iinfo(frame.dtype).max)
    given = np.ascontiguousarray(frame), *tables, look.saturation, white, out
    if frame.dtype == np.uint8:
        light = np.ascontiguousarray(tables.forth[:, :: (STEPS - 1) // 255])
        packed = given[0].view(np.uint32)[..., 0], out.view(np.uint32)[..., 0]
        eight = *packed, light, tables.back, np.float32(look.saturation)
        in_threads(frame.shape[0], lambda begin, end: _grade_packed(*eight, begin, end))
    else:
        in_threads(frame.shape[0], lambda begin, end: _grade_rows(*given, begin, end))
    if look.table is not None:
        light = out[..., :3].astype(np.float32) / np.float32(white)
        out = _written(out, through_table(light, files(look.table)), white)
    if look.sharpen > 0:
        out = _sharpened(out, look.sharpen, white)
    return _grained(out, look.grain, number, white) if look.grain > 0 else out


def toned(picture: Picture, look: Look, files: Files) -> Picture:
    """A picture (h, w, 3 or 4) with a look, but for what is of a whole frame."""
    whole = picture
    if picture.shape[2] == 3:
        full = np.full((*picture.shape[:2], 1), white_of(picture.dtype), picture.dtype)
        whole = np.concatenate([picture, full], axis=2)
    made = graded(whole, look.model_copy(update={"sharpen": 0.0, "grain": 0.0}), files=files)
    return np.ascontiguousarray(made[..., : picture.shape[2]])


def on_layers(scene: Scene) -> list[str] | None:
    """The ids of the lanterns and guests whose pictures have the scene's look; None where the whole
    frame has it, or there is none."""
    look = scene.look
    if look is None or not look.on or look.of == "frame":
        return None
    return list(look.only) if look.of == "only" else [one.id for one in scene.lanterns]


def of_frame(look: Look | None) -> Look | None:
    """A look where it is over the whole frame."""
    return look if look is None or look.of == "frame" else None


def tone_of(scene: Scene, files: Files) -> Tone | None:
    """What the look of a scene at a moment does to the pictures of lanterns and guests."""
    look, layers = scene.look, on_layers(scene)
    if look is None or look.plain or not layers:
        return None
    return Tone(("look", look), frozenset(layers), lambda picture: toned(picture, look, files))


def toned_guests(
    scene: Scene, sources: Sequence[Source], owners: Sequence[str], files: Files
) -> list[Source]:
    """What lies on guests, with the look of a scene at a moment where it is on them. owners: the
    ids of the guests."""
    tone = tone_of(scene, files)
    if tone is None:
        return list(sources)
    return [
        source._replace(key=tone.key_of(source.key), make=partial(_made, tone, source))
        if owner in tone.lanterns
        else source
        for source, owner in zip(sources, owners, strict=True)
    ]


def _made(tone: Tone, source: Source) -> Picture:
    return tone.apply(source.make())


@lru_cache(maxsize=16)  # a look that does not change over a shot is worked out once
def tables_of(look: Look) -> Tables:
    """What a look does to each channel by itself."""
    values = np.linspace(0.0, 1.0, STEPS, dtype=np.float32)
    grey = MIDDLE_GREY
    if look.exposure != 0.0 or look.space == "linear":
        values = linear_of(values) * np.float32(2.0**look.exposure)
    if look.space == "picture":
        if look.exposure != 0.0:
            values = picture_of(values)
        grey = GREY_OF_PICTURE
    if look.contrast != 1.0:
        values = ((values - grey) * look.contrast + grey).astype(np.float32)
    values = through_curve(look.every, values)
    forth = np.stack([through_curve(getattr(look, name), values) for name in CHANNELS])
    back = np.zeros(0, np.float32)
    if look.space == "linear":
        back = picture_of(np.linspace(0.0, 1.0, STEPS, dtype=np.float32) ** 2)
    return Tables(np.ascontiguousarray(forth, np.float32), back)


def through_curve(curve: Curve, values: Floats32) -> Floats32:
    """Values (...) taken through a curve: a monotone cubic through its points (Fritsch & Butland
    1984), and straight on at the slope of its ends beyond them."""
    if not curve:
        return values
    x, y = np.array(curve, float).T
    cubic = scipy.interpolate.PchipInterpolator(x, y)
    slope = cubic.derivative()(x[[0, -1]])
    at: Floats = np.asarray(values, float)
    out = cubic(at.clip(x[0], x[-1]))
    out += slope[0] * np.minimum(at - x[0], 0.0) + slope[1] * np.maximum(at - x[-1], 0.0)
    return np.asarray(out, np.float32)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _in_table(table: Floats32, at: float) -> float:
    """A table's value at `at`, from 0 to 1 and beyond, straight between its steps."""
    where = at * (STEPS - 1)
    i = min(max(int(where), 0), STEPS - 2)
    return table[i] + (table[i + 1] - table[i]) * (where - i)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _back(back: Floats32, light: float) -> float:
    """Linear light as the picture's number; brighter than white by the curve itself (IEC
    61966-2-1)."""
    if light > 1.0:
        return 1.055 * light ** (1 / 2.4) - 0.055
    return _in_table(back, np.sqrt(max(light, 0.0)))


@njit(cache=True, nogil=True, error_model="numpy")
def _grade_rows(
    frame: NDArray[Any], forth: Floats32, back: Floats32, saturation: float, white: float, out:
    NDArray[Any], begin: int, end: int,
) -> None:  # fmt: skip
    """Fill rows begin to end of out. white: the number of full light."""
    whole = white > 1.0
    for y in range(begin, end):
        for x in range(frame.shape[1]):
            red = _in_table(forth[0], frame[y, x, 0] / white)
            green = _in_table(forth[1], frame[y, x, 1] / white)
            blue = _in_table(forth[2], frame[y, x, 2] / white)
            if saturation != 1.0:
                luma = LUMA[0] * red + LUMA[1] * green + LUMA[2] * blue
                red = luma + (red - luma) * saturation
                green = luma + (green - luma) * saturation
                blue = luma + (blue - luma) * saturation
            if len(back):
                red, green, blue = _back(back, red), _back(back, green), _back(back, blue)
            if whole:
                out[y, x, 0] = min(max(red, 0.0), 1.0) * white + 0.5
                out[y, x, 1] = min(max(green, 0.0), 1.0) * white + 0.5
                out[y, x, 2] = min(max(blue, 0.0), 1.0) * white + 0.5
            else:
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = red, green, blue
            out[y, x, 3] = frame[y, x, 3]


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _grade_packed(
    frame: Packed, out: Packed, forth: Floats32, back: Floats32, saturation: Any, begin: int, end:
    int,
) -> None:  # fmt: skip
    """The same in eight bit, four in one number. forth: (3, 256)."""
    reds, greens, blues = forth[0], forth[1], forth[2]
    weight = np.float32(LUMA[0]), np.float32(LUMA[1]), np.float32(LUMA[2])
    zero, one, white, half = np.float32(0), np.float32(1), np.float32(255), np.float32(0.5)
    steps = np.float32(STEPS - 1)
    for y in range(begin, end):
        for x in range(frame.shape[1]):
            p = frame[y, x]
            red = reds[p & np.uint32(255)]
            green = greens[(p >> np.uint32(8)) & np.uint32(255)]
            blue = blues[(p >> np.uint32(16)) & np.uint32(255)]
            luma = weight[0] * red + weight[1] * green + weight[2] * blue
            red = min(max(luma + (red - luma) * saturation, zero), one)
            green = min(max(luma + (green - luma) * saturation, zero), one)
            blue = min(max(luma + (blue - luma) * saturation, zero), one)
            if len(back):
                red = back[np.int32(np.sqrt(red) * steps + half)]
                green = back[np.int32(np.sqrt(green) * steps + half)]
                blue = back[np.int32(np.sqrt(blue) * steps + half)]
            out[y, x] = (
                np.uint32(np.int32(red * white + half))
                | (np.uint32(np.int32(green * white + half)) << np.uint32(8))
                | (np.uint32(np.int32(blue * white + half)) << np.uint32(16))
                | (p & np.uint32(0xFF000000))
            )


def _sharpened(frame: NDArray[Any], by: float, white: float) -> NDArray[Any]:
    """With so much added of what a blur of one pixel takes away. Clear pixels count for nothing."""
    light = frame.astype(np.float32) / np.float32(white)
    alpha = light[..., 3:]
    soft = cv2.GaussianBlur(np.dstack([light[..., :3] * alpha, alpha]), (0, 0), 1.0)
    blurred = soft[..., :3] / np.maximum(soft[..., 3:], 1e-6)
    return _written(frame, light[..., :3] + by * (light[..., :3] - blurred), white)


def _grained(frame: NDArray[Any], strength: float, number: int, white: float) -> NDArray[Any]:
    """With grain, the same in all channels, the strongest at middle tones and none at black and
    white; another one in each frame, and always the same in one."""
    light = frame[..., :3].astype(np.float32) / np.float32(white)
    drawn = np.random.Generator(np.random.PCG64(number))
    noise = drawn.standard_normal(frame.shape[:2], np.float32) * np.float32(GRAIN * strength)
    luma = light @ np.array(LUMA, np.float32)
    noise *= 4.0 * luma.clip(0, 1) * (1.0 - luma.clip(0, 1))
    return _written(frame, light + noise[..., None], white)


def _written(frame: NDArray[Any], light: Floats32, white: float) -> NDArray[Any]:
    """Colours (H, W, 3), full light being 1, in the kind of a frame, with its alpha."""
    if white > 1.0:
        light = light.clip(0, 1) * np.float32(white) + np.float32(0.5)
    return np.dstack([light.astype(frame.dtype), frame[..., 3]])
