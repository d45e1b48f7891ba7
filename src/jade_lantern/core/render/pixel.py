"""Pixel arithmetic for the two kinds of frames, as compiled code uses it.

Eight bit is one uint32 a pixel, RGBA, red in the low byte and alpha not multiplied in. All else is
four float32, premultiplied, in units of the plates' pixels. Compiled code is written once for both;
which one it works on shows in the array that the frame is written to.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, types
from numba.extending import overload

from .cubic import footprint, footprint_16, footprint_float, pair, pair_16, pair_float

_OPTIONS: dict[str, Any] = {"inline": "always"}


def _eight(out: Any) -> bool:
    return bool(out.dtype == types.uint32)


def nothing(out: Any) -> Any:
    """A transparent pixel. out: the frame."""
    raise NotImplementedError


def sheet_like(out: Any, rows: Any, columns: Any) -> Any:
    """An empty frame of the same kind."""
    raise NotImplementedError


def sums_of(out: Any, top: Any, bottom: Any, left: Any, right: Any) -> Any:
    """Room (rows, columns, 4) float32 to add up a part of a frame, premultiplied, at 0: that part
    of the frame itself where it is of this kind."""
    raise NotImplementedError


def fetched(out: Any, deep: Any, address: Any, index: Any, stride: Any, place: Any) -> Any:
    """A bicubic lookup. place: as for `footprint`. deep: whether pixels are float32 (else of
    sixteen bit, or eight)."""
    raise NotImplementedError


def fetched_between(
    out: Any, deep: Any, address: Any, index: Any, stride: Any, place: Any, index_2: Any,
    stride_2: Any, place_2: Any, share: Any,
) -> Any:  # fmt: skip
    """Two lookups in two mip levels, blended. share: the weight of the second."""
    raise NotImplementedError


def cover(v: Any, white: Any) -> Any:
    """A pixel's alpha, 0 to 1. white: the value of full alpha."""
    raise NotImplementedError


def scaled(v: Any, share: Any) -> Any:
    """A pixel with its alpha multiplied by a share."""
    raise NotImplementedError


def over(a: Any, b: Any, white: Any) -> Any:
    """Pixel a composited over b."""
    raise NotImplementedError


def four(v: Any) -> Any:
    """A pixel as four float64, premultiplied."""
    raise NotImplementedError


def of_four(out: Any, r: Any, g: Any, b: Any, a: Any) -> Any:
    """A pixel from four float64, premultiplied."""
    raise NotImplementedError


def put(out: Any, y: Any, x: Any, v: Any) -> Any:
    """Write a pixel into the frame."""
    raise NotImplementedError


def got(out: Any, y: Any, x: Any) -> Any:
    """Read a pixel from the frame."""
    raise NotImplementedError


def recolour(out: Any, y: Any, x: Any, n: Any, by: Any, haze: Any) -> None:
    """Change the colours of out[y, x : x + n]: c becomes by[0..2] c + by[3] haze a. by: (4, n).
    haze: (3,) its colour from 0 to 1. a: the alpha, as the frame has it."""
    raise NotImplementedError


@overload(nothing, **_OPTIONS)
def _nothing(out):  # type: ignore[no-untyped-def]
    if _eight(out):
        return lambda out: np.uint32(0)
    zero = np.float32(0)
    return lambda out: (zero, zero, zero, zero)


@overload(sheet_like)
def _sheet_like(out, rows, columns):  # type: ignore[no-untyped-def]
    if _eight(out):
        return lambda out, rows, columns: np.empty((rows, columns), np.uint32)
    return lambda out, rows, columns: np.empty((rows, columns, 4), np.float32)


@overload(sums_of)
def _sums_of(out, top, bottom, left, right):  # type: ignore[no-untyped-def]
    if _eight(out):
        return lambda out, top, bottom, left, right: np.zeros(
            (bottom - top, right - left, 4), np.float32
        )

    def deep(out, top, bottom, left, right):  # type: ignore[no-untyped-def]
        part = out[top:bottom, left:right]
        part[:] = 0.0
        return part

    return deep


@overload(fetched, **_OPTIONS)
def _fetched(out, deep, address, index, stride, place):  # type: ignore[no-untyped-def]
    if _eight(out):
        return lambda out, deep, address, index, stride, place: footprint(
            address, index, stride, place
        )

    def either(out, deep, address, index, stride, place):  # type: ignore[no-untyped-def]
        if deep:
            return footprint_float(address, index, stride, place)
        return footprint_16(address, index, stride, place)

    return either


@overload(fetched_between, **_OPTIONS)
def _fetched_between(  # type: ignore[no-untyped-def]
    out, deep, address, index, stride, place, index_2, stride_2, place_2, share
):
    if _eight(out):

        def packed(  # type: ignore[no-untyped-def]
            out, deep, address, index, stride, place, index_2, stride_2, place_2, share
        ):
            return pair(address, index, stride, place, index_2, stride_2, place_2, share)

        return packed

    def either(  # type: ignore[no-untyped-def]
        out, deep, address, index, stride, place, index_2, stride_2, place_2, share
    ):
        if deep:
            return pair_float(address, index, stride, place, index_2, stride_2, place_2, share)
        return pair_16(address, index, stride, place, index_2, stride_2, place_2, share)

    return either


@njit(cache=True, nogil=True, inline="always")
def _thinned(p: Any, share: Any) -> Any:
    alpha = np.uint32(np.float64(p >> np.uint32(24)) * share + 0.5)
    if alpha == 0:
        return np.uint32(0)
    return np.uint32((p & np.uint32(0xFFFFFF)) | (alpha << np.uint32(24)))


