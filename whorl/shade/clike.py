"""The walk that C-like languages share; what differs between them is a `Dialect`, one small table a language."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from whorl.shade.builtins import Builtin
from whorl.shade.function import Unchecked
from whorl.shade.printer import Printer, name_of
from whorl.shade.specialise import Fixed, bound, specialise
from whorl.shade.tree import (
    Assign,
    Binary,
    CallBuiltin,
    CallShade,
    Choice,
    Construct,
    Expr,
    Field,
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
from whorl.shade.types import BOOL, F32, IMAGE, U32, VEC4, ShadeType

#: How closely operators bind: bits, `and` and `or` have no levels that all languages agree on.
_LOOSE, _COMPARED, _UNARY, _WHOLE = 0, 1, 5, 6
_LEVELS = {
    **dict.fromkeys(("<", "<=", ">", ">=", "==", "!="), _COMPARED),
    "+": 2,
    "-": 2,
    "*": 3,
    "/": 3,
    "//": 3,
    "%": 3,
}

#: A remainder by the sign of what divides, for languages whose own goes by the sign of what is divided.
FLOORED = "(({0}) - ({1}) * floor(({0}) / ({1})))"
#: Names of types in the languages that count the parts of a float.
FLOATS = {
    "f32": "float",
    "i32": "int",
    "u32": "uint",
    "bool": "bool",
    "Vec2": "float2",
    "Vec3": "float3",
    "Vec4": "float4",
}


@dataclass(frozen=True, eq=False)
class Dialect:
    """One C-like language. Templates name what they take in braces.

    `types` are the names of the shading language's types, also as constructors; `taken` the words that are free in
    Python and not here; `builtins` those functions that have another name, or template of their call, than in GLSL.
    A template is a format string: `declare` of a variable or parameter, `local` and `begun` of a local without and
    with its first value, `table` of eight rows, `head` of a function, `loop` over a counter, `choice` between two
    values, `kept` of a value under a name and `constant` of one that is known beforehand, `rows` of a table's value,
    `made` of a record, and how a value changes from one pixel to the next, `across`, `along` and both, `width`.
    """

    types: Mapping[str, str]
    taken: frozenset[str]
    words: Mapping[str, str] = field(default_factory=lambda: {"and": "&&", "or": "||", "not": "!", "//": "/"})
    builtins: Mapping[str, str] = field(default_factory=dict)
    declare: str = "{type} {name}"
    local: str = "{type} {name};"
    begun: str = "{type} {name} = {value};"
    table: str = "{row} {name}[{rows}]"
    head: str = "{returns} {name}({params})"
    loop: str = "for (int {name} = {start}; {name} < {stop}; {name}++)"
    choice: str = "{test} ? {yes} : {no}"
    unsigned: str = "{value}u"
    record: str = "struct {name} {{ {fields} }};"
    part: str = "{declared};"
    image: str = "highp sampler2D {name}"
    kept: str = "{type} {name} = {value};"
    constant: str = "const {type} {name} = {value};"
    table_constant: str = "const {row} {name}[{rows}] = {value};"
    rows: str = "{row}[{count}]({values})"
    made: str = "{type} {name} = {type}({args});"
    across: str = "dFdx({0})"
    along: str = "dFdy({0})"
    width: str = "fwidth({0})"
    #: A vector of one number, all of whose components it is.
    splat: str = "{type}({value})"
    #: Whether a built-in that acts on each component takes vectors alone.
    splats: bool = False
    #: By how much bits are shifted.
    shift: str = "{0}"

    def declared(self, t: ShadeType, name: str) -> str:
        """A declaration without its semicolon."""
        if t.rows:
            return self.table.format(row=self.types["Vec4"], name=name, rows=t.rows)
        if t == IMAGE:
            return self.image.format(name=name)
        return self.declare.format(type=self.named(t), name=name)

    def named(self, t: ShadeType) -> str:
        """A type's name here."""
        return t.name if t.fields else self.types[t.name]

    def declared_record(self, t: ShadeType) -> str:
        """The declaration of a record."""
        fields = " ".join(self.part.format(declared=self.declared(kind, self.safe(name))) for name, kind in t.fields)
        return self.record.format(name=t.name, fields=fields)

    def safe(self, name: str) -> str:
        """A name that is free here."""
        return name + "_" if name in self.taken else name

    def literal(self, value: float) -> str:
        """A float."""
        text = repr(float(value))
        return text if "." in text or "e" in text else text + ".0"

    def builtin(self, b: Builtin) -> str:
        """The name of a built-in function, or a template of its call."""
        return self.builtins.get(b.name, b.glsl)

    def expr(self, e: Expr) -> str:
        """An expression."""
        match e:
            case Literal(type=t, value=value):
                if t == BOOL:
                    return "true" if value else "false"
                if t == F32:
                    return self.literal(value)
                return self.unsigned.format(value=value) if t == U32 else str(value)
            case Name(id=name):
                return self.safe(name)
            case Unary(op=op, operand=a):
                return f"{self.words.get(op, op)}{self.within(a, _UNARY)}"
            case Binary(op=op, left=a, right=b):
                level = _LEVELS.get(op, _LOOSE)
                # Of equals the left one is reckoned first; operators without a level keep their brackets.
                left = self.within(a, level if level > _COMPARED else _UNARY)
                right = self.within(b, level + 1 if level > _COMPARED else _UNARY)
                if op in ("<<", ">>"):
                    right = self.shift.format(right)
                return f"{left} {self.words.get(op, op)} {right}"
            case Choice(test=test, then=a, otherwise=b):
                return self.choice.format(
                    test=self.expr(test), yes=self.within(a, _LOOSE + 1), no=self.within(b, _LOOSE + 1)
                )
            case CallBuiltin(type=t, builtin=b, args=args):
                given = [self.expr(a) for a in args]
                if self.splats and b.each and t.is_vector:
                    given = [
                        g if a.type.is_vector else self.constructed(t, g) for a, g in zip(args, given, strict=True)
                    ]
                return self.call(b, given)
            case CallShade(function=f, args=args):
                return f"{self.safe(name_of(f, bound(e)))}({', '.join(map(self.expr, args))})"
            case Construct(type=t, args=args):
                if len(args) == 1 and t.is_vector and args[0].type.size == 1:
                    return self.constructed(t, self.expr(args[0]))
                return f"{self.named(t)}({', '.join(map(self.expr, args))})"
            case Field(of=of, name=name):
                return f"{self.within(of, _WHOLE)}.{self.safe(name)}"
            case Swizzle(of=of, letters=letters):
                return f"{self.within(of, _WHOLE)}.{letters}"
            case Row(table=table, index=index):
                return f"{self.within(table, _WHOLE)}[{self.expr(index)}]"

    def within(self, e: Expr, level: int) -> str:
        """An expression as a part of one that binds so closely: in brackets where it does so less."""
        text = self.expr(e)
        return f"({text})" if self.closeness(e) < level else text

    def closeness(self, e: Expr) -> int:
        """How closely an expression holds together."""
        match e:
            case Binary(op=op):
                return _LEVELS.get(op, _LOOSE)
            case Unary():
                return _UNARY - 1
            case Choice():
                return _LOOSE if self.choice.startswith("{test}") else _WHOLE
            case CallBuiltin(builtin=b):
                return _LOOSE if self.builtin(b).startswith("{") and " " in self.builtin(b) else _WHOLE
            case Literal(value=value):
                return _WHOLE if value >= 0 else _UNARY - 1
            case Construct() if self.splat.startswith("({"):
                return _UNARY
        return _WHOLE

    def call(self, b: Builtin, given: Sequence[str]) -> str:
        """A call of a built-in function."""
        called = self.builtin(b)
        return called.format(*given) if "{" in called else f"{called}({', '.join(given)})"

    def constructed(self, t: ShadeType, value: str) -> str:
        """A vector, all of whose components are one number."""
        return self.splat.format(type=self.named(t), value=value)

    def fixed(self, t: ShadeType, name: str, values: Sequence[float]) -> str:
        """A number, vector or table that never changes, under a name."""
        if not t.rows:
            return self.constant.format(type=self.named(t), name=name, value=self.number(t, values))
        row = self.named(VEC4)
        each = ", ".join(self.number(VEC4, values[4 * i : 4 * i + 4]) for i in range(t.rows))
        value = self.rows.format(row=row, count=t.rows, values=each)
        return self.table_constant.format(row=row, name=name, rows=t.rows, value=value)

    def number(self, t: ShadeType, values: Sequence[float]) -> str:
        """A number or vector as it is written."""
        inner = ", ".join(map(self.literal, values))
        return inner if t.size == 1 else f"{self.named(t)}({inner})"

    def block(self, body: tuple[Stmt, ...], indent: str, begins: Mapping[int, ShadeType] = {}) -> list[str]:
        """Statements, a line each; those that `begin` a local, by their place, declare it."""
        lines: list[str] = []
        for i, s in enumerate(body):
            match s:
                case Assign(name=name, value=value) if i in begins:
                    kind = self.named(begins[i])
                    lines.append(indent + self.begun.format(type=kind, name=self.safe(name), value=self.expr(value)))
                case Assign(name=name, value=value):
                    lines.append(f"{indent}{self.safe(name)} = {self.expr(value)};")
                case Return(value=value):
                    lines.append(f"{indent}return {self.expr(value)};")
                case If(test=test, then=then, otherwise=otherwise):
                    lines += [f"{indent}if ({self.expr(test)}) {{", *self.block(then, indent + "  ")]
                    if otherwise:
                        lines += [f"{indent}}} else {{", *self.block(otherwise, indent + "  ")]
                    lines.append(f"{indent}}}")
                case For(name=name, start=start, stop=stop, body=inner):
                    head = self.loop.format(name=name, start=self.expr(start), stop=self.expr(stop))
                    lines += [f"{indent}{head} {{", *self.block(inner, indent + "  "), f"{indent}}}"]
        return lines


