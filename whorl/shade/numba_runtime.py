"""The built-ins on float32 scalars, in forms that LLVM can vectorise.

A call into the system's maths library stops a loop from vectorising, so sine, cosine,
logarithm, exponential and arctangent are polynomials here: range reduction as in Cody and
Waite, *Software Manual for the Elementary Functions*, 1980, with coefficients fitted by
least squares on Chebyshev nodes. Errors are near one unit in the sixth decimal place.
"""

from typing import Any

import numpy as np
from numba import njit, types
from numba.core import cgutils  # noqa: F401 - registers the lowering that intrinsics rely on
from numba.extending import intrinsic

f32, i32, u32 = np.float32, np.int32, np.uint32

#: Not 'nnan' and 'ninf': comparisons with huge numbers must keep their meaning.
FASTMATH = {"nsz", "arcp", "contract", "afn"}
INLINED: dict[str, Any] = {
    "forceinline": True,
    "error_model": "numpy",
    "fastmath": FASTMATH,
    # Nothing but other kernels calls them: no wrappers for Python or C are made.
    "no_cpython_wrapper": True,
    "no_cfunc_wrapper": True,
}


@intrinsic
def bits_of(typing: Any, x: Any) -> Any:
    """The bits of a float32 as int32."""

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.bitcast(args[0], context.get_value_type(types.int32))

    return types.int32(types.float32), codegen


@intrinsic
def from_bits(typing: Any, x: Any) -> Any:
    """The float32 of these int32 bits."""

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.bitcast(args[0], context.get_value_type(types.float32))

    return types.float32(types.int32), codegen


@njit(**INLINED)
def floor_(x):
    return np.floor(x)


@njit(**INLINED)
def fract_(x):
    return x - np.floor(x)


@njit(**INLINED)
def sqrt_(x):
    return np.sqrt(x)


@njit(**INLINED)
def absolute_(x):
    return np.abs(x)


@njit(**INLINED)
def minimum_(x, y):
    return x if x < y else y


@njit(**INLINED)
def maximum_(x, y):
    return x if x > y else y


@njit(**INLINED)
def clamp_(x, low, high):
    y = x if x > low else low
    return y if y < high else high


@njit(**INLINED)
def mix_(a, b, t):
    return a * (f32(1.0) - t) + b * t


@njit(**INLINED)
def step_(edge, x):
    return f32(0.0) if x < edge else f32(1.0)


@njit(**INLINED)
def mod_(x, y):
    return x - y * np.floor(x / y)


@njit(**INLINED)
def _sine_turn(t):
    """sin(2πt) for t in -0.25..0.25."""
    s = t * t
    p = f32(-14.3941352)
    p = p * s + f32(42.0098057)
    p = p * s + f32(-76.7042813)
    p = p * s + f32(81.6052262)
    p = p * s + f32(-41.3417021)
    p = p * s + f32(6.28318531)
    return p * t


@njit(**INLINED)
def _sine_of_turn(t):
    """sin(2πt) for any t."""
    t = t - np.floor(t + f32(0.5))
    a = np.abs(t)
    # sin is mirrored at a quarter turn.
    m = f32(0.5) - a if a > f32(0.25) else a
    return _sine_turn(m if t >= f32(0.0) else -m)


@njit(**INLINED)
def sin_(x):
    return _sine_of_turn(x * f32(0.15915494309189535))


@njit(**INLINED)
def cos_(x):
    return _sine_of_turn(x * f32(0.15915494309189535) + f32(0.25))


@njit(**INLINED)
def exp2_(x):
    x = clamp_(x, f32(-126.0), f32(127.0))
    whole = np.floor(x)
    t = x - whole
    p = f32(0.000218775048)
    p = p * t + f32(0.00123878215)
    p = p * t + f32(0.00968458045)
    p = p * t + f32(0.0554804263)
    p = p * t + f32(0.240230502)
    p = p * t + f32(0.693146929)
    p = p * t + f32(1.0)
    return p * from_bits(i32(i32(i32(whole) + i32(127)) << i32(23)))


@njit(**INLINED)
def log2_(x):
    bits = bits_of(maximum_(x, f32(1.17549435e-38)))
    # A mantissa in √½..√2 keeps the series short.
    shifted = i32(bits - i32(0x3F3504F3))
    exponent = i32(shifted >> i32(23))
    m = from_bits(i32(bits - i32(exponent << i32(23))))
    t = (m - f32(1.0)) / (m + f32(1.0))
    s = t * t
    p = f32(0.431733016)
    p = p * s + f32(0.57671451)
    p = p * s + f32(0.961798846)
    p = p * s + f32(2.88539008)
    return p * t + f32(exponent)


@njit(**INLINED)
def power_(x, y):
    p = exp2_(y * log2_(x))
    return p if x > f32(0.0) else (f32(1.0) if y == f32(0.0) else f32(0.0))


@njit(**INLINED)
def atan2_(y, x):
    ax, ay = np.abs(x), np.abs(y)
    big = maximum_(ax, ay)
    t = minimum_(ax, ay) / maximum_(big, f32(1e-30))
    s = t * t
    p = f32(-0.00466877331)
    p = p * s + f32(0.0241661895)
    p = p * s + f32(-0.0593671008)
    p = p * s + f32(0.099060969)
    p = p * s + f32(-0.14016585)
    p = p * s + f32(0.199692354)
    p = p * s + f32(-0.333319597)
    p = p * s + f32(0.999999898)
    a = p * t
    a = f32(1.5707963267948966) - a if ay > ax else a
    a = f32(3.141592653589793) - a if x < f32(0.0) else a
    return -a if y < f32(0.0) else a
