"""The built-ins on float32 numbers, of many samples at once.

The system's maths library takes one number at a time, so sine, cosine, logarithm, exponential and arctangent are
polynomials here: range reduction as in Cody and Waite, *Software Manual for the Elementary Functions*, 1980, with
coefficients fitted by least squares on Chebyshev nodes. Errors are near one unit in the sixth decimal place.
"""

from collections.abc import Callable, Sequence

from whorl.shade.llvm_values import Value, choose


def floor(x: Value) -> Value:
    return x.code.intrinsic("floor", x)


def sqrt(x: Value) -> Value:
    return x.code.intrinsic("sqrt", x)


def absolute(x: Value) -> Value:
    return x.code.intrinsic("fabs", x) if x.kind == "f32" else choose(x < 0, -x, x)


def minimum(x: Value, y: Value) -> Value:
    return choose(x < y, x, y)


def maximum(x: Value, y: Value) -> Value:
    return choose(x > y, x, y)


def clamp(x: Value, low: Value, high: Value) -> Value:
    return minimum(maximum(x, low), high)


def mix(a: Value, b: Value, t: Value) -> Value:
    return a * (1.0 - t) + b * t


def step(edge: Value, x: Value) -> Value:
    return choose(x < edge, x.code.literal(0.0, "f32"), x.code.literal(1.0, "f32"))


def mod(x: Value, y: Value) -> Value:
    return x - y * floor(x / y)


def _polynomial(x: Value, *coefficients: float) -> Value:
    """By Horner's rule, the highest power first."""
    p = x.code.literal(coefficients[0], "f32")
    for c in coefficients[1:]:
        p = p * x + c
    return p


def _sine_of_turn(t: Value) -> Value:
    """sin(2πt) for any t."""
    t = t - floor(t + 0.5)
    a = absolute(t)
    # sin is mirrored at a quarter turn.
    m = choose(a > 0.25, 0.5 - a, a)
    m = choose(t >= 0.0, m, -m)
    p = _polynomial(m * m, -14.3941352, 42.0098057, -76.7042813, 81.6052262, -41.3417021, 6.28318531)
    return p * m


def sin(x: Value) -> Value:
    return _sine_of_turn(x * 0.15915494309189535)


def cos(x: Value) -> Value:
    return _sine_of_turn(x * 0.15915494309189535 + 0.25)


def exp2(x: Value) -> Value:
    x = clamp(x, x.code.literal(-126.0, "f32"), x.code.literal(127.0, "f32"))
    whole = floor(x)
    p = _polynomial(
        x - whole, 0.000218775048, 0.00123878215, 0.00968458045, 0.0554804263, 0.240230502, 0.693146929, 1.0
    )
    return p * ((whole.to("i32") + 127) << 23).from_bits()


def log2(x: Value) -> Value:
    bits = maximum(x, x.code.literal(1.17549435e-38, "f32")).bits()
    # A mantissa in √½..√2 keeps the series short.
    exponent = (bits - 0x3F3504F3) >> 23
    m = (bits - (exponent << 23)).from_bits()
    t = (m - 1.0) / (m + 1.0)
    p = _polynomial(t * t, 0.431733016, 0.57671451, 0.961798846, 2.88539008)
    return p * t + exponent.to("f32")


def power(x: Value, y: Value) -> Value:
    p = exp2(y * log2(x))
    nought, one = x.code.literal(0.0, "f32"), x.code.literal(1.0, "f32")
    return choose(x > 0.0, p, choose(y == 0.0, one, nought))


def atan2(y: Value, x: Value) -> Value:
    ax, ay = absolute(x), absolute(y)
    t = minimum(ax, ay) / maximum(maximum(ax, ay), x.code.literal(1e-30, "f32"))
    p = _polynomial(
        t * t,
        *(-0.00466877331, 0.0241661895, -0.0593671008, 0.099060969),
        *(-0.14016585, 0.199692354, -0.333319597, 0.999999898),
    )
    a = p * t
    a = choose(ay > ax, 1.5707963267948966 - a, a)
    a = choose(x < 0.0, 3.141592653589793 - a, a)
    return choose(y < 0.0, -a, a)


#: Those that act on every component alone, by name.
EACH: dict[str, Callable[..., Value]] = {
    f.__name__: f
    for f in (floor, sqrt, sin, cos, exp2, log2, absolute, atan2, power, minimum, maximum, mod, clamp, mix, step)
}
EACH["fract"] = lambda x: x - floor(x)


def dot(a: Sequence[Value], b: Sequence[Value]) -> Value:
    total = a[0] * b[0]
    for x, y in zip(a[1:], b[1:], strict=True):
        total = total + x * y
    return total


def cross(a: Sequence[Value], b: Sequence[Value]) -> list[Value]:
    (ax, ay, az), (bx, by, bz) = a, b
    return [ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx]


def texel(image: Sequence[Value], x: Value, y: Value) -> list[Value]:
    """Four half floats of an image (its texels, width and height) as floats; outside its edges repeat."""
    texels, wide, high = image
    nought = x.code.literal(0, "i32")
    x, y = clamp(x, nought, wide - 1), clamp(y, nought, high - 1)
    # Two halves are read at a time.
    first, out = (y * wide + x).widened * 2, []
    code = x.code
    lanes = code.lanes
    for k in range(2):
        places = code.value("image", f"getelementptr i32, ptr {texels.text}, {(first + k).given}").text
        told = f"<{lanes} x i1> splat (i1 true), <{lanes} x i32> poison"
        gather = f"@llvm.masked.gather.v{lanes}i32.v{lanes}p0(<{lanes} x ptr> align 4 {places}, {told})"
        pair = code.value("i32", f"call <{lanes} x i32> {gather}")
        out += [_from_half(pair & 0xFFFF), _from_half((pair.to("u32") >> 16).to("i32"))]
    return out


def _from_half(bits: Value) -> Value:
    """The number that a half float's 16 bits stand for, if it is finite.

    Its exponent and mantissa stand where a float's do once they are moved up; what is left is the
    difference of the exponents' offsets, 112, which also brings numbers below the normal ones right.
    """
    size = ((bits & 0x7FFF) << 13).from_bits() * 5.192296858534828e33
    return (size.bits() | ((bits & 0x8000) << 16)).from_bits()
