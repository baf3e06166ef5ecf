"""Full-screen passes, described once and run on both sides.

A pass is a shade function whose arguments are texels of earlier pictures at fixed offsets
or numbers. The CPU runs the function's kernel row by row; the browser gets GLSL.
Pictures lie on levels: level n is 2ⁿ times smaller than the frame, rounded up.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.effect.stage import Stage
from whorl.fields import screen
from whorl.shade import Unchecked
from whorl.shade.glsl import GlslPrinter
from whorl.shade.kernel import kernel
from whorl.shade.specialise import Fixed
from whorl.stage import rows

Picture = NDArray[np.float32]  # (3 or 4, height, width), row 0 at the top


@dataclass(frozen=True)
class Texel:
    """A texel of a picture: at the pixel's own place on that level, and so many further on."""

    picture: str
    across: int = 0
    down: int = 0


@dataclass(frozen=True)
class Number:
    """A number by its name; `size` components."""

    name: str
    size: int = 1


@dataclass(frozen=True)
class Between:
    """A picture of the level above, drawn up to this one: bilinear between its texels."""

    picture: str


Arg = Texel | Between | Number


@dataclass(frozen=True)
class Filter:
    """One pass: what it writes, on which level, and what its function is given."""

    output: str
    level: int
    function: Unchecked
    args: tuple[Arg, ...]
    fixed: Fixed = ()

    @property
    def pictures(self) -> list[str]:
        """The pictures it reads."""
        return sorted({a.picture for a in self.args if isinstance(a, Texel | Between)})


def _square(picture: str) -> tuple[Texel, ...]:
    return tuple(Texel(picture, x, y) for y in (0, 1) for x in (0, 1))


def finish(stage: Stage) -> list[Filter]:
    """Bloom as a pyramid of so many levels, then exposure and tone mapping."""
    most = stage.bloom.radius
    passes: list[Filter] = []
    for level in range(1, most + 1):
        if level == 1:
            # Left as it is: what later levels add is wide enough to hide its texels.
            passes.append(Filter("blur1", 1, screen.bright, (*_square("scene"), Number("threshold"))))
            continue
        raw = f"raw{level}"
        passes.append(Filter(raw, level, screen.halved, _square(f"blur{level - 1}")))
        along = tuple(Texel(raw, x, 0) for x in range(-2, 3))
        down = tuple(Texel(f"along{level}", 0, y) for y in range(-2, 3))
        passes.append(Filter(f"along{level}", level, screen.blurred, along))
        passes.append(Filter(f"blur{level}", level, screen.blurred, down))
    last = f"blur{most}"
    for level in range(most - 1, 0, -1):
        passes.append(Filter(f"wide{level}", level, screen.widened, (Texel(f"blur{level}"), Between(last))))
        last = f"wide{level}"
    given = (Number("exposure"), Number("strength"), Number("bare"))
    passes.append(Filter("picture", 0, screen.finished, (Texel("scene"), Between(last), *given)))
    return passes


def numbers(stage: Stage, bare: bool, moved: Mapping[str, float] | None = None) -> dict[str, tuple[float, ...]]:
    """What the passes' numbers are for a stage, some of them `moved`."""
    given: dict[str, Any] = {
        "threshold": stage.bloom.threshold,
        "exposure": stage.exposure,
        "strength": stage.bloom.strength,
    }
    number = {name: float((moved or {}).get(name, value)) for name, value in given.items()}
    # Every level adds its share, so a wider bloom is not a brighter one.
    number["strength"] /= stage.bloom.radius
    number["bare"] = 1.0 if bare else 0.0
    return {name: (x,) for name, x in number.items()}


def size_at(width: int, height: int, level: int) -> tuple[int, int]:
    """Width and height on a level."""
    for _ in range(level):
        width, height = (width + 1) // 2, (height + 1) // 2
    return width, height


def levels(passes: list[Filter]) -> dict[str, int]:
    """The level each picture lies on."""
    return {"scene": 0, **{p.output: p.level for p in passes}}


# --- on the CPU -------------------------------------------------------------------------


