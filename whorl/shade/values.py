"""Values for running shade functions as ordinary Python."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Protocol, Self, TypeVar, cast, dataclass_transform, get_type_hints, overload

import numpy as np
from numpy.typing import NDArray

from whorl.shade.types import BY_NAME, record_of

f32 = float
i32 = int

_T = TypeVar("_T")
#: Marks a parameter that is known when the function is compiled: `octaves: Fixed[i32]`.
Fixed = Annotated[_T, "fixed"]

_MASK = 0xFFFFFFFF


class u32(int):  # noqa: N801 - a type name of the shading language
    """An unsigned 32-bit integer that wraps around, as on a GPU."""

    def __new__(cls, value: float = 0) -> Self:
        return super().__new__(cls, int(value) & _MASK)

    def __add__(self, other: int) -> u32:
        return u32(int(self) + int(other))

    def __sub__(self, other: int) -> u32:
        return u32(int(self) - int(other))

    def __mul__(self, other: int) -> u32:
        return u32(int(self) * int(other))

    def __xor__(self, other: int) -> u32:
        return u32(int(self) ^ int(other))

    def __and__(self, other: int) -> u32:
        return u32(int(self) & int(other))

    def __or__(self, other: int) -> u32:
        return u32(int(self) | int(other))

    def __rshift__(self, other: int) -> u32:
        return u32(int(self) >> int(other))

    def __lshift__(self, other: int) -> u32:
        return u32(int(self) << int(other))

    __radd__, __rmul__, __rxor__ = __add__, __mul__, __xor__


class Vec:
    """A small vector: componentwise operators with vectors and numbers, and swizzles."""

    __slots__ = ("c",)
    size = 0
    c: tuple[float, ...]

    def __init__(self, *parts: Any) -> None:
        flat: list[float] = []
        for part in parts:
            if isinstance(part, Vec):
                flat.extend(part.c)
            else:
                flat.append(float(part))
        if len(flat) == 1:
            flat *= self.size
        if len(flat) != self.size:
            raise TypeError(f"{type(self).__name__} takes {self.size} components, not {len(flat)}")
        self.c = tuple(flat)

    def __getattr__(self, name: str) -> Any:
        try:
            picked = [self.c["xyzw".index(letter)] for letter in name]
        except (ValueError, IndexError):
            raise AttributeError(name) from None
        return picked[0] if len(picked) == 1 else vec(picked)

    def __iter__(self) -> Iterator[float]:
        return iter(self.c)

    def __repr__(self) -> str:
        return f"{type(self).__name__}({', '.join(f'{x:g}' for x in self.c)})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Vec) and self.c == other.c

    def __hash__(self) -> int:
        return hash(self.c)

    def _zip(self, other: Any, op: Callable[[float, float], float]) -> Self:
        right = other.c if isinstance(other, Vec) else (float(other),) * self.size
        if len(right) != self.size:
            raise TypeError("vectors of different sizes")
        return type(self)(*(op(a, b) for a, b in zip(self.c, right, strict=True)))

    def __add__(self, other: Any) -> Self:
        return self._zip(other, lambda a, b: a + b)

    def __sub__(self, other: Any) -> Self:
        return self._zip(other, lambda a, b: a - b)

    def __rsub__(self, other: Any) -> Self:
        return self._zip(other, lambda a, b: b - a)

    def __mul__(self, other: Any) -> Self:
        return self._zip(other, lambda a, b: a * b)

    def __truediv__(self, other: Any) -> Self:
        return self._zip(other, lambda a, b: a / b)

    def __rtruediv__(self, other: Any) -> Self:
        return self._zip(other, lambda a, b: b / a)

    def __neg__(self) -> Self:
        return type(self)(*(-a for a in self.c))

    __radd__, __rmul__ = __add__, __mul__


class Vec2(Vec):
    """Two floats."""

    size = 2


class Vec3(Vec):
    """Three floats."""

    size = 3


class Vec4(Vec):
    """Four floats."""

    size = 4


def vec(parts: Sequence[float]) -> Vec:
    """The vector type that fits so many components."""
    return {2: Vec2, 3: Vec3, 4: Vec4}[len(parts)](*parts)


class _Table(tuple[Vec4, ...]):
    """Rows of Vec4, uniform over a picture; the last row given is repeated to fill it."""

    most = 0

    def __new__(cls, rows: Sequence[Vec4]) -> Self:
        if not 1 <= len(rows) <= cls.most:
            raise ValueError(f"a table takes 1 to {cls.most} rows")
        return super().__new__(cls, [*rows, *[rows[-1]] * (cls.most - len(rows))])


class Table8(_Table):
    """Eight rows."""

    most = 8


class Table16(_Table):
    """Sixteen rows."""

    most = 16


class Image:
    """A picture whose texels are looked up: `pixels` (height, width, 4), half floats, row 0 first."""

    __slots__ = ("pixels",)

    def __init__(self, pixels: NDArray[np.float16]) -> None:
        if pixels.dtype != np.float16 or pixels.ndim != 3 or pixels.shape[2] != 4 or not pixels.flags.c_contiguous:
            raise ValueError("an image takes (height, width, 4) half floats without gaps")
        self.pixels = pixels

    @property
    def numbers(self) -> tuple[float, float]:
        """Its width and height."""
        return float(self.pixels.shape[1]), float(self.pixels.shape[0])


def texel(image: Image, x: int, y: int) -> Vec4:
    """A texel of an image, 0 ≤ x < width and 0 ≤ y < height."""
    return Vec4(*map(float, image.pixels[y, x]))


def extent(image: Image) -> Vec2:
    """Width and height of an image in texels."""
    return Vec2(*image.numbers)


R = TypeVar("R")


@dataclass_transform(frozen_default=True)
def record(made: type[R]) -> type[R]:
    """A class whose fields are floats and vectors, as a type of the shading language.

    Functions take it and pass it on whole, and read its fields by name. Raises TypeError for other fields.
    """
    names = {cls: name for name, cls in (("f32", f32), ("Vec2", Vec2), ("Vec3", Vec3), ("Vec4", Vec4))}
    kinds = {}
    for field, note in get_type_hints(made).items():
        if note not in names:
            raise TypeError(f"{made.__name__}.{field}: a record holds floats and vectors")
        kinds[field] = BY_NAME[names[note]]
    whole = dataclass(frozen=True)(made)
    whole.shade_type = record_of(made.__name__, tuple(kinds.items()))
    return whole


V = TypeVar("V", bound=Vec)


class Each(Protocol):
    """A function of floats that also acts on every component of vectors."""

    @overload
    def __call__(self, first: float, *rest: float) -> float: ...
    @overload
    def __call__(self, first: V, *rest: V | float) -> V: ...


class EachWhole(Each, Protocol):
    """As `Each`; of whole numbers it gives a whole number."""

    @overload
    def __call__(self, first: int, *rest: int) -> int: ...
    @overload
    def __call__(self, first: float, *rest: float) -> float: ...
    @overload
    def __call__(self, first: V, *rest: V | float) -> V: ...


def _each(op: Callable[..., float]) -> Each:
    """Lift a function of floats to vectors, numbers among the arguments being spread."""

    def lifted(*args: Any) -> Any:
        size = max((a.size for a in args if isinstance(a, Vec)), default=0)
        if not size:
            return op(*args)
        columns = [a.c if isinstance(a, Vec) else (a,) * size for a in args]
        return vec([op(*row) for row in zip(*columns, strict=True)])

    return cast(Each, lifted)


floor = _each(math.floor)
fract = _each(lambda x: x - math.floor(x))
sqrt = _each(math.sqrt)
sin = _each(math.sin)
cos = _each(math.cos)
exp2 = _each(lambda x: 2.0**x)
log2 = _each(math.log2)
atan2 = _each(math.atan2)
absolute = _each(abs)
minimum = cast(EachWhole, _each(min))
maximum = cast(EachWhole, _each(max))
power = _each(lambda x, y: x**y if x > 0 else (1.0 if y == 0 else 0.0))
clamp = _each(lambda x, low, high: min(max(x, low), high))
mix = _each(lambda a, b, t: a * (1 - t) + b * t)
step = _each(lambda edge, x: 0.0 if x < edge else 1.0)
mod = _each(lambda x, y: x - y * math.floor(x / y))


def dot(a: Any, b: Any) -> float:
    """The sum of products."""
    return float(sum(x * y for x, y in zip(a.c, b.c, strict=True)))


def length(a: Any) -> float:
    """Euclidean length."""
    return math.sqrt(dot(a, a))


def cross(a: Vec3, b: Vec3) -> Vec3:
    """The vector product."""
    (ax, ay, az), (bx, by, bz) = a.c, b.c
    return Vec3(ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx)
