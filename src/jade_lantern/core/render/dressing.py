"""What falls on surfaces and what lies before them: light, shadows and haze, as compiled code reads
them, and how they change what a surface shows.

What a lantern throws is what its camera saw, so a light multiplies it: a surface's picture becomes
so many times as bright. Light is added up in linear numbers, in which two equal lamps are twice as
bright as one, and is then multiplied onto the picture's own numbers, which are kept for a display:
to the power of 1 / GAMMA. Haze is laid over each surface's picture before that is laid over what is
behind it.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import carray, njit
from numpy.typing import NDArray

from ..arrays import Floats, Floats32, Indices32
from .around import SIDE as MAP_SIDE
from .darkening import left_of_light
from .occlusion import pointer
from .relief import RELIEF_RECORD, bent_normal
from .shadow import LIGHT_RECORD, SUN, energy_of, sees_for, sees_light

GAMMA = 2.2
MOST_LIGHTS = 64
# how far the middle of a run may be off a straight line; where there are 256 steps of light
CURVED, CURVED_EIGHT = 1e-5, 4e-4
ROOM = MOST_LIGHTS + 5 * 24  # a run of 64 is halved six times at the most
FINE = 8  # px; runs of what is darkened are cut into parts of these at least
FARTHEST = 1e9  # metres; how far away a plane is taken to be at its horizon and beyond

# Of the whole frame. place, rays: of the shot camera, and from a pixel (x, y, 1) to rays of unit
# depth. haze: its colour, in the picture's numbers from 0 to 1. density: per metre; 0 for none.
# start: metres from the camera before which there is none. fall: metres of height in which it
# thins to 1 / e, above level; 0 where it is the same at every height. pixel: what a pixel is wide
# at unit depth. lights, lamps: how many lights there are, and how many of them are lamps.
# curved: how far off a straight line the middle of a run may be. faces, total: address of the
# FACE_RECORDs of what darkens, and how many; reach: how far from it, metres.
FRAME_RECORD = np.dtype([
    ("place", float, (3,)), ("rays", float, (3, 3)), ("haze", float, (3,)), ("density", float),
    ("start", float), ("fall", float), ("level", float), ("pixel", float), ("lights", np.int64),
    ("lamps", np.int64), ("curved", float), ("faces", np.int64), ("total", np.int64),
    ("reach", float),
])  # fmt: skip
# Of each surface. number: its own. on: 0 where it stays as it is. depth: its inverse depth, linear
# in the pixel. air: how much of the haze lies before it. base: by how much its picture is
# multiplied without suns and lamps; bright: the same for the picture's own numbers. flat: by which
# lights know it. normal: towards the camera. smooth: 1 where the normal is another one at each
# place: turn takes a place (x, y, z, 1) to it, not of length one. Then base is without light that
# is spread, around is the address of a map of that (see `around`), 0 for none, and lights' energy
# is that of a surface which faces them. relief: the address of a RELIEF_RECORD, 0 for none; where
# there is one it is smooth too. near, count: address and number of the faces that darken it, as
# strongly as dark says.
SURFACE_RECORD = np.dtype([
    ("number", np.int64), ("on", np.int64), ("depth", float, (3,)), ("air", float),
    ("base", float, (3,)), ("bright", float, (3,)), ("flat", np.int64), ("normal", float, (3,)),
    ("smooth", np.int64), ("turn", float, (3, 4)), ("around", np.int64), ("relief", np.int64),
    ("near", np.int64), ("count", np.int64), ("dark", float),
])  # fmt: skip
FrameRecord = Any
SurfaceRecord = Any


class Dressing(NamedTuple):
    """Records and not arrays by surface and by light: Numba counts references to each array that it
    hands on, which took longer than the light itself. All are empty where nothing is dressed.

    frame: (1,) FRAME_RECORD. surfaces: (S,) SURFACE_RECORD. lights: (L,) LIGHT_RECORD.
    """

    frame: NDArray[np.void]
    surfaces: NDArray[np.void]
    lights: NDArray[np.void]


UNDRESSED = Dressing(
    np.zeros(0, FRAME_RECORD), np.zeros(0, SURFACE_RECORD), np.zeros(0, LIGHT_RECORD)
)


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
def dress_run(
    frame: FrameRecord, surface: SurfaceRecord, lights: Any, x: float, y: float, n: int, by:
    Floats32, room: Floats,
) -> None:  # fmt: skip
    """Fill by (4, n) for n places of a row of the frame, one pixel apart from (x, y) on, on a
    surface. A colour c becomes by[0..2] c + by[3] h a: h is the haze's colour and a the alpha,
    times the value of white. room: (ROOM,) to work in.

    The run is cut where an edge of a shadow is near; there each pixel is worked out by itself.
    """
    done = 0
    while done < n:
        m = n - done
        if frame.lights:
            m = _seen_alike(frame, surface, lights, x + done, y, m, room)
        _fill_alike(frame, surface, lights, x + done, y, m, room, by, done)
        done += m


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _place_of(frame: FrameRecord, surface: SurfaceRecord, x: float, y: float) -> Any:
    """The place that surface shows at (x, y) of the frame, and its depth."""
    z, rays, place = surface.depth, frame.rays, frame.place
    far = 1.0 / max(z[0] * x + z[1] * y + z[2], 1.0 / FARTHEST)
    return (
        place[0] + far * (rays[0, 0] * x + rays[0, 1] * y + rays[0, 2]),
        place[1] + far * (rays[1, 0] * x + rays[1, 1] * y + rays[1, 2]),
        place[2] + far * (rays[2, 0] * x + rays[2, 1] * y + rays[2, 2]), far,
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _seen_alike(
    frame: FrameRecord, surface: SurfaceRecord, lights: Any, x: float, y: float, n: int, room:
    Floats,
) -> int:  # fmt: skip
    """Fill room with how much of each light the first places of a run see; returns for how many of
    them that holds, at least one."""
    px, py, pz, far = _place_of(frame, surface, x, y)
    qx, qy, qz, far_2 = _place_of(frame, surface, x + n - 1.0, y)
    wide = max(far, far_2) * frame.pixel
    for k in range(frame.lights):
        room[k] = 1.0
        energy = energy_of(lights[k], surface.number)
        if energy[0] > 0.0 or energy[1] > 0.0 or energy[2] > 0.0:
            n, room[k] = sees_for(
                lights[k], surface.number, surface.flat, px, py, pz, far, qx, qy, qz, far_2, n, wide
            )
            if n > 1:  # what is left of the run ends nearer
                qx, qy, qz, far_2 = _place_of(frame, surface, x + n - 1.0, y)
    return n


@njit(cache=True, nogil=True, error_model="numpy")
def _fill_alike(
    frame: FrameRecord, surface: SurfaceRecord, lights: Any, x: float, y: float, n: int, room:
    Floats, by: Floats32, at: int,
) -> None:  # fmt: skip
    """Fill by[:, at : at + n] for places that see the same of each light: the run is halved until
    it is straight in the middle of each part. room: how much they see of each light, and from
    MOST_LIGHTS on what is left to do, five numbers each: where a part ends, and what is there."""
    bright = surface.bright
    light = (bright[0], bright[1], bright[2])
    if surface.relief:  # nothing is straight
        for i in range(n):
            here = _factors(frame, surface, lights, light, x + i, y, room)
            _fill_straight(by, at + i, at + i, here, here)
        return
    shaped = frame.lamps > 0 or surface.smooth > 0 or surface.count > 0
    if frame.lights and not shaped:  # the same all along a flat surface
        px, py, pz, far = _place_of(frame, surface, x, y)
        light = _powered(light_at(frame, surface, lights, px, py, pz, far, room))
    hazy = surface.air * frame.density > 0.0
    first = _factors(frame, surface, lights, light, x, y, room)
    if n == 1 or not (shaped or hazy):
        _fill_straight(by, at, at + n - 1, first, first)
        return
    last = _factors(frame, surface, lights, light, x + n - 1.0, y, room)
    top, begin = 0, 0
    _push(room, top, n - 1, last)
    while top >= 0:
        k = MOST_LIGHTS + 5 * top
        end, there = int(room[k]), (room[k + 1], room[k + 2], room[k + 3], room[k + 4])
        middle = (begin + end) // 2
        straight = end - begin < 2
        fine = surface.count == 0 or end - begin <= FINE
        if not straight:
            here = _factors(frame, surface, lights, light, x + middle, y, room)
            part = (middle - begin) / (end - begin)
            off = 0.0
            for k in range(4):
                off = max(off, abs(first[k] + (there[k] - first[k]) * part - here[k]))
            straight = fine and off < frame.curved
            if not straight:
                top += 1
                _push(room, top, middle, here)
                continue
            _fill_straight(by, at + begin, at + middle, first, here)
            _fill_straight(by, at + middle, at + end, here, there)
        else:
            _fill_straight(by, at + begin, at + end, first, there)
        begin, first = end, there
        top -= 1


@njit(cache=True, nogil=True, inline="always")
def _push(room: Floats, top: int, end: int, there: Any) -> None:
    at = MOST_LIGHTS + 5 * top
    room[at], room[at + 1], room[at + 2] = end, there[0], there[1]
    room[at + 3], room[at + 4] = there[2], there[3]


@njit(cache=True, nogil=True, fastmath=True)
def _fill_straight(by: Floats32, begin: int, end: int, first: Any, last: Any) -> None:
    """Fill columns begin to end, both included, straight from one to the other."""
    over = np.float32(1.0 / max(end - begin, 1))
    for k in range(4):
        start, step = np.float32(first[k]), np.float32(last[k] - first[k]) * over
        for i in range(end - begin + 1):
            by[k, begin + i] = start + step * np.float32(i)


@njit(cache=True, nogil=True, error_model="numpy", inline="always")
def _powered(light: Any) -> Any:
    """By how much the picture's own numbers are multiplied where it is so many times brighter."""
    red, green, blue = light
    if red == 1.0 and green == 1.0 and blue == 1.0:
        return light
    return red ** (1 / GAMMA), green ** (1 / GAMMA), blue ** (1 / GAMMA)


