"""One bicubic lookup as vector code, for pixels of three kinds.

Four neighbouring pixels are one load. The compiler does not find that by itself, so the few vector
instructions are written out in LLVM's own language, which it then fits to whatever machine it is
on. Weights are those of Keys' cubic (1981), a = -1/2. Pixels are named by their address, so that
any number of plates is one array of numbers.
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
_WEIGHTS = types.UniTuple(types.float32, 8)
_FOUR = types.UniTuple(types.float32, 4)


def _mask(numbers: list[int]) -> ir.Constant:
    return ir.Constant(ir.VectorType(ir.IntType(32), len(numbers)), numbers)


def _int(value: int) -> ir.Constant:
    return cgutils.int32_t(value)


def _sum(b: ir.IRBuilder, args: Any, element: ir.Type, align: int, pixel: int) -> Any:
    """The weighted sum of sixteen pixels, a vector of four. pixel: bytes that one takes."""
    eight = cgutils.unpack_tuple(b, args[3], 8)
    across, down = eight[:4], eight[4:]
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
    four: Any = ir.Constant(_V4, ir.Undefined)
    for k in range(4):
        four = b.insert_element(four, across[k], _int(k))
    spread = b.shuffle_vector(four, four, _mask([k // 4 for k in range(16)]))
    total = b.fmul(total, spread, flags=("fast",))
    for width in (8, 4):
        low = b.shuffle_vector(total, total, _mask(list(range(width))))
        high = b.shuffle_vector(total, total, _mask(list(range(width, 2 * width))))
        total = b.fadd(low, high, flags=("fast",))
    return total


@intrinsic
def footprint(typing_context: Any, address: Any, index: Any, stride: Any, weights: Any) -> Any:
    """footprint(address, index, stride, (x0, x1, x2, x3, y0, y1, y2, y3)) -> uint32.

    address: int64, of RGBA pixels in eight bit. index: of the footprint's first pixel, int64.
    stride: row length, int64. weights: float32, across then down. Nothing is checked.
    """
    signature = types.uint32(types.int64, types.int64, types.int64, _WEIGHTS)

    def generate(context: Any, b: ir.IRBuilder, sig: Any, args: Any) -> Any:
        total = _sum(b, args, ir.IntType(8), 4, 4)
        total = b.fadd(total, ir.Constant(_V4, [0.5] * 4))
        for bound, sign in ((0.0, "<"), (255.0, ">")):
            limit = ir.Constant(_V4, [bound] * 4)
            total = b.select(b.fcmp_ordered(sign, total, limit), limit, total)
        whole = b.fptosi(total, ir.VectorType(ir.IntType(32), 4))
        small = b.trunc(whole, ir.VectorType(ir.IntType(8), 4))
        return b.bitcast(small, ir.IntType(32))

    return signature, generate


def _as_four(context: Any, b: ir.IRBuilder, total: Any) -> Any:
    return context.make_tuple(b, _FOUR, [b.extract_element(total, _int(k)) for k in range(4)])


@intrinsic
def footprint_16(typing_context: Any, address: Any, index: Any, stride: Any, weights: Any) -> Any:
    """The same for pixels of sixteen bit; four float32, in units of the pixels."""
    signature = _FOUR(types.int64, types.int64, types.int64, _WEIGHTS)

    def generate(context: Any, b: ir.IRBuilder, sig: Any, args: Any) -> Any:
        return _as_four(context, b, _sum(b, args, ir.IntType(16), 8, 8))

    return signature, generate


@intrinsic
def footprint_float(
    typing_context: Any, address: Any, index: Any, stride: Any, weights: Any
) -> Any:
    """The same for pixels of float32."""
    signature = _FOUR(types.int64, types.int64, types.int64, _WEIGHTS)

    def generate(context: Any, b: ir.IRBuilder, sig: Any, args: Any) -> Any:
        return _as_four(context, b, _sum(b, args, _F, 16, 16))

    return signature, generate


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
