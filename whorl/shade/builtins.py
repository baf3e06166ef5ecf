"""The fixed list of built-in functions, with their types; GLSL and the CPU share them."""

from collections.abc import Callable
from dataclasses import dataclass

from whorl.shade.types import F32, I32, IMAGE, U32, VEC2, VEC3, VEC4, ShadeType

Typing = Callable[[list[ShadeType]], ShadeType | None]


@dataclass(frozen=True)
class Builtin:
    """One built-in: its names, how many arguments it takes, and its result's type.

    `result` gives None where the argument types do not fit. `each` is true where the
    function acts on every component alone. `glsl` is a name, or a template of the call.
    """

    name: str
    glsl: str
    arity: int
    result: Typing
    each: bool = True


def _is_float(t: ShadeType) -> bool:
    return t == F32 or t.is_vector


def _all_same(types: list[ShadeType]) -> ShadeType | None:
    first = types[0]
    return first if _is_float(first) and all(t == first for t in types) else None


def _spread(first_matters: int) -> Typing:
    """The first `first_matters` arguments share a type; later ones may be f32 instead."""

    def result(types: list[ShadeType]) -> ShadeType | None:
        head = _all_same(types[:first_matters])
        tail = types[first_matters:]
        return head if head and all(t in (head, F32) for t in tail) else None

    return result


def _spread_abs(types: list[ShadeType]) -> ShadeType | None:
    return I32 if types == [I32] else _all_same(types)


def _spread_min(types: list[ShadeType]) -> ShadeType | None:
    return types[0] if types[0] in (I32, U32) and types[0] == types[1] else _spread(1)(types)


def _step(types: list[ShadeType]) -> ShadeType | None:
    edge, x = types
    return x if _is_float(x) and edge in (x, F32) else None


def _to_scalar(types: list[ShadeType]) -> ShadeType | None:
    return F32 if types[0].is_vector and _all_same(types) else None


def _cross(types: list[ShadeType]) -> ShadeType | None:
    return VEC3 if types == [VEC3, VEC3] else None


def _texel(types: list[ShadeType]) -> ShadeType | None:
    return VEC4 if types == [IMAGE, I32, I32] else None


def _extent(types: list[ShadeType]) -> ShadeType | None:
    return VEC2 if types == [IMAGE] else None


BUILTINS = {
    b.name: b
    for b in (
        *(Builtin(n, n, 1, _all_same) for n in ("floor", "fract", "sqrt", "sin", "cos", "exp2", "log2")),
        Builtin("absolute", "abs", 1, _spread_abs),
        Builtin("atan2", "atan", 2, _all_same),
        Builtin("power", "pow", 2, _all_same),
        Builtin("minimum", "min", 2, _spread_min),
        Builtin("maximum", "max", 2, _spread_min),
        Builtin("mod", "mod", 2, _spread(1)),
        Builtin("clamp", "clamp", 3, _spread(1)),
        Builtin("mix", "mix", 3, _spread(2)),
        Builtin("step", "step", 2, _step),
        Builtin("dot", "dot", 2, _to_scalar, each=False),
        Builtin("length", "length", 1, _to_scalar, each=False),
        Builtin("cross", "cross", 2, _cross, each=False),
        Builtin("texel", "texelFetch({0}, ivec2({1}, {2}), 0)", 3, _texel, each=False),
        Builtin("extent", "vec2(textureSize({0}, 0))", 1, _extent, each=False),
    )
}
