"""What is missing in a picture, made up of patches of the rest.

What is built repeats itself: boards, slabs, windows. The few shifts by which a picture is most like
itself round a hole fill the hole best (He & Sun 2012, whose statistics of offsets are taken here
from one correlation over the band round it). What no shift reaches
goes over from what is beside it (Telea 2004), in a small copy.
"""

from __future__ import annotations

import cv2
import numpy as np
from scipy.fft import irfft2, next_fast_len, rfft2

from ..arrays import Bytes, Flags, Floats, Floats32

BAND = 14  # px round a hole that a shift has to agree on
MOST_SHIFTS = 10
LEAST_SHIFT = 3  # px
LEAST_GAIN = 0.02  # of a hole that a further shift must fill
OVERLAP = 3.0  # px over which patches go over into each other
SMALL = 160  # px, the longer side at which what no shift reaches is filled
# squared difference that a shift up or down a wall counts as, if it is as long as the hole is high
OTHER_HEIGHT = 9000.0
NOISE = 12.0  # squared difference, of 255, below which two shifts are as good


def completed(picture: Bytes, known: Flags, upright: bool = False) -> Bytes:
    """A picture (H, W, 3) with what is not known of it (H, W) made up. upright: it is of a wall,
    which is most like itself at the same height: so it is built, and so the light falls."""
    out = picture.copy()
    out[~known] = 0
    there = known.copy()
    count, labels = cv2.connectedComponents((~known).astype(np.uint8))
    if count > 40:  # many small ones: all at once
        labels, count = (labels > 0).astype(np.int32), 2
    for k in range(1, count):
        _fill_hole(out, there, known, labels == k, upright)
    if not there.all():
        _fill_rest(out, there)
    return out


def _fill_hole(out: Bytes, there: Flags, known: Flags, hole: Flags, upright: bool) -> None:
    """Fill a hole by shifts, the best one first, as far as they reach."""
    ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * BAND + 1, 2 * BAND + 1))
    band = cv2.dilate(hole.astype(np.uint8), ring).astype(bool) & known
    if band.sum() < 20:
        return
    unlike, agreed = _unlikeness(out, known, band)
    reach = _correlation(hole.astype(np.float32), known.astype(np.float32))
    unlike[agreed < 0.25 * band.sum()] = np.inf
    for dy in range(-LEAST_SHIFT, LEAST_SHIFT + 1):
        for dx in range(-LEAST_SHIFT, LEAST_SHIFT + 1):
            unlike[dy, dx] = np.inf
    if upright:
        high = np.nonzero(hole.any(axis=1))[0]
        rise = np.abs(np.fft.fftfreq(len(unlike), 1 / len(unlike)))
        unlike = unlike + (OTHER_HEIGHT * rise / (np.ptp(high) + 1.0))[:, None]
    size, left = hole.sum(), hole.copy()
    for _ in range(MOST_SHIFTS):
        with np.errstate(divide="ignore", invalid="ignore"):
            worth = np.where(np.isfinite(unlike), reach / (unlike + NOISE), 0)
        dy, dx = divmod(int(np.argmax(worth)), worth.shape[1])
        if worth[dy, dx] <= 0 or reach[dy, dx] < LEAST_GAIN * size:
            return
        sy, sx = _signed(dy, unlike.shape[0]), _signed(dx, unlike.shape[1])
        filled = _shift_in(out, there, known, left, sy, sx)
        if filled < LEAST_GAIN * size:
            unlike[dy, dx] = np.inf
            continue
        if not left.any():
            return
        reach = _correlation(left.astype(np.float32), known.astype(np.float32))


def _signed(shift: int, size: int) -> int:
    return shift if shift <= size // 2 else shift - size


def _shift_in(out: Bytes, there: Flags, known: Flags, left: Flags, dy: int, dx: int) -> int:
    """Fill what is left of a hole from so far away, softly against what is there already; how
    many pixels that were."""
    rows, columns = np.nonzero(left)
    r, c = rows + dy, columns + dx
    inside = (r >= 0) & (c >= 0) & (r < left.shape[0]) & (c < left.shape[1])
    rows, columns, r, c = rows[inside], columns[inside], r[inside], c[inside]
    good = known[r, c]
    rows, columns, r, c = rows[good], columns[good], r[good], c[good]
    if not len(rows):
        return 0
    out[rows, columns] = out[r, c]
    there[rows, columns] = True
    left[rows, columns] = False
    # what is there already beside it is mixed in, so that the seam does not show as a line
    new = np.zeros(left.shape, np.uint8)
    new[rows, columns] = 1
    near = cv2.distanceTransform(new, cv2.DIST_L2, 3)
    soft = (near > 0) & (near < OVERLAP) & there
    if soft.any():
        smooth = cv2.blur(out, (3, 3))
        mixed = cv2.blur(there.astype(np.float32), (3, 3)) > 0.99
        where = soft & mixed
        out[where] = smooth[where]
    return len(rows)


def _unlikeness(picture: Bytes, known: Flags, band: Flags) -> tuple[Floats, Floats]:
    """For each shift (as the FFT has them) the mean squared difference between the band and what
    lies so far from it, and of how many pixels."""
    have, ring = known.astype(np.float32), band.astype(np.float32)
    agreed = _correlation(ring, have)
    total = np.zeros_like(agreed)
    for k in range(3):
        v = picture[..., k].astype(np.float32)
        total += _correlation(ring * v * v, have) + _correlation(ring, have * v * v)
        total -= 2 * _correlation(ring * v, have * v)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.maximum(total / np.maximum(agreed, 1e-3), 0) / 3, agreed


def _correlation(a: Floats32, b: Floats32) -> Floats:
    """sum over p of a(p) b(p + shift), for all shifts, those of less than nothing at the end."""
    h, w = (next_fast_len(2 * n, real=True) for n in a.shape)
    out = irfft2(np.conj(rfft2(a, (h, w), workers=-1)) * rfft2(b, (h, w), workers=-1), (h, w))
    return np.asarray(out, float)


def _fill_rest(out: Bytes, there: Flags) -> None:
    """Fill what no shift reaches, in a small copy."""
    s = min(SMALL / max(there.shape), 1.0)
    size = (max(int(there.shape[1] * s), 4), max(int(there.shape[0] * s), 4))
    # colours of what is there only
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
