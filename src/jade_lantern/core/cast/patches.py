"""Completion of a picture from its own patches (after He & Sun 2012): shifts under which the
surroundings of a hole match the picture (see `shifts`), one of them chosen for each pixel (see
`choose`), and the result blended in the gradient domain (see `seamless`). Pixels that no shift
reaches are inpainted at a small size (Telea 2004).
"""

from __future__ import annotations

import cv2
import numpy as np

from ..arrays import Bytes, Flags, Floats32, Indices
from .choose import MOST_SEAM, SEAM, chosen
from .seamless import SIDES, joined_up, within
from .shifts import Alike, shifts_for

BAND = 14  # px, the width of the surroundings that a shift has to match
LEAST_BAND = 20  # px, the least area of those surroundings
LEAST_HOLE = 30  # px; smaller holes are inpainted
MOST_HOLES = 40  # more than so many are filled as one
MOST_NODES = 9000  # of the choice; a larger hole is divided into coarser squares
FARTHER = 0.2  # weight of the surroundings twice as far away
FARTHER_STEPS = 4
WHOLE_RIM = 0.2  # weight of all surroundings, at any distance
OTHER_HEIGHT = 900.0  # penalty, as a squared difference, of a vertical shift by a hole's height
NEVER = np.float32(1e7)  # the data cost of a shift to unknown pixels
SMALL = 160  # px, the longer side at which pixels that no shift reaches are inpainted


def completed(picture: Bytes, known: Flags, wanted: Flags, upright: bool = False) -> Bytes:
    """A picture (H, W, 3) with the pixels filled that are wanted (H, W) and not known (H, W).
    upright: it is of a wall, whose patches are preferred from the same height, since courses of
    stone or boards and the light on them run level."""
    out = picture.copy()
    out[~known] = 0
    there = known.copy()
    missing = wanted & ~known
    count, labels = cv2.connectedComponents(missing.astype(np.uint8))
    if count > MOST_HOLES:
        labels, count = (labels > 0).astype(np.int32), 2
    holes = [labels == k for k in range(1, count)]
    holes = [hole for hole in holes if hole.sum() >= LEAST_HOLE]
    if holes and known.any():
        alike = Alike(out, known)
        for hole in holes:
            _fill_hole(out, there, alike, known, hole, upright)
    if not there[missing].all():
        _fill_rest(out, there)
    return out


