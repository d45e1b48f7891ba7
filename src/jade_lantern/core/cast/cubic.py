"""One bicubic lookup as sixteen-lane vector code.

Four neighbouring pixels are sixteen bytes: a row of the footprint is one load. The compiler does
not find that by itself, so the few vector instructions are written out in LLVM's own language,
which it then fits to whatever machine it is on. Weights are those of Keys' cubic (1981), a = -1/2.
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


def _mask(numbers: list[int]) -> ir.Constant:
    return ir.Constant(ir.VectorType(ir.IntType(32), len(numbers)), numbers)


@intrinsic
def footprint(typing_context: Any, pixels: Any, index: Any, stride: Any, weights: Any) -> Any:
    """footprint(pixels, index, stride, (x0, x1, x2, x3, y0, y1, y2, y3)) -> uint32.

    pixels: flat uint32 RGBA. index: of the footprint's first pixel, int64. stride: row length,
    int64. weights: float32, across then down. Nothing is checked.
    """
    signature = types.uint32(pixels, types.int64, types.int64, types.UniTuple(types.float32, 8))

    def generate(context: Any, b: ir.IRBuilder, sig: Any, args: Any) -> Any:
        array_type = sig.args[0]
        array = context.make_array(array_type)(context, b, args[0])
        data = b.bitcast(array.data, ir.IntType(32).as_pointer())
        eight = cgutils.unpack_tuple(b, args[3], 8)
        across, down = eight[:4], eight[4:]
        total = None
        at = args[1]
        for k in range(4):
            row_type = ir.VectorType(ir.IntType(8), 16)
            pointer = b.bitcast(b.gep(data, [at]), row_type.as_pointer())
            row = b.uitofp(b.load(pointer, align=4), _V16)
            weight = b.insert_element(ir.Constant(_V16, ir.Undefined), down[k], _int(0))
            weight = b.shuffle_vector(weight, weight, _mask([0] * 16))
            term = b.fmul(row, weight, flags=("fast",))
            total = term if total is None else b.fadd(total, term, flags=("fast",))
            at = b.add(at, args[2])
        four: Any = ir.Constant(_V4, ir.Undefined)
        for k in range(4):
            four = b.insert_element(four, across[k], _int(k))
        spread = b.shuffle_vector(four, four, _mask([k // 4 for k in range(16)]))
        total = b.fmul(total, spread, flags=("fast",))
        for width in (8, 4):
            low = b.shuffle_vector(total, total, _mask(list(range(width))))
            high = b.shuffle_vector(total, total, _mask(list(range(width, 2 * width))))
            total = b.fadd(low, high, flags=("fast",))
        total = b.fadd(total, ir.Constant(_V4, [0.5] * 4))
        for bound, sign in ((0.0, "<"), (255.0, ">")):
            limit = ir.Constant(_V4, [bound] * 4)
            total = b.select(b.fcmp_ordered(sign, total, limit), limit, total)
        whole = b.fptosi(total, ir.VectorType(ir.IntType(32), 4))
        small = b.trunc(whole, ir.VectorType(ir.IntType(8), 4))
        return b.bitcast(small, ir.IntType(32))

    return signature, generate


def _int(value: int) -> ir.Constant:
    return cgutils.int32_t(value)


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