@njit(cache=True, nogil=True, error_model="numpy")
def _factors(
    frame: FrameRecord, surface: SurfaceRecord, lights: Any, light: Any, x: float, y: float, seen:
    Floats,
) -> tuple[float, float, float, float]:  # fmt: skip
    """What a colour at a place of the frame is multiplied by, and how much haze is added. light:
    the first, without haze, where there are no lamps and the surface is neither smooth nor
    darkened."""
    px, py, pz, far = _place_of(frame, surface, x, y)
    if frame.lamps or surface.smooth or surface.count:
        light = _powered(light_at(frame, surface, lights, px, py, pz, far, seen))
    red, green, blue = light
    density = surface.air * frame.density
    if density <= 0.0:
        return red, green, blue, 0.0
    eye = frame.place
    dx, dy, dz = px - eye[0], py - eye[1], pz - eye[2]
    length = np.sqrt(dx * dx + dy * dy + dz * dz)
    through = passes_haze(
        density, frame.start, frame.fall, frame.level, eye[1], dy / length, length
    )
    return red * through, green * through, blue * through, 1.0 - through


@njit(cache=True, nogil=True, error_model="numpy")
def _normal_at(surface: SurfaceRecord, x: float, y: float, z: float) -> tuple[float, float, float]:
    """The normal, of length one, of a smooth surface at a place of it."""
    m = surface.turn
    nx = m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3]
    ny = m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3]
    nz = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3]
    over = 1.0 / max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-12)
    return nx * over, ny * over, nz * over