def _fill_hole(
    out: Bytes, there: Flags, alike: Alike, known: Flags, hole: Flags, upright: bool
) -> None:
    """Fill a hole by shifts, as far as they reach known pixels. Marks what was filled in
    `there`."""
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BAND + 1, 2 * BAND + 1))
    band = cv2.dilate(hole.astype(np.uint8), ring).astype(bool) & known
    if band.sum() < LEAST_BAND:
        return
    shifts = shifts_for(alike, hole, band, upright)
    if not len(shifts):
        return
    rows, columns = np.nonzero(hole)
    coarse = max(int(np.ceil(np.sqrt(len(rows) / MOST_NODES))), 1)
    of_node = _choice(out, known, hole, band, shifts, coarse, upright)
    choice = of_node[rows // coarse, columns // coarse]
    y, x = rows + shifts[choice, 0], columns + shifts[choice, 1]
    good = (choice >= 0) & within(y, x, hole.shape)
    good[good] = known[y[good], x[good]]
    if not good.any():
        return
    rows, columns, y, x = rows[good], columns[good], y[good], x[good]
    source = out.copy()
    out[rows, columns] = source[y, x]
    there[rows, columns] = True
    filled = np.zeros(hole.shape, bool)
    filled[rows, columns] = True
    shift = np.zeros((*hole.shape, 2), int)
    shift[rows, columns] = shifts[choice[good]]
    joined_up(out, source, known, shift, filled)


def _choice(
    picture: Bytes, known: Flags, hole: Flags, band: Flags, shifts: Indices, coarse: int,
    upright: bool,
) -> Indices:  # fmt: skip
    """The index of the shift that fills each square of `coarse` pixels of a hole, -1 for none."""
    height, width = hole.shape
    rows, columns = np.nonzero(hole)
    grid = np.full((-(-height // coarse), -(-width // coarse)), -1)
    grid[rows // coarse, columns // coarse] = 0
    ny, nx = np.nonzero(grid == 0)
    grid[ny, nx] = np.arange(len(ny))
    smooth = cv2.blur(picture, (coarse, coarse)).astype(np.float32)
    sure = cv2.erode(known.astype(np.uint8), np.ones((coarse, coarse), np.uint8)).astype(bool)
    y = np.minimum(ny * coarse + coarse // 2, height - 1)
    x = np.minimum(nx * coarse + coarse // 2, width - 1)
    cost = np.empty((len(ny), len(shifts)), np.float32)
    colour = np.zeros((len(ny), 3, len(shifts)), np.float32)
    tall = np.ptp(rows) + 1.0
    ys, xs = np.nonzero(band.any(axis=1))[0], np.nonzero(band.any(axis=0))[0]
    round_it = (int(ys[0]), int(ys[-1]) + 1, int(xs[0]), int(xs[-1]) + 1)
    for k, (down, right) in enumerate(shifts.tolist()):
        own = _votes(picture, known, band, round_it, down, right, y, x)
        if upright:
            own += np.float32(OTHER_HEIGHT * abs(down) / tall)
        sy, sx = y + down, x + right
        inside = within(sy, sx, hole.shape)
        sy, sx = sy.clip(0, height - 1), sx.clip(0, width - 1)
        colour[:, :, k] = smooth[sy, sx]
        for aside, along in SIDES:  # the seam cost at the hole's rim
            qy, qx = y + coarse * aside, x + coarse * along
            ty, tx = qy + down, qx + right
            i = np.nonzero(within(qy, qx, hole.shape) & within(ty, tx, hole.shape))[0]
            i = i[sure[qy[i], qx[i]] & sure[ty[i], tx[i]]]
            apart = ((smooth[qy[i], qx[i]] - smooth[ty[i], tx[i]]) ** 2).sum(axis=1)
            own[i] += np.minimum(2 * SEAM * apart, MOST_SEAM)
        cost[:, k] = np.where(inside & sure[sy, sx], own, NEVER)
    best = chosen(grid, cost, colour)
    best[cost[np.arange(len(best)), best] >= NEVER] = -1
    out = np.full(grid.shape, -1)
    out[ny, nx] = best
    return out


def _votes(
    picture: Bytes, known: Flags, band: Flags, round_it: tuple[int, int, int, int], down: int,
    right: int, y: Indices, x: Indices,
) -> Floats32:  # fmt: skip
    """(N,) how badly a shift matches around pixels (y, x): its squared differences over the band,
    weighted by nearness. round_it: the band's bounds: top, bottom, left and right."""
    height, width = band.shape
    top, bottom, left, end = round_it
    # the part of the bounds that the shift keeps inside the picture
    y0, y1 = max(top, -down), min(bottom, height - down)
    x0, x1 = max(left, -right), min(end, width - right)
    votes = np.zeros((bottom - top, end - left, 2), np.float32)
    if y1 > y0 and x1 > x0:
        here, there = (slice(y0, y1), slice(x0, x1)), (
            slice(y0 + down, y1 + down), slice(x0 + right, x1 + right)
        )  # fmt: skip
        both = (band[here] & known[there]).astype(np.float32)
        apart = (picture[here].astype(np.float32) - picture[there]) ** 2
        part = votes[y0 - top : y1 - top, x0 - left : x1 - left]
        part[..., 0], part[..., 1] = apart.mean(axis=2) * both, both
    spread, small, weight = cv2.blur(votes, (5, 5)), votes, 1.0
    for _ in range(FARTHER_STEPS):
        size = (small.shape[1] // 2, small.shape[0] // 2)
        if min(size) < 2:
            break
        small = cv2.resize(small, size, interpolation=cv2.INTER_AREA)
        weight *= FARTHER
        spread += weight * cv2.resize(cv2.blur(small, (5, 5)), votes.shape[1::-1])
    mean = votes.mean(axis=(0, 1))
    at = spread[(y - top).clip(0, bottom - top - 1), (x - left).clip(0, end - left - 1)]
    all_round = WHOLE_RIM * mean[0] / max(mean[1], 1e-6)
    out: Floats32 = (at[:, 0] + 1e-5 * mean[0]) / (at[:, 1] + 1e-5 * mean[1] + 1e-9) + all_round
    return out


def _fill_rest(out: Bytes, there: Flags) -> None:
    """Inpaint all that is not there yet, at a small size."""
    s = min(SMALL / max(there.shape), 1.0)
    size = (max(int(there.shape[1] * s), 4), max(int(there.shape[0] * s), 4))
    # reduce the known pixels only, by weights
    weight = cv2.resize(there.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    given = out.astype(np.float32) * there[..., None]
    small = cv2.resize(given, size, interpolation=cv2.INTER_AREA)
    small = (small / np.maximum(weight, 1e-3)[..., None]).clip(0, 255).astype(np.uint8)
    sure = (weight > 0.5).astype(np.uint8) * 255
    if not sure.any():
        return
    made = cv2.inpaint(small, 255 - sure, 4, cv2.INPAINT_TELEA)
    large = cv2.resize(made, there.shape[::-1], interpolation=cv2.INTER_CUBIC)
    out[~there] = np.asarray(large, np.uint8)[~there]
    there[:] = True
