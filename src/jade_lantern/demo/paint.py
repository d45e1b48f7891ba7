"""How the Lantern Quay is painted: colour as a function of a place in the world, and of nothing
else, so that every camera sees the same paint. What a painter would fix from where he stands (the
reflections in the water, the glow round a lantern, the haze) is fixed from the demo lens."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..core.arrays import Floats
from .strokes import band, chance, clouds, joint, noise, over, smooth
from .world import (
    AWNING,
    BARREL,
    CRATE,
    FACADE,
    GABLE,
    KERB,
    LAMP,
    LAMPS,
    POST,
    ROOF,
    SIGN,
    SLABS,
)

LAMP_AT = np.array(LAMPS)
TONES = np.array(
    [
        [0.47, 0.26, 0.19],  # brick red
        [0.42, 0.32, 0.25],  # umber boards
        [0.30, 0.34, 0.29],  # sage
        [0.38, 0.29, 0.34],  # plum
        [0.46, 0.38, 0.26],  # ochre
    ]
)
TRIM = np.array(
    [
        [0.20, 0.30, 0.30], [0.16, 0.22, 0.26], [0.36, 0.17, 0.14], [0.22, 0.30, 0.22],
        [0.19, 0.21, 0.32],
    ]
)  # fmt: skip


@njit(cache=True, nogil=True)
def sky(d: Floats, c: Floats) -> None:
    """The colour of the sky and of the hills far off, for a direction of unit length."""
    up = d[1]
    side = np.arctan2(d[0], -d[2])
    low = np.exp(-max(up, 0.0) * 5.0)
    west = np.exp(-((side + 0.35) ** 2) / 0.5)
    t = smooth(0.0, 0.62, up)
    c[0] = 0.36 * (1 - t) + 0.075 * t
    c[1] = 0.27 * (1 - t) + 0.105 * t
    c[2] = 0.42 * (1 - t) + 0.23 * t
    over(c, 0.93, 0.52, 0.33, 0.75 * low * (0.25 + 0.75 * west))
    over(c, 1.0, 0.78, 0.45, 0.55 * np.exp(-max(up, 0.0) * 15.0) * west)
    # long bars of cloud, lit from below
    h = max(up, 0.02)
    cx, cy = side * 3.2 + 0.5 / (h + 0.35), 1.6 / (h + 0.12)
    k = clouds(cx * 0.9, cy, 11) + 0.35 * noise(cx * 0.35, cy * 0.5, 17)
    cloud = smooth(0.02, 0.42, k) * smooth(0.0, 0.07, up)
    lit = smooth(0.42, 0.05, k)
    over(
        c, 0.27 + 0.62 * lit * low, 0.21 + 0.30 * lit * low, 0.33 + 0.12 * lit * low,
        0.78 * cloud,
    )  # fmt: skip
    # a few stars high up
    if up > 0.25:
        gx, gy = side * 90, up * 110
        i, j = int(np.floor(gx)), int(np.floor(gy))
        if chance(i, j, 5) > 0.985:
            r = np.hypot(gx - i - 0.3 - 0.4 * chance(i, j, 6), gy - j - 0.3 - 0.4 * chance(i, j, 7))
            glow = np.exp(-r * r * 60) * (1 - cloud) * smooth(0.25, 0.45, up)
            over(c, 0.95, 0.93, 0.85, 0.8 * glow)
    # three lines of hills, each paler than the nearer one
    for n in range(3):
        height = (0.105 - 0.028 * n) * (
            1 + 0.75 * clouds(side * (1.5 + 1.1 * n) + 7 * n, 3.0 * n, 31 + n)
        )
        height += 0.004 * noise(side * 60, 0.0, 41 + n) * n
        edge = smooth(height + 0.0025, height - 0.0025, up)
        f = n / 2.0
        over(
            c, 0.42 * (1 - f) + 0.115 * f, 0.28 * (1 - f) + 0.125 * f, 0.38 * (1 - f) + 0.17 * f,
            edge * (0.72 + 0.23 * f),
        )  # fmt: skip
    # windows of the far bank
    if 0.0 < up < 0.035:
        gx, gy = side * 130, up * 150
        i, j = int(np.floor(gx)), int(np.floor(gy))
        if chance(i, j, 9) > 0.83 and j < 4:
            r = np.hypot((gx - i - 0.5), (gy - j - 0.5))
            over(c, 1.0, 0.78, 0.40, 0.8 * np.exp(-r * r * 22))
    if up < 0.0:
        over(c, 0.12, 0.125, 0.17, smooth(0.0, -0.03, up))


@njit(cache=True, nogil=True)
def window(c: Floats, u: float, v: float, soft: float, lit: float, seed: int) -> float:
    """A window of 1 x 1 with bars; returns how much light it gives. u, v in 0..1."""
    inside = band(u, 0.06, 0.94, soft) * band(v, 0.05, 0.95, soft)
    bars = max(
        band(u, 0.485, 0.515, soft), max(band(v, 0.64, 0.67, soft), band(v, 0.31, 0.335, soft))
    )
    warm = 0.72 + 0.22 * noise(u * 2.0, v * 1.6, seed) + 0.18 * (v - 0.4)
    r, g, b = 0.98 * warm, 0.72 * warm * warm, 0.34 * warm * warm
    # something on the sill, and a curtain
    shade = smooth(0.34, 0.28, v + 0.05 * noise(u * 7, 2.0, seed + 1)) * 0.45
    shade = max(shade, 0.35 * smooth(0.22, 0.16, u) + 0.35 * smooth(0.78, 0.84, u))
    over(c, 0.10, 0.075, 0.06, 1.0)
    pane = inside * (1 - bars)
    over(
        c, r * lit + 0.10 * (1 - lit), g * lit + 0.12 * (1 - lit), b * lit + 0.17 * (1 - lit), pane
    )
    over(c, 0.35 * lit, 0.19 * lit, 0.09 * lit, pane * shade)
    return pane * lit * (1 - shade)


@njit(cache=True, nogil=True)
def facade(
    c: Floats, u: float, v: float, wide: float, high: float, seed: int, soft: float
) -> float:
    """A workshop's front: boards, door, windows, shutters, trim. u along, v up, metres. Returns
    how much of the colour is light of its own."""
    tone, house = seed % 16, seed // 16
    base, trim = TONES[tone], TRIM[(tone + house) % 5]
    board = 0.19 if tone != 1 else 0.24
    along = v if tone in (0, 1, 3) else u
    row = int(np.floor(along / board))
    shade = 0.86 + 0.2 * chance(row, seed, 3) + 0.07 * noise(u * 1.3, v * 1.3, seed)
    grain = 0.045 * noise(
        u * (2.5 if along == v else 26), v * (26 if along == v else 2.5), seed + 5
    )
    for k in range(3):
        c[k] = base[k] * (shade + grain)
    line = joint(along - 0.5 * board, board, 0.008, soft)
    over(c, base[0] * 0.42, base[1] * 0.42, base[2] * 0.5, 0.75 * line)
    damp = smooth(0.9 + 0.25 * noise(u * 1.1, 0.0, seed), 0.0, v)
    over(c, 0.17, 0.17, 0.16, 0.45 * damp)
    streak = smooth(0.35, 0.9, noise(u * 3.1, v * 0.35, seed + 8))
    over(c, base[0] * 0.55, base[1] * 0.55, base[2] * 0.62, 0.35 * streak)
    light = 0.0
    # door
    door_at = 0.66 * wide if house % 2 else 0.16 * wide
    du = u - door_at
    frame = band(du, -0.09, 1.14, soft) * (1 - smooth(2.28 - soft, 2.28 + soft, v))
    over(c, trim[0] * 1.25, trim[1] * 1.25, trim[2] * 1.25, frame)
    leaf = band(du, 0.0, 1.05, soft) * (1 - smooth(2.18 - soft, 2.18 + soft, v))
    over(c, trim[0] * 0.72, trim[1] * 0.72, trim[2] * 0.72, leaf)
    panel = max(
        band(du, 0.12, 0.47, soft) * band(v, 0.25, 1.05, soft),
        band(du, 0.58, 0.93, soft) * band(v, 0.25, 1.05, soft),
    )
    over(c, trim[0] * 0.5, trim[1] * 0.5, trim[2] * 0.5, leaf * panel)
    if leaf > 0.5 and 0.12 < du < 0.93 and 1.25 < v < 2.0:
        light = window(c, (du - 0.12) / 0.81, (v - 1.25) / 0.75, soft, 0.75, seed + 3)
    # the shop window with its shutters
    shop_at = 0.10 * wide if house % 2 else 0.50 * wide
    broad = 0.36 * wide
    su = u - shop_at
    open_ = 0.42
    for side in range(2):
        a = -open_ - 0.03 if side == 0 else broad + 0.03
        sh = band(su, a, a + open_, soft) * band(v, 0.85, 2.3, soft)
        over(c, trim[0], trim[1], trim[2], sh)
        slat = joint(v, 0.075, 0.012, soft) * band(su, a + 0.05, a + open_ - 0.05, soft)
        over(c, trim[0] * 0.45, trim[1] * 0.45, trim[2] * 0.45, sh * slat * 0.85)
    if 0 < su < broad and 0.85 < v < 2.3:
        light = max(light, window(c, su / broad, (v - 0.85) / 1.45, soft, 1.0, seed + 7))
    sill = band(su, -0.08, broad + 0.08, soft) * band(v, 0.74, 0.85, soft)
    over(c, trim[0] * 1.4, trim[1] * 1.4, trim[2] * 1.35, sill)
    # upper windows
    if high > 4.4:
        count = 3 if wide > 5 else 2
        for k in range(count):
            uu = u - wide * (k + 0.5) / count + 0.42
            vv = v - 3.45
            lit = 1.0 if chance(house, k, 77) > 0.45 else 0.0
            over(
                c, trim[0] * 1.2, trim[1] * 1.2, trim[2] * 1.2,
                band(uu, -0.08, 0.92, soft) * band(vv, -0.1, 1.12, soft),
            )  # fmt: skip
            if 0 < uu < 0.84 and 0 < vv < 1.05:
                light = max(light, window(c, uu / 0.84, vv / 1.05, soft, lit, seed + k))
    # corner boards, a beam over the shop, and the cornice
    for a, b in ((0.0, 0.16), (wide - 0.16, wide)):
        over(c, trim[0] * 1.1, trim[1] * 1.1, trim[2] * 1.1, band(u, a, b, soft))
    for a, b in ((2.98, 3.16), (high - 0.28, high)):
        over(c, trim[0] * 1.15, trim[1] * 1.15, trim[2] * 1.15, band(v, a, b, soft))
        over(c, 0.05, 0.05, 0.06, 0.6 * band(v, a - 0.1, a, soft))
    return light


@njit(cache=True, nogil=True)
def slabs(c: Floats, x: float, z: float, soft: float) -> None:
    row = int(np.floor(x / 0.9))
    shift = 0.75 * (row % 2)
    k = int(np.floor((z + shift) / 1.5))
    tone = 0.82 + 0.3 * chance(row, k, 21) + 0.1 * noise(x * 1.7, z * 1.7, 22)
    tone += 0.05 * noise(x * 9, z * 9, 23)
    warm = 0.02 * (chance(row, k, 25) - 0.5)
    c[0], c[1], c[2] = (0.31 + warm) * tone, 0.30 * tone, (0.315 - warm) * tone
    wet = smooth(0.05, 0.5, clouds(x * 0.45, z * 0.22, 27))
    over(c, 0.21, 0.20, 0.25, 0.55 * wet)
    line = max(joint(x, 0.9, 0.012, soft), joint(z + shift, 1.5, 0.012, soft))
    over(c, 0.085, 0.09, 0.10, 0.85 * line)
    moss = line * smooth(0.1, 0.6, noise(x * 0.8, z * 0.8, 29))
    over(c, 0.13, 0.18, 0.10, 0.6 * moss)


@njit(cache=True, nogil=True)
def surface(
    paint: int,
    seed: int,
    u: float,
    v: float,
    wide: float,
    high: float,
    p: Floats,
    soft: float,
    c: Floats,
) -> float:
    """Set c to the paint's own colour; returns how much of it is light of its own."""
    if paint == SLABS:
        slabs(c, p[0], p[2], soft)
    elif paint == KERB:
        k = int(np.floor(p[2] / 1.9))
        tone = 0.85 + 0.25 * chance(k, 3, 61) + 0.08 * noise(p[0] * 5, p[2] * 3, 62)
        c[0], c[1], c[2] = 0.37 * tone, 0.355 * tone, 0.36 * tone
        over(c, 0.1, 0.1, 0.11, 0.85 * joint(p[2], 1.9, 0.014, soft))
        over(c, 0.1, 0.1, 0.11, 0.7 * smooth(QUAY_JOINT - soft - 0.02, QUAY_JOINT, p[0]))
    elif paint == FACADE:
        return facade(c, u, v, wide, high, seed, soft)
    elif paint == GABLE:
        base = TONES[seed % 16]
        row = int(np.floor(p[1] / 0.22))
        tone = 0.7 + 0.18 * chance(row, seed, 71) + 0.08 * noise(p[0] * 2, p[1] * 2, seed)
        c[0], c[1], c[2] = base[0] * tone * 0.9, base[1] * tone * 0.9, base[2] * tone
        over(c, base[0] * 0.4, base[1] * 0.4, base[2] * 0.45, 0.7 * joint(p[1], 0.22, 0.01, soft))
    elif paint == ROOF:
        row = int(np.floor(v / 0.28))
        k = int(np.floor(u / 0.34 + 0.5 * (row % 2)))
        tone = 0.75 + 0.4 * chance(row, k, 81 + seed) + 0.1 * noise(u, v, 82)
        c[0], c[1], c[2] = 0.185 * tone, 0.175 * tone, 0.225 * tone
        over(c, 0.07, 0.07, 0.09, 0.8 * joint(v, 0.28, 0.02, soft))
        over(c, 0.09, 0.09, 0.11, 0.5 * joint(u + 0.17 * (row % 2), 0.34, 0.012, soft))
    elif paint == CRATE:
        plank = int(np.floor(v / (high / 4)))
        tone = 0.82 + 0.3 * chance(plank, seed, 91) + 0.09 * noise(u * 3, v * 24, seed)
        c[0], c[1], c[2] = 0.45 * tone, 0.335 * tone, 0.21 * tone
        over(c, 0.15, 0.11, 0.075, 0.8 * joint(v, high / 4, 0.007, soft))
        rim = max(1 - band(u, 0.075, wide - 0.075, soft), 1 - band(v, 0.075, high - 0.075, soft))
        over(c, 0.50 * tone, 0.385 * tone, 0.25 * tone, rim)
        brace = band((u / wide - v / high) * 0.7, -0.055, 0.055, soft)
        over(c, 0.48 * tone, 0.365 * tone, 0.235 * tone, brace * (1 - rim))
        out = max(
            band(u, 0.069, 0.081, soft), max(band(u, wide - 0.081, wide - 0.069, soft),
            max(band(v, 0.069, 0.081, soft), band(v, high - 0.081, high - 0.069, soft)))
        )  # fmt: skip
        over(c, 0.14, 0.1, 0.07, 0.6 * out)
    elif paint == BARREL:
        stave = int(np.floor(u / 0.13))
        tone = 0.8 + 0.32 * chance(stave, 1, 95) + 0.06 * noise(u * 20, v * 2, 96)
        c[0], c[1], c[2] = 0.40 * tone, 0.27 * tone, 0.17 * tone
        over(c, 0.13, 0.09, 0.06, 0.75 * joint(u, 0.13, 0.006, soft))
        for at in (0.12, 0.34, high - 0.34, high - 0.12):
            over(c, 0.2, 0.2, 0.21, band(v, at - 0.03, at + 0.03, soft))
    elif paint == POST:
        tone = 0.85 + 0.12 * noise(u * 12, v * 2, seed) + 0.1 * noise(u * 2, v * 6, seed + 1)
        c[0], c[1], c[2] = 0.24 * tone, 0.2 * tone, 0.175 * tone
        over(c, 0.62, 0.55, 0.42, 0.85 * band(v, high - 0.24, high - 0.13, soft))
        over(c, 0.36, 0.3, 0.21, 0.8 * band(v, 0.3, 0.42, soft))
    elif paint == AWNING:
        stripe = joint(u, 0.5, 0.125, soft)
        c[0], c[1], c[2] = 0.60, 0.55, 0.46
        k = seed % 3
        over(
            c,
            0.55 - 0.4 * (k == 1) - 0.3 * (k == 2),
            0.17 + 0.18 * (k > 0),
            0.13 + 0.14 * (k > 0),
            stripe,
        )
    elif paint == SIGN:
        c[0], c[1], c[2] = 0.15, 0.12, 0.09
        over(
            c,
            0.62,
            0.47,
            0.2,
            1 - band(u, 0.04, wide - 0.04, soft) * band(v, 0.04, high - 0.04, soft),
        )
        r = np.hypot((u - wide / 2), (v - high / 2) * 0.85)
        over(c, 0.72, 0.55, 0.25, band(r, 0.07, 0.115, soft))
        over(
            c, 0.72, 0.55, 0.25, band(abs(u - wide / 2), -1.0, 0.02, soft) * band(v, 0.1, 0.4, soft)
        )
    elif paint == LAMP:
        c[0], c[1], c[2] = 1.0, 0.86, 0.52
        return 1.0
    else:  # TIMBER
        tone = 0.8 + 0.2 * chance(seed, 1, 99) + 0.1 * noise(u * 2, v * 20, 98)
        c[0], c[1], c[2] = 0.205 * tone, 0.165 * tone, 0.15 * tone
    return 0.0