@njit(cache=True, nogil=True, error_model="numpy")
def spread_light(around: int, x: float, y: float, z: float) -> tuple[float, float, float]:
    """What the map at an address says of a normal (see `around.octahedral`)."""
    map = carray(pointer(around), (MAP_SIDE, MAP_SIDE, 3), np.float32)
    over = 1.0 / max(abs(x) + abs(y) + abs(z), 1e-12)
    u, v = x * over, z * over
    if y < 0.0:
        u, v = (
            (1.0 - abs(v)) * (-1.0 if u < 0.0 else 1.0),
            (1.0 - abs(u)) * (-1.0 if v < 0.0 else 1.0),
        )
    u, v = (u + 1.0) * 0.5 * (MAP_SIDE - 1), (v + 1.0) * 0.5 * (MAP_SIDE - 1)
    i, j = min(max(int(u), 0), MAP_SIDE - 2), min(max(int(v), 0), MAP_SIDE - 2)
    u, v = u - i, v - j
    a, b, c, d = (1.0 - v) * (1.0 - u), (1.0 - v) * u, v * (1.0 - u), v * u
    return (
        a * map[j, i, 0] + b * map[j, i + 1, 0] + c * map[j + 1, i, 0] + d * map[j + 1, i + 1, 0],
        a * map[j, i, 1] + b * map[j, i + 1, 1] + c * map[j + 1, i, 1] + d * map[j + 1, i + 1, 1],
        a * map[j, i, 2] + b * map[j, i + 1, 2] + c * map[j + 1, i, 2] + d * map[j + 1, i + 1, 2],
    )


