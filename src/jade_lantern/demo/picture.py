"""Pictures of the Lantern Quay from any camera, by casting a ray at every surface: another way
than the one the product renders by, so that the two can be held against each other."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from numba import njit

from ..core.arrays import Bytes, Flags, Floats, Indices
from ..core.camera import Camera
from ..core.picture import png
from ..core.threads import in_threads
from .paint import aired, lit, sky, surface
from .strokes import noise, over
from .world import BALL, CYLINDER, SHEET, TRIANGLE, WATER, Shapes, lens

SKY = -1
TILE = 32


@njit(cache=True, nogil=True)
def _meet(
    i: int, kind: Indices, corner: Floats, span: Floats, rise: Floats, flat: Floats, ox: float,
    oy: float, oz: float, dx: float, dy: float, dz: float,
) -> tuple[float, float, float]:  # fmt: skip
    """Distance along a ray to surface i, and where on it (u, v): metres, or fractions. A row of
    another array would be counted as a reference each time, which took longer than the sums."""
    ax, ay, az = corner[i, 0], corner[i, 1], corner[i, 2]
    if kind[i] == SHEET or kind[i] == TRIANGLE:
        nx, ny, nz = flat[i, 0], flat[i, 1], flat[i, 2]
        down = dx * nx + dy * ny + dz * nz
        if abs(down) < 1e-12:
            return -1.0, 0.0, 0.0
        qx, qy, qz = ax - ox, ay - oy, az - oz
        t = (qx * nx + qy * ny + qz * nz) / down
        if t < 1e-4:
            return -1.0, 0.0, 0.0
        px, py, pz = t * dx - qx, t * dy - qy, t * dz - qz
        bb, cc, bc, det = flat[i, 3], flat[i, 4], flat[i, 5], flat[i, 6]
        pb = px * span[i, 0] + py * span[i, 1] + pz * span[i, 2]
        pc = px * rise[i, 0] + py * rise[i, 1] + pz * rise[i, 2]
        u, v = (pb * cc - pc * bc) / det, (pc * bb - pb * bc) / det
        if u < 0 or v < 0 or u > 1 or v > 1 or (kind[i] == TRIANGLE and u + v > 1):
            return -1.0, 0.0, 0.0
        return t, u * np.sqrt(bb), v * np.sqrt(cc)
    if kind[i] == CYLINDER:
        r, h = span[i, 0], rise[i, 1]
        fx, fz = ox - ax, oz - az
        qa = dx * dx + dz * dz
        qb = fx * dx + fz * dz
        root = qb * qb - qa * (fx * fx + fz * fz - r * r)
        best, uu, vv = -1.0, 0.0, 0.0
        if root > 0 and qa > 1e-12:
            t = (-qb - np.sqrt(root)) / qa
            y = oy + t * dy - ay
            if t > 1e-4 and 0 <= y <= h:
                best = t
                uu, vv = r * np.arctan2(fz + t * dz, fx + t * dx), y
        if dy < 0:
            t = (ay + h - oy) / dy
            x, z = fx + t * dx, fz + t * dz
            if t > 1e-4 and x * x + z * z <= r * r and (best < 0 or t < best):
                best, uu, vv = t, x, h - 0.01
        return best, uu, vv
    fx, fy, fz = ox - ax, oy - ay, oz - az
    qb = fx * dx + fy * dy + fz * dz
    root = qb * qb - (fx * fx + fy * fy + fz * fz - span[i, 0] ** 2)
    if root < 0:
        return -1.0, 0.0, 0.0
    t = -qb - np.sqrt(root)
    return (t if t > 1e-4 else -1.0), 0.0, 0.0


@njit(cache=True, nogil=True)
def _flat_sums(span: Floats, rise: Floats) -> Floats:
    """(N, 7) of each surface as a parallelogram: its normal, the squares and the product of its two
    sides, and their determinant."""
    out = np.empty((len(span), 7))
    for i in range(len(span)):
        b, c = span[i], rise[i]
        out[i, 0] = b[1] * c[2] - b[2] * c[1]
        out[i, 1] = b[2] * c[0] - b[0] * c[2]
        out[i, 2] = b[0] * c[1] - b[1] * c[0]
        bb, cc = b[0] ** 2 + b[1] ** 2 + b[2] ** 2, c[0] ** 2 + c[1] ** 2 + c[2] ** 2
        bc = b[0] * c[0] + b[1] * c[1] + b[2] * c[2]
        out[i, 3], out[i, 4], out[i, 5], out[i, 6] = bb, cc, bc, bb * cc - bc * bc
    return out


@njit(cache=True, nogil=True)
def _nearest(
    which: Indices, least: Floats, count: int, kind: Indices, corner: Floats, span: Floats, rise:
    Floats, flat: Floats, o: Floats, d: Floats,
) -> tuple[int, float, float, float]:  # fmt: skip
    """The first of some surfaces along a ray, how far away, and where on it. least: (count,) how
    far away each of them is at least, ascending."""
    best, at, u, v = np.inf, -1, 0.0, 0.0
    ox, oy, oz, dx, dy, dz = o[0], o[1], o[2], d[0], d[1], d[2]
    for k in range(count):
        if least[k] > best:
            break
        i = which[k]
        t, uu, vv = _meet(i, kind, corner, span, rise, flat, ox, oy, oz, dx, dy, dz)
        if t > 0 and (t < best or (t == best and i < at)):
            best, at, u, v = t, i, uu, vv
    return at, best, u, v


@njit(cache=True, nogil=True)
def _normal(kind: int, a: Floats, b: Floats, c: Floats, p: Floats, d: Floats) -> Floats:
    n = np.empty(3)
    if kind == CYLINDER:
        n[0], n[1], n[2] = p[0] - a[0], 0.0, p[2] - a[2]
        if p[1] > a[1] + c[1] - 1e-6:
            n[0], n[1], n[2] = 0.0, 1.0, 0.0
    elif kind == BALL:
        n[:] = p - a
    else:
        n[0] = b[1] * c[2] - b[2] * c[1]
        n[1] = b[2] * c[0] - b[0] * c[2]
        n[2] = b[0] * c[1] - b[1] * c[0]
    n /= np.sqrt((n * n).sum())
    if (n * d).sum() > 0:
        n *= -1.0
    return n


@njit(cache=True, nogil=True)
def _colour(
    i: int, u: float, v: float, p: Floats, d: Floats, kind: Indices, corner: Floats, span: Floats,
    rise: Floats, paint: Indices, seed: Indices, shade: Floats, eye: Floats, grain: float,
    c: Floats,
) -> None:  # fmt: skip
    """The lit colour of a place on a surface other than water, before the air."""
    away = np.sqrt(((p - eye) ** 2).sum())
    soft = max(0.006, grain * away)
    wide = np.sqrt((span[i] ** 2).sum())
    high = np.sqrt((rise[i] ** 2).sum())
    own = surface(paint[i], seed[i], u, v, wide, high, p, soft, c)
    lit(c, p, _normal(kind[i], corner[i], span[i], rise[i], p, d), 0.85 * own)
    # the dark where things stand on the ground
    dark = 1.0
    if p[1] < 0.02 and p[1] > -0.5:
        for k in range(len(shade)):
            dx = max(abs(p[0] - shade[k, 0]) - shade[k, 2], 0.0)
            dz = max(abs(p[2] - shade[k, 1]) - shade[k, 3], 0.0)
            dark *= 1 - 0.6 * np.exp(-(dx * dx + dz * dz) / 0.035) * (p[1] < 0.02)
        dark *= 1 - 0.5 * np.exp(-abs(4.2 - p[0]) / 0.22)
    elif p[1] < 0.6:
        dark *= 1 - 0.4 * np.exp(-max(p[1], 0.0) / 0.14)
    for k in range(3):
        c[k] *= dark


@njit(cache=True, nogil=True)
def _paint_tiles(
    width: int, height: int, o: Floats, axes: Floats, eye: Floats, focal: float, offsets: Floats,
    kind: Indices, corner: Floats, span: Floats, rise: Floats, paint: Indices, owner: Indices,
    seed: Indices, middle: Floats, radius: Floats, shade: Floats, wanted: Flags, rgb: Bytes,
    who: Indices, place: Floats, begin: int, end: int,
) -> None:  # fmt: skip
    """Fill the tiles of a picture from begin to end, counted row by row."""
    across = -(-width // TILE)
    grain = 0.55 / focal
    flat = _flat_sums(span, rise)
    everything, anywhere = np.arange(len(kind)), np.zeros(len(kind))
    for tile in range(begin, end):
        tx, ty = tile % across, tile // across
        if not wanted[
            ty * TILE : min(ty * TILE + TILE, height), tx * TILE : min(tx * TILE + TILE, width)
        ].any():
            continue
        px, py = min(tx * TILE + TILE / 2, width), min(ty * TILE + TILE / 2, height)
        axis = axes[0] * px + axes[1] * py + axes[2]
        size = np.sqrt((axis * axis).sum())
        axis = axis / size
        corner_ray = axes[0] * (px + TILE * 0.75) + axes[1] * (py + TILE * 0.75) + axes[2]
        wide = np.arccos(min(1.0, (corner_ray * axis).sum() / np.sqrt((corner_ray**2).sum())))
        which, least = np.empty(len(kind), np.int64), np.empty(len(kind))
        count = 0
        for i in range(len(kind)):
            q = middle[i] - o
            far = np.sqrt((q * q).sum())
            if far <= radius[i] * 1.01:
                near = True
            else:
                angle = np.arccos(max(-1.0, min(1.0, (q * axis).sum() / far)))
                near = angle < wide + np.arcsin(radius[i] / far)
            if near:
                which[count], least[count] = i, max(far - radius[i] * 1.01, 0.0)
                count += 1
        order = np.argsort(least[:count])
        which[:count], least[:count] = which[order], least[order]
        c = np.empty(3)
        for y in range(ty * TILE, min(ty * TILE + TILE, height)):
            for x in range(tx * TILE, min(tx * TILE + TILE, width)):
                if not wanted[y, x]:
                    continue
                total = np.zeros(3)
                for s in range(len(offsets)):
                    d = axes[0] * (x + offsets[s, 0]) + axes[1] * (y + offsets[s, 1]) + axes[2]
                    d = d / np.sqrt((d * d).sum())
                    i, t, u, v = _nearest(which, least, count, kind, corner, span, rise, flat, o, d)
                    if i < 0:
                        sky(d, c)
                        aired(c, eye + d * 1e5, eye, True)
                    else:
                        p = o + d * t
                        if paint[i] == WATER:
                            # the mirror image as the lens sees it, broken by ripples
                            seen = p - eye
                            away = np.sqrt((seen * seen).sum())
                            calm = 0.030 / (1 + away / 40.0)
                            seen = seen / away
                            bx = noise(p[0] * 1.1, p[2] * 3.2, 51) + 0.5 * noise(
                                p[0] * 3, p[2] * 9, 52
                            )
                            bz = noise(p[0] * 1.3, p[2] * 3.6, 53) + 0.5 * noise(
                                p[0] * 3, p[2] * 9, 54
                            )
                            n = np.array([calm * 0.5 * bx, 1.0, calm * 1.6 * bz])
                            n = n / np.sqrt((n * n).sum())
                            m = seen - 2 * (seen * n).sum() * n
                            m[1] = abs(m[1])
                            j, tj, uj, vj = _nearest(
                                everything,
                                anywhere,
                                len(kind),
                                kind,
                                corner,
                                span,
                                rise,
                                flat,
                                p,
                                m,
                            )
                            if j < 0 or paint[j] == WATER:
                                sky(m, c)
                            else:
                                _colour(
                                    j, uj, vj, p + m * tj, m, kind, corner, span, rise, paint,
                                    seed, shade, eye, grain, c,
                                )  # fmt: skip
                            slant = 1 - abs(seen[1])
                            over(c, 0.055, 0.085, 0.12, 0.2 + 0.55 * (1 - slant**6))
                        else:
                            _colour(
                                i, u, v, p, d, kind, corner, span, rise, paint, seed, shade, eye,
                                grain, c,
                            )  # fmt: skip
                        aired(c, p, eye, False)
                    for k in range(3):
                        total[k] += min(max(c[k], 0.0), 1.6)
                for k in range(3):
                    m1 = total[k] / len(offsets)
                    rgb[y, x, k] = np.uint8(
                        255.0 * min(1.0, m1 if m1 < 0.8 else 1 - 0.2 * np.exp((0.8 - m1) / 0.2))
                        + 0.5
                    )
                d = axes[0] * (x + 0.5) + axes[1] * (y + 0.5) + axes[2]
                d = d / np.sqrt((d * d).sum())
                i, t, u, v = _nearest(which, least, count, kind, corner, span, rise, flat, o, d)
                who[y, x] = owner[i] if i >= 0 else SKY
                for k in range(3):
                    place[y, x, k] = o[k] + d[k] * t if i >= 0 else np.inf


def paint_picture(
    shapes: Shapes, camera: Camera, samples: int = 4, wanted: Flags | None = None
) -> tuple[Bytes, Indices, Floats]:
    """A camera's picture of the quay. wanted: (H, W) which of its pixels; the rest stays black.

    Returns rgb (H, W, 3) uint8, who (H, W) index into shapes.names or SKY, and place (H, W, 3)
    the world point at each pixel's centre. samples is the side of the grid a pixel is taken over,
    squared: 1, 4, 9 or 16.
    """
    kind, corner, span, rise, paint, owner, seed = shapes.arrays()
    side = round(samples**0.5)
    steps = (np.arange(side) + 0.5) / side
    offsets = np.array([(a, b) for a in steps for b in steps])
    flat = (kind == SHEET) | (kind == TRIANGLE)
    middle = np.where(flat[:, None], corner + (span + rise) / 2, corner + rise / 2)
    radius = np.where(
        flat,
        np.maximum(np.linalg.norm(span + rise, axis=1), np.linalg.norm(span - rise, axis=1)) / 2,
        np.linalg.norm(rise, axis=1) / 2 + np.linalg.norm(span, axis=1),
    )
    axes = np.stack(
        [
            camera.rotation[0] / camera.focal_px,
            -camera.rotation[1] / camera.focal_px,
            -camera.rotation[2]
            - camera.rotation[0] * camera.cx / camera.focal_px
            + camera.rotation[1] * camera.cy / camera.focal_px,
        ]
    )
    h, w = camera.height, camera.width
    rgb = np.zeros((h, w, 3), np.uint8)
    who = np.full((h, w), SKY, np.int64)
    place = np.zeros((h, w, 3))
    taken_from = lens()
    footprints = _footprints()
    wanted = np.ones((h, w), bool) if wanted is None else wanted
    in_threads(
        -(-w // TILE) * -(-h // TILE),
        lambda begin, end: _paint_tiles(
            w, h, camera.position, axes, taken_from.position, taken_from.focal_px, offsets,
            kind, corner, span, rise, paint, owner, seed, middle, radius, footprints, wanted, rgb,
            who, place, begin, end,
        ),
    )  # fmt: skip
    return rgb, who, place


def still_in(folder: Path, name: str, shapes: Shapes, camera: Camera) -> Path:
    """A camera's picture as a PNG in a folder; painted where it is not there yet."""
    path = folder / name
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        picture, _, _ = paint_picture(shapes, camera)
        part = path.with_suffix(f".{os.getpid()}.part")
        part.write_bytes(png(picture, effort=6))
        part.replace(path)
    return path