def apply(
    passes: list[Filter], pictures: dict[str, Picture], values: dict[str, tuple[float, ...]], width: int, height: int
) -> None:
    """Run passes in order; each adds its output to `pictures`."""
    at = levels(passes)
    for p in passes:
        w, h = size_at(width, height, p.level)
        out = np.empty((p.function.tree.returns.size, h, w), np.float32)
        numbers = [x for a in p.args if isinstance(a, Number) for x in values[a.name]]
        varying = tuple(not isinstance(a, Number) for a in p.args)
        loop = kernel(p.function, p.fixed, varying)
        rows.run(loop.address, np.array(numbers, np.float32), _inputs(p, pictures, at), out)
        pictures[p.output] = out


def _inputs(p: Filter, pictures: dict[str, Picture], at: dict[str, int]) -> NDArray[np.int64]:
    """What each varying component is, as `rows.run` takes it."""
    params = [q for q in p.function.tree.params if not q.fixed]
    planes = {name: _planes(pictures[name]) for name in p.pictures}
    table: list[tuple[int, ...]] = []
    for arg, param in zip(p.args, params, strict=True):
        for c in range(param.type.size):
            match arg:
                case Texel(picture=name, across=across, down=down):
                    table.append((rows.TEXEL, *planes[name][c], 1 + p.level - at[name], across, down))
                case Between(picture=name):
                    table.append((rows.BETWEEN, *planes[name][c], 1, 0, 0))
    return np.array(table, np.int64).reshape(-1, 7)


def _planes(picture: Picture) -> list[tuple[int, int, int]]:
    """Where each component of a picture is in memory, its height and its width."""
    assert picture.dtype == np.float32 and picture.flags.c_contiguous
    count, high, wide = picture.shape
    first = picture.ctypes.data
    return [(first + c * high * wide * 4, high, wide) for c in range(count)]


# --- in the browser ---------------------------------------------------------------------


def described(passes: list[Filter]) -> list[dict[str, Any]]:
    """Passes as the browser takes them: GLSL, inputs, level and numbers."""
    at = levels(passes)
    return [_described(p, at) for p in passes]


def _described(p: Filter, at: dict[str, int]) -> dict[str, Any]:
    printer = GlslPrinter()
    name = printer.need(p.function, p.fixed)
    given = {a.name: a.size for a in p.args if isinstance(a, Number)}
    args = []
    params = [q for q in p.function.tree.params if not q.fixed]
    for a, param in zip(p.args, params, strict=True):
        match a:
            case Texel(picture=picture, across=across, down=down):
                base = {0: "at", 1: "at * 2"}[p.level - at[picture]]
                args.append(f"texel({picture}, {base} + ivec2({across}, {down})).{'xyzw'[: param.type.size]}")
            case Number(name=number):
                args.append(number)
            case Between(picture=picture):
                args.append(f"between({picture}, at).{'xyzw'[: param.type.size]}")
    call = f"{name}({', '.join(args)})"
    written = call if p.function.tree.returns.size == 4 else f"vec4({call}, 1.0)"
    lines = [
        "#version 300 es",
        "precision highp float;",
        "precision highp int;",
        "precision highp sampler2D;",
        *(f"uniform sampler2D {i};" for i in p.pictures),
        *(f"uniform {'float' if n == 1 else f'vec{n}'} {name};" for name, n in given.items()),
        "uniform vec2 size;",
        "out vec4 written;",
        printer.source(),
        # Rows count from the top on the CPU and from the bottom in GL.
        "vec4 texel(sampler2D from, ivec2 at) {",
        "  ivec2 most = textureSize(from, 0) - 1;",
        "  ivec2 held = clamp(at, ivec2(0), most);",
        "  return texelFetch(from, ivec2(held.x, most.y - held.y), 0);",
        "}",
        "vec4 between(sampler2D from, ivec2 at) {",
        "  ivec2 a = (at + 1) / 2 - 1;",
        "  vec2 part = mix(vec2(0.75), vec2(0.25), vec2(at & 1));",
        "  vec4 upper = mix(texel(from, a), texel(from, a + ivec2(1, 0)), part.x);",
        "  vec4 lower = mix(texel(from, a + ivec2(0, 1)), texel(from, a + 1), part.x);",
        "  return mix(upper, lower, part.y);",
        "}",
        "void main() {",
        "  ivec2 at = ivec2(int(gl_FragCoord.x), int(size.y) - 1 - int(gl_FragCoord.y));",
        f"  written = {written};",
        "}",
        "",
    ]
    return {
        "output": p.output,
        "level": p.level,
        "fragment": "\n".join(lines),
        "inputs": p.pictures,
        "numbers": list(given),
    }
