"""Shade functions as GLSL ES 3.00."""

from functools import lru_cache

from whorl.shade.function import Unchecked
from whorl.shade.printer import Printer, name_of
from whorl.shade.specialise import Fixed, bound
from whorl.shade.tree import (
    Assign,
    Binary,
    CallBuiltin,
    CallShade,
    Choice,
    Construct,
    Expr,
    For,
    If,
    Literal,
    Name,
    Return,
    Row,
    Stmt,
    Swizzle,
    Unary,
)
from whorl.shade.types import BOOL, F32, TABLE8, U32, ShadeType

TYPES = {
    "f32": "float",
    "i32": "int",
    "u32": "uint",
    "bool": "bool",
    "Vec2": "vec2",
    "Vec3": "vec3",
    "Vec4": "vec4",
}
_WORDS = {"and": "&&", "or": "||", "not": "!", "//": "/"}
# Names that are free in Python and taken in GLSL.
#: Words that GLSL ES 3.00 uses or keeps (section 3.8 of its specification), which Python does not.
_TAKEN = frozenset(
    """
    active asm attribute buffer case cast centroid char coherent common const default discard do double enum
    extern external filter fixed flat goto half highp hvec2 hvec3 hvec4 in inline inout input interface invariant
    layout long lowp mediump namespace noinline out output packed partition patch precision precise public
    readonly resource restrict sample sampler shared short signed sizeof smooth static struct subroutine
    superp switch template this typedef uniform union unsigned using varying void volatile writeonly
    """.split()  # noqa: SIM905 - as a list it would be a page long
)


def declare(t: ShadeType, name: str) -> str:
    """A declaration without its semicolon."""
    return f"vec4 {name}[8]" if t == TABLE8 else f"{TYPES[t.name]} {name}"


def literal(value: float) -> str:
    """A float as GLSL writes it."""
    text = repr(float(value))
    return text if "." in text or "e" in text else text + ".0"


def safe(name: str) -> str:
    return name + "_" if name in _TAKEN else name


class GlslPrinter(Printer):
    """Prints functions; loops stay loops, since some drivers take seconds over unrolled code."""

    def function(self, name: str, function: Unchecked, body: tuple[Stmt, ...]) -> str:
        return _function(name, function, body)


@lru_cache(maxsize=4096)
def _function(name: str, function: Unchecked, body: tuple[Stmt, ...]) -> str:
    tree = function.tree
    params = ", ".join(declare(p.type, safe(p.name)) for p in tree.params if not p.fixed)
    used = _assigned(body)
    lines = [f"{TYPES[tree.returns.name]} {name}({params}) {{"]
    lines += [f"  {declare(t, safe(n))};" for n, t in tree.locals.items() if n in used]
    lines += block(body, "  ")
    return "\n".join([*lines, "}", ""])


def _assigned(body: tuple[Stmt, ...]) -> set[str]:
    names: set[str] = set()
    for s in body:
        match s:
            case Assign(name=n):
                names.add(n)
            case If(then=then, otherwise=otherwise):
                names |= _assigned(then) | _assigned(otherwise)
            case For(body=inner):
                names |= _assigned(inner)
    return names


def block(body: tuple[Stmt, ...], indent: str) -> list[str]:
    lines: list[str] = []
    for s in body:
        match s:
            case Assign(name=name, value=value):
                lines.append(f"{indent}{safe(name)} = {expr(value)};")
            case Return(value=value):
                lines.append(f"{indent}return {expr(value)};")
            case If(test=test, then=then, otherwise=otherwise):
                lines += [f"{indent}if ({expr(test)}) {{", *block(then, indent + "  ")]
                if otherwise:
                    lines += [f"{indent}}} else {{", *block(otherwise, indent + "  ")]
                lines.append(f"{indent}}}")
            case For(name=name, start=start, stop=stop, body=inner):
                head = f"for (int {name} = {expr(start)}; {name} < {expr(stop)}; {name}++)"
                lines += [f"{indent}{head} {{", *block(inner, indent + "  "), f"{indent}}}"]
    return lines


def expr(e: Expr) -> str:
    match e:
        case Literal(type=t, value=value):
            if t == BOOL:
                return "true" if value else "false"
            return literal(value) if t == F32 else f"{value}u" if t == U32 else str(value)
        case Name(id=name):
            return safe(name)
        case Unary(op=op, operand=a):
            return f"({_WORDS.get(op, op)}{expr(a)})"
        case Binary(op=op, left=a, right=b):
            return f"({expr(a)} {_WORDS.get(op, op)} {expr(b)})"
        case Choice(test=test, then=a, otherwise=b):
            return f"({expr(test)} ? {expr(a)} : {expr(b)})"
        case CallBuiltin(builtin=b, args=args):
            return f"{b.glsl}({', '.join(map(expr, args))})"
        case CallShade(function=f, args=args):
            return f"{name_of(f, bound(e))}({', '.join(map(expr, args))})"
        case Construct(type=t, args=args):
            return f"{TYPES[t.name]}({', '.join(map(expr, args))})"
        case Swizzle(of=of, letters=letters):
            return f"{expr(of)}.{letters}"
        case Row(table=table, index=index):
            return f"{expr(table)}[{expr(index)}]"


def glsl_of(function: Unchecked, fixed: Fixed = ()) -> str:
    """A shade function and all it calls, as GLSL."""
    printer = GlslPrinter()
    printer.need(function, fixed)
    return printer.source()
