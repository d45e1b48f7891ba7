"""The shifts under which the surroundings of a hole match the rest of a picture.

Built things repeat: boards, slabs, windows. The few shifts under which the surroundings of a hole
match best are therefore also good shifts to fill it by (He & Sun 2012). They find them by a
histogram of patch offsets; here all shifts are scored at once by correlation with FFTs.
"""

from __future__ import annotations

import cv2
import numpy as np
import scipy  # its submodules load on first use

from ..arrays import Bytes, Flags, Floats, Floats32, Indices
from .seamless import within

MOST_SHIFTS = 32
STRETCHES = 6  # parts of a hole's surroundings for which shifts are also sought separately
LEAST_STRETCH = 400  # px, the size of the smallest such part
LEAST_SHIFT = 3  # px, the least length of a shift, and the least distance between two
LEAST_AGREED = 0.3  # share of a stretch that a shift has to take to known pixels
LEAST_REACH = 0.02  # share of a hole that a shift has to take to known pixels
ENOUGH_REACH = 0.6  # share of a hole above which reaching more does not raise a score
NOISE = 12.0  # squared difference (0 to 255) below which shifts score alike
LARGE = 320  # px; pictures with a longer side are searched at half size
ENOUGH = 3000  # px of the surroundings that are compared when shifts are refined
RISE = 270.0  # penalty, as a squared difference, of a vertical shift by a hole's height on a wall


