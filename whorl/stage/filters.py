"""Full-screen passes, described once and run on both sides.

A pass is a shade function whose arguments are texels of earlier pictures at fixed offsets
or numbers. The CPU runs the function's kernel row by row; the browser gets GLSL.
Pictures lie on levels: level n is 2ⁿ times smaller than the frame, rounded up.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from math import log2
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
    """A number by its name: one of `numbers`, the pass's `level`, or how many pixels the picture is `across`."""

    name: str


@dataclass(frozen=True)
class Between:
    """A picture of the level above, drawn up to this one: bilinear between its texels."""

    picture: str


Arg = Texel | Between | Number


@dataclass(frozen=True)
class Filter:
    """One pass: what it writes, on which level, and what its function is given.

    It is run only for pictures of more pixels on their lesser side than `above`; what was not written is black.
    """

    output: str
    level: int
    function: Unchecked
    args: tuple[Arg, ...]
    above: float = 0.0
    fixed: Fixed = ()

    @property
    def pictures(self) -> list[str]:
        """The pictures it reads."""
        return sorted({a.picture for a in self.args if isinstance(a, Texel | Between)})


#: Pixels on the lesser side of the largest picture whose bloom is whole.
LARGEST = 16384


def _square(picture: str) -> tuple[Texel, ...]:
    return tuple(Texel(picture, x, y) for y in (0, 1) for x in (0, 1))


def finish(stage: Stage) -> list[Filter]:
    """Bloom as a pyramid of levels, then exposure and tone mapping, for pictures of all sizes up to LARGEST."""
    return list(_finish(stage.bloom.radius))


@cache
def _finish(radius: int) -> tuple[Filter, ...]:
    most = radius + int(log2(LARGEST / screen.WHOLE))
    # A level has a share where the bloom reaches over the one before it; see `screen.share`.
    above = {level: screen.WHOLE * 2.0 ** (level - 1 - radius) if level > 1 else 0.0 for level in range(1, most + 1)}
    # Left as it is: what later levels add is wide enough to hide its texels.
    passes = [Filter("blur1", 1, screen.bright, (*_square("scene"), Number("threshold")))]
    for level in range(2, most + 1):
        raw, along, over = f"raw{level}", f"along{level}", above[level]
        passes.append(Filter(raw, level, screen.halved, _square(f"blur{level - 1}"), over))
        passes.append(Filter(along, level, screen.blurred, tuple(Texel(raw, x, 0) for x in range(-2, 3)), over))
        down = tuple(Texel(along, 0, y) for y in range(-2, 3))
        passes.append(Filter(f"blur{level}", level, screen.blurred, down, over))
    share = (Number("level"), Number("across"), Number("radius"))
    passes.append(Filter(f"wide{most}", most, screen.widest, (Texel(f"blur{most}"), *share), above[most]))
    for level in range(most - 1, 0, -1):
        args = (Texel(f"blur{level}"), Between(f"wide{level + 1}"), *share)
        passes.append(Filter(f"wide{level}", level, screen.widened, args, above[level]))
    given = (Number("exposure"), Number("strength"), Number("bare"))
    passes.append(Filter("picture", 0, screen.finished, (Texel("scene"), Between("wide1"), *given)))
    return tuple(passes)


def numbers(stage: Stage, bare: bool, moved: Mapping[str, float] | None = None) -> dict[str, float]:
    """What the passes' numbers are for a stage, some of them `moved`, but for those of a pass and of a picture."""
    own: dict[str, Any] = {
        "threshold": stage.bloom.threshold,
        "exposure": stage.exposure,
        "strength": stage.bloom.strength,
        "radius": stage.bloom.radius,
        "bare": 1.0 if bare else 0.0,
    }
    return {name: float((moved or {}).get(name, value)) for name, value in own.items()}


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
    passes: list[Filter], pictures: dict[str, Picture], values: Mapping[str, float], width: int, height: int
) -> None:
    """Run passes in order; each adds its output to `pictures`, and what is not drawn at this size as black."""
    at, across = levels(passes), min(width, height)
    for p in passes:
        if across <= p.above:
            continue
        own = {**values, "level": float(p.level), "across": float(across)}
        for name in p.pictures:
            if name not in pictures:
                wide, high = size_at(width, height, at[name])
                pictures[name] = np.zeros((3, high, wide), np.float32)
        w, h = size_at(width, height, p.level)
        out = np.empty((p.function.tree.returns.size, h, w), np.float32)
        numbers = [own[a.name] for a in p.args if isinstance(a, Number)]
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


def described(passes: list[Filter]) -> dict[str, list[dict[str, Any]]]:
    """Passes as the browser takes them: programs, and for each pass which of them it is run with, and on what.

    Pictures go into a program's samplers in their order, so that all levels are made by the same few.
    """
    at = levels(passes)
    filters: list[dict[str, Any]] = []
    out = []
    for p in passes:
        made = _described(p, at)
        if made not in filters:
            filters.append(made)
        own = {"output": p.output, "level": p.level, "above": p.above, "filter": filters.index(made)}
        out.append({**own, "inputs": p.pictures})
    return {"filters": filters, "passes": out}


def _described(p: Filter, at: dict[str, int]) -> dict[str, Any]:
    printer = GlslPrinter()
    name = printer.need(p.function, p.fixed)
    given = [a.name for a in p.args if isinstance(a, Number)]
    samplers = {picture: f"from_{i}" for i, picture in enumerate(p.pictures)}
    args = []
    params = [q for q in p.function.tree.params if not q.fixed]
    for a, param in zip(p.args, params, strict=True):
        match a:
            case Texel(picture=picture, across=across, down=down):
                base = {0: "at", 1: "at * 2"}[p.level - at[picture]]
                texel = f"texel({samplers[picture]}, {base} + ivec2({across}, {down}))"
                args.append(f"{texel}.{'xyzw'[: param.type.size]}")
            case Number(name=number):
                args.append(number)
            case Between(picture=picture):
                args.append(f"between({samplers[picture]}, at).{'xyzw'[: param.type.size]}")
    call = f"{name}({', '.join(args)})"
    written = call if p.function.tree.returns.size == 4 else f"vec4({call}, 1.0)"
    lines = [
        "#version 300 es",
        "precision highp float;",
        "precision highp int;",
        "precision highp sampler2D;",
        *(f"uniform sampler2D {name};" for name in samplers.values()),
        *(f"uniform float {name};" for name in given),
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
    return {"fragment": "\n".join(lines), "samplers": list(samplers.values()), "numbers": given}