class CLikePrinter(Printer):
    """Prints functions in a dialect; loops stay loops, since some drivers take seconds over unrolled code."""

    def __init__(self, dialect: Dialect) -> None:
        super().__init__()
        self.dialect = dialect

    def function(self, name: str, function: Unchecked, fixed: Fixed) -> str:
        return _function(self.dialect, name, function, fixed, self.unroll)

    def source(self) -> str:
        return "\n".join([*map(self.dialect.declared_record, self.records.values()), *self.printed.values()])


@lru_cache(maxsize=4096)
def _function(d: Dialect, name: str, function: Unchecked, fixed: Fixed, unroll: int) -> str:
    tree = function.tree
    body = specialise(tree, fixed, unroll)
    params = ", ".join(d.declared(p.type, d.safe(p.name)) for p in tree.params if not p.fixed)
    used, begins = _begun(body, tree.locals)
    lines = [d.head.format(returns=d.named(tree.returns), name=d.safe(name), params=params) + " {"]
    lines += ["  " + d.local.format(type=d.named(t), name=d.safe(n)) for n, t in tree.locals.items() if n in used]
    lines += d.block(body, "  ", begins)
    return "\n".join([*lines, "}", ""])


def _begun(body: tuple[Stmt, ...], kinds: Mapping[str, ShadeType]) -> tuple[set[str], dict[int, ShadeType]]:
    """Locals that have to be declared beforehand, and which statements are the first of the others."""
    before: set[str] = set()
    begins: dict[int, ShadeType] = {}
    seen: set[str] = set()
    for i, s in enumerate(body):
        names = _assigned((s,))
        if isinstance(s, Assign) and s.name not in seen:
            begins[i] = kinds[s.name]
        else:
            before |= names - seen
        seen |= names
    return before, begins


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