class Alike:
    """A picture (H, W, 3) and its known pixels (H, W), with the spectra for comparing it to itself
    under all shifts."""

    def __init__(self, picture: Bytes, known: Flags) -> None:
        self.picture, self.known = picture, known
        self.step = 2 if max(known.shape) > LARGE else 1
        small, sure = self.smaller(picture), self.smaller(known.astype(np.uint8) * 255) > 254
        self.size = tuple(scipy.fft.next_fast_len(2 * n, real=True) for n in sure.shape)
        self._values = small.astype(np.float32) - np.float32(127.5)
        self._square = (self._values**2).sum(axis=2)
        self._there = self._waves(sure.astype(np.float32))

    def smaller(self, picture: Bytes) -> Bytes:
        """A picture of the same size reduced to the size at which shifts are searched."""
        if self.step == 1:
            return picture
        size = (max(picture.shape[1] // self.step, 1), max(picture.shape[0] // self.step, 1))
        return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint8)

    def _waves(self, weight: Floats32) -> list[Floats]:
        """The spectra of a weight (H, W), of the weighted squares and of each weighted channel."""
        each = [weight, weight * self._square]
        each += [weight * self._values[..., k] for k in range(3)]
        return [scipy.fft.rfft2(one, self.size, workers=-1) for one in each]

    def reached(self, hole: Flags) -> Floats:
        """For each shift the number of a hole's pixels that it takes to known pixels."""
        wave = np.conj(scipy.fft.rfft2(hole.astype(np.float32), self.size, workers=-1))
        return np.asarray(scipy.fft.irfft2(wave * self._there[0], self.size, workers=-1), float)

    def unlike(self, where: Flags) -> tuple[Floats, Floats]:
        """For each shift (negative ones at the end, as FFTs order them) the mean squared difference
        between the pixels `where` and those it takes them to, and how many could be compared."""
        here = [np.conj(w) for w in self._waves(where.astype(np.float32))]
        there = self._there
        total = here[1] * there[0] + here[0] * there[1]
        for k in range(2, 5):
            total -= 2 * here[k] * there[k]
        agreed = np.asarray(scipy.fft.irfft2(here[0] * there[0], self.size, workers=-1), float)
        apart = np.asarray(scipy.fft.irfft2(total, self.size, workers=-1), float)
        return np.maximum(apart, 0) / (3 * np.maximum(agreed, 1e-3)), agreed


def shifts_for(alike: Alike, hole: Flags, band: Flags, upright: bool) -> Indices:
    """(K, 2) shifts in rows and columns to fill a hole by, found from the whole band of known
    pixels around it and from stretches of that band. upright: the picture is of a wall, on which
    level shifts are preferred."""
    if alike.step == 1:
        return _sought(alike, hole, band, upright)
    some, few = (alike.smaller(m.astype(np.uint8) * 255) > 127 for m in (hole, band))
    if not some.any() or not few.any():
        return np.empty((0, 2), int)
    found = alike.step * _sought(alike, some, few, upright)
    rows, columns = np.nonzero(band)
    every = max(len(rows) // ENOUGH, 1)
    at = (rows[::every], columns[::every])
    return np.array([_refined(alike, *at, *one) for one in found.tolist()], int).reshape(-1, 2)


def _sought(alike: Alike, hole: Flags, band: Flags, upright: bool) -> Indices:
    """`shifts_for` at the size at which shifts are searched."""
    reach = alike.reached(hole)
    size, stretches = hole.sum(), _stretches(band)
    parts = [band] if len(stretches) < 2 else [band, *stretches]
    share = MOST_SHIFTS if len(parts) == 1 else MOST_SHIFTS // 2
    rise = np.abs(np.fft.fftfreq(len(reach), 1 / len(reach))) if upright else np.zeros(len(reach))
    dearer = RISE * rise / (np.ptp(np.nonzero(hole.any(axis=1))[0]) + 1.0)
    out: list[tuple[int, int]] = []
    for part in parts:
        unlike, agreed = alike.unlike(part)
        worth = np.minimum(reach, size if part is band else ENOUGH_REACH * size)
        worth /= unlike + dearer[:, None] + NOISE
        worth[(agreed < LEAST_AGREED * part.sum()) | (reach < LEAST_REACH * size)] = 0
        _blank(worth, 0, 0)
        for y, x in out:
            _blank(worth, y, x)
        out += _highest(worth, share)
        share = max(MOST_SHIFTS // 2 // max(len(stretches), 1), 2)
    return np.array(out[:MOST_SHIFTS], int).reshape(-1, 2)


def _refined(alike: Alike, rows: Indices, columns: Indices, down: int, right: int) -> list[int]:
    """The best of a shift and its eight neighbours, at full size."""
    own = alike.picture[rows, columns].astype(np.float32)
    best, least = [down, right], np.inf
    for dy in range(down - 1, down + 2):
        for dx in range(right - 1, right + 2):
            y, x = rows + dy, columns + dx
            good = within(y, x, alike.known.shape)
            good[good] = alike.known[y[good], x[good]]
            if not good.any():
                continue
            apart = ((own[good] - alike.picture[y[good], x[good]]) ** 2).mean()
            if apart < least:
                best, least = [dy, dx], apart
    return best


def _highest(worth: Floats, count: int) -> list[tuple[int, int]]:
    """The most worthy shifts, none next to another; those taken are blanked."""
    out = []
    height, width = worth.shape
    for _ in range(count):
        y, x = divmod(int(np.argmax(worth)), width)
        if worth[y, x] <= 0:
            break
        y, x = y - (height if y > height // 2 else 0), x - (width if x > width // 2 else 0)
        _blank(worth, y, x)
        out.append((y, x))
    return out


def _blank(worth: Floats, y: int, x: int) -> None:
    near = np.arange(-LEAST_SHIFT, LEAST_SHIFT + 1)
    worth[np.ix_((y + near) % worth.shape[0], (x + near) % worth.shape[1])] = 0


def _stretches(band: Flags) -> list[Flags]:
    """A band in pieces, each of what lies together."""
    rows, columns = np.nonzero(band)
    count = min(STRETCHES, len(rows) // LEAST_STRETCH)
    if count < 2:
        return [band]
    at = np.stack([rows, columns], axis=1).astype(np.float32)
    cv2.setRNGSeed(0)
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_MAX_ITER, 10, 1.0)
    _, label, _ = cv2.kmeans(at, count, np.empty(0), stop, 1, cv2.KMEANS_PP_CENTERS)
    out = []
    for k in range(count):
        piece = np.zeros_like(band)
        mine = label[:, 0] == k
        piece[rows[mine], columns[mine]] = True
        out.append(piece)
    return out