@njit(cache=True, nogil=True, inline="always", error_model="numpy")
def _unpacked(p: Any) -> Any:
    a = np.float64(p >> np.uint32(24))
    k = a / 255.0
    return (
        np.float64(p & np.uint32(255)) * k, np.float64((p >> np.uint32(8)) & np.uint32(255)) * k,
        np.float64((p >> np.uint32(16)) & np.uint32(255)) * k, a,
    )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _packed(r: Any, g: Any, b: Any, a: Any) -> Any:
    if a < 0.5:
        return np.uint32(0)
    k = 255.0 / a
    return np.uint32(
        np.uint32(min(r * k + 0.5, 255.0)) | (np.uint32(min(g * k + 0.5, 255.0)) << np.uint32(8))
        | (np.uint32(min(b * k + 0.5, 255.0)) << np.uint32(16))
        | (np.uint32(min(a + 0.5, 255.0)) << np.uint32(24))
    )  # fmt: skip


@overload(cover, **_OPTIONS)
def _cover(v, white):  # type: ignore[no-untyped-def]
    if isinstance(v, types.Integer):
        return lambda v, white: np.float64(v >> np.uint32(24)) / 255.0
    return lambda v, white: v[3] / white


@overload(scaled, **_OPTIONS)
def _scaled(v, share):  # type: ignore[no-untyped-def]
    if isinstance(v, types.Integer):
        return lambda v, share: _thinned(v, share)

    def deep(v, share):  # type: ignore[no-untyped-def]
        s = np.float32(share)
        return v[0] * s, v[1] * s, v[2] * s, v[3] * s

    return deep


@njit(cache=True, nogil=True, error_model="numpy")
def _laid(p: Any, q: Any) -> Any:
    r, g, b, a = _unpacked(p)
    u, v, w, c = _unpacked(q)
    left = 1.0 - a / 255.0
    return _packed(r + u * left, g + v * left, b + w * left, a + c * left)


@overload(over, **_OPTIONS)
def _over(a, b, white):  # type: ignore[no-untyped-def]
    if isinstance(a, types.Integer):
        return lambda a, b, white: _laid(a, b)

    def deep(a, b, white):  # type: ignore[no-untyped-def]
        left = np.float32(1) - a[3] / np.float32(white)
        return a[0] + b[0] * left, a[1] + b[1] * left, a[2] + b[2] * left, a[3] + b[3] * left

    return deep


@overload(four, **_OPTIONS)
def _four(v):  # type: ignore[no-untyped-def]
    if isinstance(v, types.Integer):
        return lambda v: _unpacked(v)
    return lambda v: (np.float64(v[0]), np.float64(v[1]), np.float64(v[2]), np.float64(v[3]))


@overload(of_four, **_OPTIONS)
def _of_four(out, r, g, b, a):  # type: ignore[no-untyped-def]
    if _eight(out):
        return lambda out, r, g, b, a: _packed(r, g, b, a)
    return lambda out, r, g, b, a: (np.float32(r), np.float32(g), np.float32(b), np.float32(a))


@overload(put, **_OPTIONS)
def _put(out, y, x, v):  # type: ignore[no-untyped-def]
    if _eight(out):

        def packed(out, y, x, v):  # type: ignore[no-untyped-def]
            out[y, x] = v

        return packed

    def deep(out, y, x, v):  # type: ignore[no-untyped-def]
        out[y, x, 0] = v[0]
        out[y, x, 1] = v[1]
        out[y, x, 2] = v[2]
        out[y, x, 3] = v[3]

    return deep


@overload(got, **_OPTIONS)
def _got(out, y, x):  # type: ignore[no-untyped-def]
    if _eight(out):
        return lambda out, y, x: out[y, x]
    return lambda out, y, x: (out[y, x, 0], out[y, x, 1], out[y, x, 2], out[y, x, 3])


@njit(cache=True, nogil=True, fastmath=True)
def _recolour_packed(
    out: Any, y: int, x: int, n: int, by: Any, red: Any, green: Any, blue: Any
) -> None:  # fmt: skip
    """In float32 and without a branch, so that it runs several pixels at once."""
    row, most, half = out[y], np.float32(255), np.float32(0.5)
    for i in range(n):
        p, veil = row[x + i], by[3, i]
        r = np.float32(np.int32(p & np.uint32(255))) * by[0, i] + veil * red
        g = np.float32(np.int32((p >> np.uint32(8)) & np.uint32(255))) * by[1, i] + veil * green
        b = np.float32(np.int32((p >> np.uint32(16)) & np.uint32(255))) * by[2, i] + veil * blue
        row[x + i] = (
            np.uint32(np.int32(min(r + half, most)))
            | (np.uint32(np.int32(min(g + half, most))) << np.uint32(8))
            | (np.uint32(np.int32(min(b + half, most))) << np.uint32(16))
            | (p & np.uint32(0xFF000000))
        )


@overload(recolour)
def _recolour(out, y, x, n, by, haze):  # type: ignore[no-untyped-def]
    if _eight(out):

        def packed(out, y, x, n, by, haze):  # type: ignore[no-untyped-def]
            # its alpha is not multiplied in, so that of the haze is not either
            r, g, b = haze[0] * 255.0, haze[1] * 255.0, haze[2] * 255.0
            _recolour_packed(out, y, x, n, by, np.float32(r), np.float32(g), np.float32(b))

        return packed

    def deep(out, y, x, n, by, haze):  # type: ignore[no-untyped-def]
        for i in range(n):
            veil = by[3, i] * out[y, x + i, 3]
            for k in range(3):
                out[y, x + i, k] = out[y, x + i, k] * by[k, i] + veil * np.float32(haze[k])

    return deep
