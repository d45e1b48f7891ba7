"""What falls on surfaces and what lies before them: light, shadows and haze, as compiled code reads
them, and how they change what a surface shows.

What a lantern throws is what its camera saw, so a light multiplies it: a surface's picture becomes
so many times as bright. Light is added up in linear numbers, in which two equal lamps are twice as
bright as one, and is then multiplied onto the picture's own numbers, which are kept for a display:
to the power of 1 / GAMMA. Haze is laid over each surface's picture before that is laid over what is
behind it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..arrays import Floats, Floats32, Indices, Indices32
from .shadow import LIGHT_RECORD, SUN, sees_light

GAMMA = 2.2
FARTHEST = 1e9  # metres; how far away a plane is taken to be at its horizon and beyond

# Of the whole frame. place, rays: of the shot camera, and from a pixel (x, y, 1) to rays of unit
# depth. haze: its colour, in the picture's numbers from 0 to 1. density: per metre; 0 for none.
# start: metres from the camera before which there is none. fall: metres of height in which it
# thins to 1 / e, above level; 0 where it is the same at every height. pixel: what a pixel is wide
# at unit depth.
FRAME_RECORD = np.dtype([
    ("place", float, (3,)), ("rays", float, (3, 3)), ("haze", float, (3,)), ("density", float),
    ("start", float), ("fall", float), ("level", float), ("pixel", float),
])  # fmt: skip


class Dressing(NamedTuple):
    """Tables by surface (S) and light (L). All are empty where nothing is dressed.

    frame: (1,) FRAME_RECORD. lights: (L,) LIGHT_RECORD. on: (S,) 0 for surfaces that stay as they
    are. air: (S,) how much of the haze lies before a surface. base: (S, 3) by how much its picture
    is multiplied without the lights. energy: (L, S, 3) what a light adds to that where it is seen;
    of a lamp, at one metre and squarely. flat: (S,) by which a light knows the surface. tilt:
    (L, F, S, 3) the surface's nearness to a light in each of the light's buffers (see `shadow`).
    normal: (S, 3) towards the camera.
    """

    frame: NDArray[np.void]
    lights: NDArray[np.void]
    on: Indices
    air: Floats
    base: Floats
    energy: Floats
    flat: Indices
    tilt: Floats
    normal: Floats


UNDRESSED = Dressing(
    np.zeros(0, FRAME_RECORD), np.zeros(0, LIGHT_RECORD), np.zeros(0, np.int64), np.zeros(0),
    np.zeros((0, 3)), np.zeros((0, 0, 3)), np.zeros(0, np.int64), np.zeros((0, 0, 0, 3)),
    np.zeros((0, 3)),
)  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def passes_haze(
    density: float, start: float, fall: float, level: float, eye: float, rise: float, far: float
) -> float:
    """The share of light that comes through haze, from 0 to 1 (Beer & Lambert).

    eye: the height that is looked from, metres. rise: how much a ray gains a metre of its way. far:
    metres along it. Where haze thins with height, the density along the ray has a closed form
    (Wenzel 2006); it is not denser than at `level` below that.
    """
    way = far - start
    if way <= 0.0:
        return 1.0
    if fall <= 0.0:
        return np.exp(-density * way)
    low, high = eye + rise * start - level, eye + rise * far - level
    if low > high:
        low, high = high, low
    if high <= 0.0:
        return np.exp(-density * way)
    under, reach = 0.0, high - low
    if low < 0.0:  # a part of the way is below the level
        under, low = -low, 0.0
    if reach < 1e-6 * fall:
        return np.exp(-density * way * np.exp(-low / fall))
    thick = under + fall * (np.exp(-low / fall) - np.exp(-high / fall))
    return np.exp(-density * way * thick / reach)


@njit(cache=True, nogil=True, error_model="numpy")
def dressed(
    dressing: Dressing, inverse_depth: Floats, s: int, px: float, py: float, red: float, green:
    float, blue: float, veiled: float,
) -> tuple[float, float, float]:  # fmt: skip
    """What surface s shows at a place of the frame, premultiplied, in its light and behind haze.
    veiled: its alpha times the value of white."""
    frame = dressing.frame[0]
    inverse = inverse_depth[s, 0] * px + inverse_depth[s, 1] * py + inverse_depth[s, 2]
    far = 1.0 / max(inverse, 1.0 / FARTHEST)
    rays = frame.rays
    dx = rays[0, 0] * px + rays[0, 1] * py + rays[0, 2]
    dy = rays[1, 0] * px + rays[1, 1] * py + rays[1, 2]
    dz = rays[2, 0] * px + rays[2, 1] * py + rays[2, 2]
    place = frame.place
    if len(dressing.energy):
        r, g, b = lit(
            dressing, s, place[0] + far * dx, place[1] + far * dy, place[2] + far * dz, far
        )
    else:
        base = dressing.base[s]
        r, g, b = base[0], base[1], base[2]
    if r != 1.0 or g != 1.0 or b != 1.0:
        red, green, blue = (
            red * r ** (1.0 / GAMMA), green * g ** (1.0 / GAMMA), blue * b ** (1.0 / GAMMA)
        )  # fmt: skip
    thick = dressing.air[s] * frame.density
    if thick > 0.0:
        length = np.sqrt(dx * dx + dy * dy + dz * dz)
        through = passes_haze(
            thick, frame.start, frame.fall, frame.level, place[1], dy / length, far * length
        )
        haze = frame.haze
        over = (1.0 - through) * veiled
        red = through * red + over * haze[0]
        green = through * green + over * haze[1]
        blue = through * blue + over * haze[2]
    return red, green, blue


@njit(cache=True, nogil=True, error_model="numpy")
def lit(
    dressing: Dressing, s: int, x: float, y: float, z: float, far: float
) -> tuple[float, float, float]:  # fmt: skip
    """By how much a place (x, y, z) on surface s is brighter than its picture. far: its depth
    before the shot camera."""
    base = dressing.base[s]
    red, green, blue, left = base[0], base[1], base[2], 1.0
    lights, energy, flat = dressing.lights, dressing.energy, dressing.flat[s]
    wide = far * dressing.frame[0].pixel
    for k in range(len(lights)):
        light, share = lights[k], energy[k, s]
        if share[0] == 0.0 and share[1] == 0.0 and share[2] == 0.0:
            continue
        falls = 1.0
        if light.kind != SUN:
            n = dressing.normal[s]
            ax, ay, az = light.place[0] - x, light.place[1] - y, light.place[2] - z
            square = max(ax * ax + ay * ay + az * az, 1e-12)
            facing = n[0] * ax + n[1] * ay + n[2] * az
            if facing <= 0.0:
                continue
            falls = facing / (square * np.sqrt(square))
            if light.takes:
                falls = 1.0
        seen = sees_light(light, flat, dressing.tilt[k, :, s], x, y, z, wide)
        if light.takes:  # a light of which only the shadow shows
            left *= 1.0 - min(share[0], 1.0) * (1.0 - seen)
            continue
        red += falls * seen * share[0]
        green += falls * seen * share[1]
        blue += falls * seen * share[2]
    return max(red, 0.0) * left, max(green, 0.0) * left, max(blue, 0.0) * left


@njit(cache=True, nogil=True, error_model="numpy")
def fill_light(
    fills: Indices32, inverse_depth: Floats, dressing: Dressing, out: Floats32, begin: int, end: int
) -> None:
    """Fill rows begin to end of out (H, W, 3) with by how much surfaces are brighter than their
    picture. fills: (H, W) the surface at each pixel, -1 for none."""
    frame, on = dressing.frame[0], dressing.on
    rays, place = frame.rays, frame.place
    for r in range(begin, end):
        for c in range(fills.shape[1]):
            s = fills[r, c]
            if s < 0 or not on[s]:
                continue
            x, y = c + 0.5, r + 0.5
            inverse = inverse_depth[s, 0] * x + inverse_depth[s, 1] * y + inverse_depth[s, 2]
            far = 1.0 / max(inverse, 1.0 / FARTHEST)
            out[r, c, 0], out[r, c, 1], out[r, c, 2] = lit(
                dressing, s,
                place[0] + far * (rays[0, 0] * x + rays[0, 1] * y + rays[0, 2]),
                place[1] + far * (rays[1, 0] * x + rays[1, 1] * y + rays[1, 2]),
                place[2] + far * (rays[2, 0] * x + rays[2, 1] * y + rays[2, 2]), far,
            )  # fmt: skip