QUAY_JOINT = -1.3 + 0.45


@njit(cache=True, nogil=True)
def lit(c: Floats, p: Floats, n: Floats, own: float) -> None:
    """Light the colour: the sky from above, the last of the west, and every lantern near by."""
    up = 0.5 + 0.5 * n[1]
    west = max(-0.75 * n[0] - 0.45 * n[2] + 0.25 * n[1], 0.0)
    r = 0.46 + 0.26 * up + 0.30 * west
    g = 0.50 + 0.32 * up + 0.15 * west
    b = 0.66 + 0.46 * up + 0.10 * west
    for i in range(len(LAMP_AT)):
        dx, dy, dz = LAMP_AT[i, 0] - p[0], LAMP_AT[i, 1] - p[1], LAMP_AT[i, 2] - p[2]
        q = dx * dx + dy * dy + dz * dz
        if q < 110.0:
            face = max((dx * n[0] + dy * n[1] + dz * n[2]) / np.sqrt(q + 1e-6), 0.0)
            e = (0.22 + 0.78 * face) * 2.3 / (1.3 + q) * smooth(110.0, 40.0, q)
            r += 1.55 * e
            g += 0.92 * e
            b += 0.36 * e
    # light spilled on the stones before each shop window
    if n[1] > 0.9 and p[1] < 0.1:
        e = 0.34 * np.exp(-((4.2 - p[0]) ** 2) / 3.0) * (0.6 + 0.4 * noise(p[2] * 0.5, 0.0, 7))
        r, g, b = r + 1.5 * e, g + 0.9 * e, b + 0.4 * e
    k = 1 - own
    c[0] = c[0] * (own + k * r)
    c[1] = c[1] * (own + k * g)
    c[2] = c[2] * (own + k * b)


