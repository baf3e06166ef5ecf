"""Full-screen passes, described once and run on both sides.

A pass is a shade function whose arguments are texels of earlier pictures at fixed offsets,
numbers, or where the pixel is. The CPU gathers the texels with NumPy; the browser gets GLSL.
Pictures lie on levels: level n is 2ⁿ times smaller than the frame, rounded up.
"""

import threading
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from whorl.effect.document import Stage
from whorl.fields import screen
from whorl.plan.evaluate import run
from whorl.shade import Unchecked
from whorl.shade.glsl import GlslPrinter
from whorl.shade.kernel import Argument, Floats
from whorl.shade.specialise import Fixed

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
class Part:
    """How far, 0..1, the pixel lies between the texels of the level above it."""


@dataclass(frozen=True)
class Place:
    """The pixel's middle, counted in picture widths or heights, whichever is less."""


Arg = Texel | Number | Part | Place


@dataclass(frozen=True)
class Filter:
    """One pass: what it writes, on which level, and what its function is given."""

    output: str
    level: int
    function: Unchecked
    args: tuple[Arg, ...]
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
        wide: tuple[Arg, ...] = (Texel(f"blur{level}"), *_square(last), Part())
        passes.append(Filter(f"wide{level}", level, screen.widened, wide))
        last = f"wide{level}"
    glow: tuple[Arg, ...] = (Texel("scene"), *_square(last), Part())
    given = (Number("exposure"), Number("strength"), Number("bare"))
    passes.append(Filter("picture", 0, screen.finished, (*glow, *given)))
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
        out = np.empty((p.function.tree.returns.size, h, w), np.float32)
        params = [q for q in p.function.tree.params if not q.fixed]
        rows = max(1, BAND // w)
        for top in range(0, h, rows):
            n = min(rows, h - top)
            taken = 0
            args: list[Argument] = []
            for arg, param in zip(p.args, params, strict=True):
                size = param.type.size
                if isinstance(arg, Number):
                    args.append(values[arg.name])
                elif isinstance(arg, Texel) and (at[arg.picture], arg.across, arg.down) == (p.level, 0, 0):
                    args.append(_rows(pictures[arg.picture][:size], top, n))
                else:
                    band = _memory(taken + size, n * w)[taken:]
                    taken += size
                    _fill(arg, p, at, pictures, band.reshape(-1, n, w), top, min(width, height))
                    args.append(list(band))
            run(p.function, p.fixed, args, n * w, _rows(out, top, n))
        pictures[p.output] = out


def _rows(picture: Picture, top: int, n: int) -> list[Floats]:
    """Some rows of each component, as they lie in memory."""
    return [c[top : top + n].reshape(-1) for c in picture]


#: Samples in one band of rows; what is gathered for it stays in the second-level cache.
BAND = 32768


class _Gathered(threading.local):
    """Memory for gathered texels, kept by each thread."""

    rows = np.empty((0, 0), np.float32)


_GATHERED = _Gathered()


def _memory(rows: int, n: int) -> NDArray[np.float32]:
    """So many contiguous rows of `n` floats; what earlier rows hold is kept."""
    have = _GATHERED.rows
    if have.shape[0] < rows or have.shape[1] != n:
        fresh = np.empty((max(rows, 32), n), np.float32)
        if have.shape[1] == n:
            fresh[: have.shape[0]] = have
        _GATHERED.rows = have = fresh
    return have[:rows]


def _fill(
    arg: Texel | Part | Place,
    p: Filter,
    at: dict[str, int],
    pictures: dict[str, Picture],
    band: NDArray[np.float32],
    top: int,
    least: int,
) -> None:
    n, w = band.shape[1:]
    if isinstance(arg, Texel):
        _gather(pictures[arg.picture], p.level - at[arg.picture], arg.across, arg.down, top, band)
        return
    xs, ys = np.arange(w), np.arange(top, top + n)
    if isinstance(arg, Part):
        band[0], band[1] = np.where(xs % 2 == 1, 0.25, 0.75), np.where(ys % 2 == 1, 0.25, 0.75)[:, None]
    else:
        band[0], band[1] = (xs + 0.5) / least, ((ys + 0.5) / least)[:, None]


@njit(cache=True, nogil=True, inline="always")
def _held(x, steps, across, last):  # type: ignore[no-untyped-def]
    base = x if steps == 0 else (x * 2 if steps > 0 else (x + 1) // 2 - 1)
    return min(max(base + across, 0), last)


@njit(cache=True, nogil=True)
def _line(line, steps, across, last, to):  # type: ignore[no-untyped-def]
    # Away from the edges there is nothing to clamp, and plain loops run many texels at a time.
    w = len(to)
    if steps == 0:
        first, end = max(0, -across), min(w, last + 1 - across)
        for x in range(first, end):
            to[x] = line[x + across]
    elif steps > 0:
        first, end = max(0, (1 - across) // 2), min(w, (last - across) // 2 + 1)
        for x in range(first, end):
            to[x] = line[2 * x + across]
    else:
        first, end = max(0, 2 * (1 - across)), min(w, 2 * (last - across)) // 2 * 2
        for k in range(first // 2, end // 2):
            to[2 * k] = line[k - 1 + across]
            to[2 * k + 1] = line[k + across]
    for x in range(min(first, w)):
        to[x] = line[_held(x, steps, across, last)]
    for x in range(max(end, 0), w):
        to[x] = line[_held(x, steps, across, last)]


@njit(cache=True, nogil=True)
def _gather(source, steps, across, down, top, band):  # type: ignore[no-untyped-def]
    """Texels of a picture, from so many levels up and so far aside, for rows from `top`; edges repeat."""
    last_y, last_x = source.shape[1] - 1, source.shape[2] - 1
    before = -1
    for j in range(band.shape[1]):
        y = j + top
        row = _held(y, steps, down, last_y)
        for c in range(band.shape[0]):
            # Going up, two rows in a row come from one.
            if row == before:
                band[c, j] = band[c, j - 1]
            else:
                _line(source[c, row], steps, across, last_x, band[c, j])
        before = row


# --- in the browser ---------------------------------------------------------------------


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
    params = [q for q in p.function.tree.params if not q.fixed]
    for a, param in zip(p.args, params, strict=True):
        match a:
            case Texel(picture=picture, across=across, down=down):
                base = {0: "at", 1: "at * 2", -1: "(at + 1) / 2 - 1"}[p.level - at[picture]]
                args.append(f"texel({picture}, {base} + ivec2({across}, {down})).{'xyzw'[: param.type.size]}")
            case Number(name=number):
                args.append(number)
            case Part():
                args.append("vec2((at.x & 1) == 1 ? 0.25 : 0.75, (at.y & 1) == 1 ? 0.25 : 0.75)")
            case Place():
                args.append("(vec2(at) + 0.5) / min(size.x, size.y)")
    call = f"{name}({', '.join(args)})"
    written = call if p.function.tree.returns.size == 4 else f"vec4({call}, 1.0)"
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
        f"  written = {written};",
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
