"""One bicubic lookup as vector code, for pixels of three kinds.

Four neighbouring pixels are one load. The compiler does not find that by itself, so the few vector
instructions are written out in LLVM's own language, which it then fits to whatever machine it is
on. Weights are those of Keys' cubic (1981), a = -1/2. Those across are worked out here, as one
vector; those down are given, for each is spread from memory for nothing. Pixels are named by their
address, so that any number of plates is one array of numbers.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.core import cgutils
from numba.extending import intrinsic

_F = ir.FloatType()
_V16, _V8, _V4 = (ir.VectorType(_F, n) for n in (16, 8, 4))
_PLACE = types.UniTuple(types.float32, 5)
_FOUR = types.UniTuple(types.float32, 4)


def _mask(numbers: list[int]) -> ir.Constant:
    return ir.Constant(ir.VectorType(ir.IntType(32), len(numbers)), numbers)


def _int(value: int) -> ir.Constant:
    return cgutils.int32_t(value)


# Keys' weights of the four taps by the powers of how far a place is past the second one
_KEYS = ((0, 1, 0, 0), (-0.5, 0, 0.5, 0), (1, -2.5, 2, -0.5), (-0.5, 1.5, -1.5, 0.5))


def _weights(b: ir.IRBuilder, t: Any, vector: ir.Type) -> Any:
    """Keys' weights for a place t past the second tap, each for as many lanes as a vector has for
    it."""
    lanes = vector.count // 4
    powers = [ir.Constant(vector, [float(w) for w in row for _ in range(lanes)]) for row in _KEYS]
    t = b.insert_element(ir.Constant(vector, ir.Undefined), t, _int(0))
    t = b.shuffle_vector(t, t, _mask([0] * vector.count))
    total = powers[3]
    for power in powers[2::-1]:
        total = b.fadd(b.fmul(total, t, flags=("fast",)), power, flags=("fast",))
    return total


def _sum(b: ir.IRBuilder, args: Any, element: ir.Type, align: int, pixel: int) -> Any:
    """The weighted sum of sixteen pixels, a vector of four. args: the address, the index of the
    first pixel, the stride, and the place. pixel: bytes that one takes."""
    place = cgutils.unpack_tuple(b, args[3], 5)
    across, down = _weights(b, place[0], _V16), place[1:]
    whole = element is _F
    row_type = ir.VectorType(element, 16)
    at = b.add(args[0], b.mul(args[1], cgutils.intp_t(pixel)))
    stride = b.mul(args[2], cgutils.intp_t(pixel))
    total = None
    for k in range(4):
        row = b.load(b.inttoptr(at, row_type.as_pointer()), align=align)
        row = row if whole else b.uitofp(row, _V16)
        weight = b.insert_element(ir.Constant(_V16, ir.Undefined), down[k], _int(0))
        weight = b.shuffle_vector(weight, weight, _mask([0] * 16))
        term = b.fmul(row, weight, flags=("fast",))
        total = term if total is None else b.fadd(total, term, flags=("fast",))
        at = b.add(at, stride)
    total = b.fmul(total, across, flags=("fast",))
    for width in (8, 4):
        low = b.shuffle_vector(total, total, _mask(list(range(width))))
        high = b.shuffle_vector(total, total, _mask(list(range(width, 2 * width))))
        total = b.fadd(low, high, flags=("fast",))
    return total


def _mixed(b: ir.IRBuilder, args: Any, element: ir.Type, align: int, pixel: int) -> Any:
    """Between two such sums, of two copies of one picture, as a vector of four. args: the address;
    index, stride and place of either; and how far it is from the first to the second."""
    one = _sum(b, args[:4], element, align, pixel)
    two = _sum(b, [args[0], *args[4:7]], element, align, pixel)
    share = b.insert_element(ir.Constant(_V4, ir.Undefined), args[7], _int(0))
    share = b.shuffle_vector(share, share, _mask([0] * 4))
    apart = b.fsub(two, one, flags=("fast",))
    return b.fadd(one, b.fmul(apart, share, flags=("fast",)), flags=("fast",))


def _as_pixel(context: Any, b: ir.IRBuilder, total: Any) -> Any:
    total = b.fadd(total, ir.Constant(_V4, [0.5] * 4))
    for bound, sign in ((0.0, "<"), (255.0, ">")):
        limit = ir.Constant(_V4, [bound] * 4)
        total = b.select(b.fcmp_ordered(sign, total, limit), limit, total)
    whole = b.fptosi(total, ir.VectorType(ir.IntType(32), 4))
    small = b.trunc(whole, ir.VectorType(ir.IntType(8), 4))
    return b.bitcast(small, ir.IntType(32))


def _as_four(context: Any, b: ir.IRBuilder, total: Any) -> Any:
    return context.make_tuple(b, _FOUR, [b.extract_element(total, _int(k)) for k in range(4)])


# of each kind of pixel: its element, how its rows are aligned, its bytes, what comes out and how
_KINDS = {
    8: (ir.IntType(8), 4, 4, types.uint32, _as_pixel),
    16: (ir.IntType(16), 8, 8, _FOUR, _as_four),
    32: (_F, 16, 16, _FOUR, _as_four),
}
_ONE = (types.int64, types.int64, _PLACE)


def _lookup(bits: int) -> Any:
    """lookup(address, index, stride, (x, y0, y1, y2, y3)): the weighted sum of sixteen pixels.

    address: int64, of RGBA pixels. index: of the footprint's first pixel, int64. stride: row
    length, int64. x: float32, from 0 to 1, how far the place is past the second tap across; y0 to
    y3 the weights down. Nothing is checked.
    """
    element, align, pixel, gives, as_given = _KINDS[bits]

    @intrinsic
    def lookup(typing_context: Any, address: Any, index: Any, stride: Any, place: Any) -> Any:
        def generate(context: Any, b: ir.IRBuilder, sig: Any, args: Any) -> Any:
            return as_given(context, b, _sum(b, args, element, align, pixel))

        return gives(types.int64, *_ONE), generate

    return lookup


def _pair(bits: int) -> Any:
    """The same of two copies of a picture, and how far (float32) it is from one to the other."""
    element, align, pixel, gives, as_given = _KINDS[bits]

    @intrinsic
    def pair(
        typing_context: Any, address: Any, index: Any, stride: Any, place: Any, index_2: Any,
        stride_2: Any, place_2: Any, share: Any,
    ) -> Any:  # fmt: skip
        def generate(context: Any, b: ir.IRBuilder, sig: Any, args: Any) -> Any:
            return as_given(context, b, _mixed(b, args, element, align, pixel))

        return gives(types.int64, *_ONE, *_ONE, types.float32), generate

    return pair


# pixels of eight bit give one uint32; of sixteen bit and float32 four float32, in their units
footprint, footprint_16, footprint_float = _lookup(8), _lookup(16), _lookup(32)
pair, pair_16, pair_float = _pair(8), _pair(16), _pair(32)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy", inline="always")
def keys_weights(t: Any) -> Any:
    """Keys' four weights for a point t (float32) past the second tap."""
    half, one = np.float32(0.5), np.float32(1.0)
    t2 = t * t
    t3 = t2 * t
    w0 = half * (t2 + t2 - t3 - t)
    w3 = half * (t3 - t2)
    w2 = half * (np.float32(4.0) * t2 - np.float32(3.0) * t3 + t)
    return w0, one - w0 - w2 - w3, w2, w3