@njit(cache=True, nogil=True, error_model="numpy")
def light_at(
    frame: FrameRecord, surface: SurfaceRecord, lights: Any, x: float, y: float, z: float, far:
    float, known: Floats,
) -> tuple[float, float, float]:  # fmt: skip
    """By how much a place (x, y, z) on a surface is brighter than its picture. far: its depth
    before the shot camera. known: how much of each light it sees; -1 where that is asked."""
    base, own = surface.base, surface.normal
    red, green, blue, left = base[0], base[1], base[2], 1.0
    n, smooth = (own[0], own[1], own[2]), surface.smooth > 0
    if smooth:
        if surface.relief:
            record = carray(pointer(surface.relief), (1,), RELIEF_RECORD)[0]
            n = bent_normal(record, x, y, z, own[0], own[1], own[2], far * frame.pixel)
        else:
            n = _normal_at(surface, x, y, z)
        if surface.around:
            add = spread_light(surface.around, n[0], n[1], n[2])
            red, green, blue = red + add[0], green + add[1], blue + add[2]
    for k in range(frame.lights):
        light = lights[k]
        energy = energy_of(light, surface.number)
        if energy[0] == 0.0 and energy[1] == 0.0 and energy[2] == 0.0:
            continue
        falls = 1.0
        if light.kind != SUN:
            ax, ay, az = light.place[0] - x, light.place[1] - y, light.place[2] - z
            square = max(ax * ax + ay * ay + az * az, 1e-12)
            facing = n[0] * ax + n[1] * ay + n[2] * az
            if facing <= 0.0:
                continue
            if surface.relief and own[0] * ax + own[1] * ay + own[2] * az <= 0.0:
                continue
            if not light.takes:
                falls = facing / (square * np.sqrt(square))
        elif smooth:
            way = light.place
            facing = n[0] * way[0] + n[1] * way[1] + n[2] * way[2]
            if facing <= 0.0:
                continue
            if surface.relief and own[0] * way[0] + own[1] * way[1] + own[2] * way[2] <= 0.0:
                continue
            falls = min(4.0 * facing, 1.0) if light.takes else facing
        seen = known[k]
        if seen < 0.0:
            seen = sees_light(light, surface.number, surface.flat, x, y, z, far * frame.pixel)
        if light.takes:  # a light of which only the shadow shows
            by = falls if light.kind == SUN else 1.0
            left *= 1.0 - min(by * energy[0], 1.0) * (1.0 - seen)
            continue
        red += falls * seen * energy[0]
        green += falls * seen * energy[1]
        blue += falls * seen * energy[2]
    if surface.count:
        left *= darkened(frame, surface, x, y, z)
    return max(red, 0.0) * left, max(green, 0.0) * left, max(blue, 0.0) * left


@njit(cache=True, nogil=True, error_model="numpy")
def darkened(
    frame: FrameRecord, surface: SurfaceRecord, x: float, y: float, z: float
) -> float:  # fmt: skip
    """The share of light that what stands near leaves to a place on a surface."""
    n = surface.normal
    left = left_of_light(
        surface.near,
        frame.faces,
        frame.total,
        surface.count,
        frame.reach,
        x,
        y,
        z,
        n[0],
        n[1],
        n[2],
    )
    return max(1.0 - surface.dark * (1.0 - left), 0.0)


@njit(cache=True, nogil=True, error_model="numpy")
def fill_darkening(
    fills: Indices32, dressing: Dressing, out: Floats32, begin: int, end: int
) -> None:
    """Fill rows begin to end of out (H, W) with the share of light that darkening leaves. fills:
    (H, W) the surface at each pixel, -1 for none."""
    frame, surfaces = dressing.frame[0], dressing.surfaces
    for r in range(begin, end):
        for c in range(fills.shape[1]):
            s = fills[r, c]
            if s >= 0 and surfaces[s].count:
                x, y, z, _ = _place_of(frame, surfaces[s], c + 0.5, r + 0.5)
                out[r, c] = darkened(frame, surfaces[s], x, y, z)


@njit(cache=True, nogil=True, error_model="numpy")
def fill_light(fills: Indices32, dressing: Dressing, out: Floats32, begin: int, end: int) -> None:
    """Fill rows begin to end of out (H, W, 3) with by how much surfaces are brighter than their
    picture. fills: (H, W) the surface at each pixel, -1 for none."""
    frame, surfaces, lights = dressing.frame[0], dressing.surfaces, dressing.lights
    unknown = np.full(MOST_LIGHTS, -1.0)
    for r in range(begin, end):
        for c in range(fills.shape[1]):
            s = fills[r, c]
            if s < 0 or not surfaces[s].on:
                continue
            surface = surfaces[s]
            x, y, z, far = _place_of(frame, surface, c + 0.5, r + 0.5)
            out[r, c, 0], out[r, c, 1], out[r, c, 2] = light_at(
                frame, surface, lights, x, y, z, far, unknown
            )