@njit(cache=True, nogil=True)
def aired(c: Floats, p: Floats, eye: Floats, far: bool) -> None:
    """Haze by distance, and the glow of the lanterns in the air, both as seen from the lens."""
    dx, dy, dz = p[0] - eye[0], p[1] - eye[1], p[2] - eye[2]
    distance = np.sqrt(dx * dx + dy * dy + dz * dz)
    if not far:
        haze = 1 - np.exp(-max(distance - 6.0, 0.0) / 95.0)
        over(c, 0.42, 0.31, 0.40, min(0.85, haze))
    for i in range(len(LAMP_AT)):
        lx, ly, lz = LAMP_AT[i, 0] - eye[0], LAMP_AT[i, 1] - eye[1], LAMP_AT[i, 2] - eye[2]
        reach = np.sqrt(lx * lx + ly * ly + lz * lz)
        if not far and distance < reach - 2.5:
            continue
        along = (dx * lx + dy * ly + dz * lz) / (distance * reach)
        if along < 0.9:
            continue
        off = np.sqrt(max(2 - 2 * along, 0.0)) * reach
        glow = 0.5 * np.exp(-off * off / 0.2) + 0.3 * np.exp(-off / 0.5)
        glow *= 1.0 / (1.0 + reach / 60.0)
        c[0] += (1.0 - c[0]) * 0.95 * glow
        c[1] += (0.78 - c[1]) * 0.75 * glow
        c[2] += (0.42 - c[2]) * 0.5 * glow
