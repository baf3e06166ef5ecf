"""Full-screen passes, described once and run on both sides.

A pass is a shade function whose arguments are texels of earlier pictures at fixed offsets,
numbers, or where the pixel is. The CPU gathers the texels with NumPy; the browser gets GLSL.
Pictures lie on levels: level n is 2ⁿ times smaller than the frame, rounded up.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.effect.document import Stage
from whorl.fields import screen
from whorl.plan.evaluate import run
from whorl.shade import Unchecked
from whorl.shade.glsl import GlslPrinter
from whorl.shade.kernel import Argument, Floats
from whorl.shade.specialise import Fixed

Picture = NDArray[np.float32]  # (4, height, width), row 0 at the top


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
class Part:
    """How far, 0..1, the pixel lies between the texels of the level above it."""


@dataclass(frozen=True)
class Place:
    """The pixel's middle, counted in picture widths or heights, whichever is less."""


@dataclass(frozen=True)
class Filter:
    """One pass: what it writes, on which level, and what its function is given."""

    output: str
    level: int
    function: Unchecked
    args: tuple[Texel | Number | Part | Place, ...]
    fixed: Fixed = ()


def _square(picture: str) -> tuple[Texel, ...]:
    return tuple(Texel(picture, x, y) for y in (0, 1) for x in (0, 1))


def backdrop(stage: Stage) -> Filter:
    """What is drawn before the effect."""
    kind = screen.CHECKER if stage.backdrop.kind == "checker" else screen.PLAIN
    return Filter("scene", 0, screen.backdrop, (Place(), Number("backdrop", 3)), (("kind", kind),))


def finish(stage: Stage) -> list[Filter]:
    """Bloom as a pyramid of so many levels, then exposure and tone mapping."""
    most = stage.bloom.radius
    passes: list[Filter] = []
    for level in range(1, most + 1):
        raw = f"raw{level}"
        if level == 1:
            passes.append(Filter(raw, 1, screen.bright, (*_square("scene"), Number("threshold"))))
        else:
            passes.append(Filter(raw, level, screen.halved, _square(f"blur{level - 1}")))
        along = tuple(Texel(raw, x, 0) for x in range(-2, 3))
        down = tuple(Texel(f"along{level}", 0, y) for y in range(-2, 3))
        passes.append(Filter(f"along{level}", level, screen.blurred, along))
        passes.append(Filter(f"blur{level}", level, screen.blurred, down))
    last = f"blur{most}"
    for level in range(most - 1, 0, -1):
        args = (Texel(f"blur{level}"), *_square(last), Part())
        passes.append(Filter(f"wide{level}", level, screen.widened, args))
        last = f"wide{level}"
    args = (Texel("scene"), *_square(last), Part(), Number("exposure"), Number("strength"), Number("bare"))
    passes.append(Filter("picture", 0, screen.finished, args))
    return passes


def numbers(stage: Stage, bare: bool) -> dict[str, tuple[float, ...]]:
    """What the passes' numbers are for a stage."""
    return {
        "backdrop": tuple(stage.backdrop.colour),
        "threshold": (stage.bloom.threshold,),
        "exposure": (stage.exposure,),
        # Every level adds its share, so a wider bloom is not a brighter one.
        "strength": (stage.bloom.strength / stage.bloom.radius,),
        "bare": (1.0 if bare else 0.0,),
    }


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
        args = [_argument(a, p, at, pictures, values, w, h) for a in p.args]
        out = np.empty((4, h, w), np.float32)
        run(p.function, p.fixed, args, w * h, list(out.reshape(4, -1)))
        pictures[p.output] = out


def _argument(
    arg: Texel | Number | Part | Place,
    p: Filter,
    at: dict[str, int],
    pictures: dict[str, Picture],
    values: dict[str, tuple[float, ...]],
    w: int,
    h: int,
) -> Argument:
    match arg:
        case Texel(picture=name, across=across, down=down):
            steps = p.level - at[name]
            rows = _along(pictures[name], 1, steps, down, h)
            return [np.ascontiguousarray(c).reshape(-1) for c in _along(rows, 2, steps, across, w)]
        case Number(name=name):
            return values[name]
        case Part():
            fx, fy = (np.where(np.arange(n) % 2 == 1, 0.25, 0.75) for n in (w, h))
            return _spread(fx, fy)
        case Place():
            least = min(w, h)
            return _spread((np.arange(w) + 0.5) / least, (np.arange(h) + 0.5) / least)


def _along(source: Picture, axis: int, steps: int, offset: int, n: int) -> Picture:
    """`n` texels along an axis, from so many levels up, an offset on; edges repeat."""
    if steps == 0 and offset == 0:
        return source
    last = source.shape[axis] - 1
    i = np.arange(n)
    base = i if steps == 0 else i * 2 if steps > 0 else (i + 1) // 2 - 1
    wanted = np.clip(base + offset, 0, last)
    return source.take(wanted, axis=axis)


def _spread(x: NDArray[Any], y: NDArray[Any]) -> list[Floats]:
    grid = np.broadcast_arrays(x[None, :], y[:, None])
    return [np.ascontiguousarray(g, np.float32).reshape(-1) for g in grid]


# --- in the browser ---------------------------------------------------------------------

QUAD_VERTEX = """#version 300 es
in vec3 position;
void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }
"""


def described(passes: list[Filter]) -> list[dict[str, Any]]:
    """Passes as the browser takes them: GLSL, inputs, level and numbers."""
    at = levels(passes)
    return [_described(p, at) for p in passes]


def _described(p: Filter, at: dict[str, int]) -> dict[str, Any]:
    printer = GlslPrinter()
    name = printer.need(p.function, p.fixed)
    inputs = sorted({a.picture for a in p.args if isinstance(a, Texel)})
    given = {a.name: a.size for a in p.args if isinstance(a, Number)}
    args = []
    for a in p.args:
        match a:
            case Texel(picture=picture, across=across, down=down):
                base = {0: "at", 1: "at * 2", -1: "(at + 1) / 2 - 1"}[p.level - at[picture]]
                args.append(f"texel({picture}, {base} + ivec2({across}, {down}))")
            case Number(name=number):
                args.append(number)
            case Part():
                args.append("vec2((at.x & 1) == 1 ? 0.25 : 0.75, (at.y & 1) == 1 ? 0.25 : 0.75)")
            case Place():
                args.append("(vec2(at) + 0.5) / min(size.x, size.y)")
    lines = [
        "#version 300 es",
        "precision highp float;",
        "precision highp int;",
        "precision highp sampler2D;",
        *(f"uniform sampler2D {i};" for i in inputs),
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
        "void main() {",
        "  ivec2 at = ivec2(int(gl_FragCoord.x), int(size.y) - 1 - int(gl_FragCoord.y));",
        f"  written = {name}({', '.join(args)});",
        "}",
        "",
    ]
    return {
        "output": p.output,
        "level": p.level,
        "fragment": "\n".join(lines),
        "inputs": inputs,
        "numbers": list(given),
    }