def _footprints() -> Floats:
    """Footprints (N, 4) of what stands on the quay: middle x, z and half sizes."""
    from .world import BARREL_AT, CRATES, POSTS

    rows = [(x, z, w / 2, d / 2) for x, z, w, d, _ in CRATES]
    rows += [(x, z, r * 0.8, r * 0.8) for x, z, r, _ in (*POSTS, BARREL_AT)]
    return np.array(rows)


def clean_plate(
    still: Bytes, shapes: Shapes, camera: Camera, gone: set[str], area: Flags, shown: Flags
) -> Bytes:
    """A still with an area of it painted anew as it is without some of what stands there; roughly
    where nobody sees it. shown: (H, W) where somebody does."""
    keep = [i for i, owner in enumerate(shapes.owner) if shapes.names[owner] not in gone]
    rest = replace(
        shapes,
        **{
            name: [getattr(shapes, name)[i] for i in keep]
            for name in ("kind", "corner", "span", "rise", "paint", "owner", "seed")
        },
    )
    quarter = (camera.width // 4, camera.height // 4)
    small = cv2.resize((area & ~shown).astype(np.uint8), quarter, interpolation=cv2.INTER_AREA)
    wanted = cv2.dilate(small, np.ones((3, 3), np.uint8)) > 0
    rough = paint_picture(rest, camera.resized(*quarter), 1, wanted)[0]
    rough = cv2.resize(rough, (camera.width, camera.height), interpolation=cv2.INTER_CUBIC)
    fine = paint_picture(rest, camera, 4, area & shown)[0]
    return np.where((area & shown)[..., None], fine, np.where(area[..., None], rough, still))
