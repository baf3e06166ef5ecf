"""Shade functions as Python source for Numba: scalars only, one operation a line.

Vectors fall apart into components, loops are laid out, and every integer operation is
wrapped back to 32 bits, since Numba would widen it and a widened loop does not vectorise.
Both sides of a conditional expression are computed, which they may be: shade functions
have no side effects.
"""

from collections.abc import Sequence

from whorl.shade.function import Unchecked
from whorl.shade.printer import Printer, name_of
from whorl.shade.specialise import bound
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
from whorl.shade.types import BOOL, F32, TABLE8, ShadeType

Atoms = list[str]


def components(name: str, t: ShadeType) -> Atoms:
    """The scalar names that stand for a variable."""
    if t == TABLE8:
        return [f"{name}_{row}_{c}" for row in range(8) for c in "xyzw"]
    return [name] if t.size == 1 else [f"{name}_{c}" for c in "xyzw"[: t.size]]


class NumbaPrinter(Printer):
    unroll = True

    def function(self, name: str, function: Unchecked, body: tuple[Stmt, ...]) -> str:
        return _Lowering(name, function).source(body)


class _Lowering:
    def __init__(self, name: str, function: Unchecked) -> None:
        self.name = name
        self.function = function
        self.lines: list[str] = []
        self.indent = "    "
        self.count = 0

    def source(self, body: tuple[Stmt, ...]) -> str:
        params = [c for p in self.function.tree.params if not p.fixed for c in components("v_" + p.name, p.type)]
        self.block(body)
        head = f"@njit(**INLINED)\ndef f_{self.name}({', '.join(params)}):"
        return "\n".join([head, *self.lines, ""])

    def emit(self, line: str) -> None:
        self.lines.append(self.indent + line)

    def temp(self, value: str) -> str:
        self.count += 1
        self.emit(f"t{self.count} = {value}")
        return f"t{self.count}"

    def block(self, body: tuple[Stmt, ...]) -> None:
        for s in body:
            match s:
                case Assign(name=name, value=value):
                    # All at once: `v = v.zyx` reads what it writes.
                    targets = ", ".join(components("v_" + name, value.type))
                    self.emit(f"{targets} = {', '.join(self.expr(value))}")
                case Return(value=value):
                    self.emit(f"return {', '.join(self.expr(value))}")
                case If(test=test, then=then, otherwise=otherwise):
                    self.emit(f"if {self.expr(test)[0]}:")
                    self.inner(then)
                    if otherwise:
                        self.emit("else:")
                        self.inner(otherwise)
                case For(name=name, start=start, stop=stop, body=inner):
                    self.emit(f"for w_{name} in range({self.expr(start)[0]}, {self.expr(stop)[0]}):")
                    self.inner((), f"v_{name} = i32(w_{name})")
                    self.inner(inner)

    def inner(self, body: tuple[Stmt, ...], first: str = "pass") -> None:
        self.indent += "    "
        if not body:
            self.emit(first)
        self.block(body)
        self.indent = self.indent[:-4]

    def expr(self, e: Expr) -> Atoms:
        match e:
            case Literal(type=t, value=value):
                return [str(value) if t == BOOL else f"{t.name}({value!r})"]
            case Name(type=t, id=name):
                return components("v_" + name, t)
            case Unary(type=t, op=op, operand=a):
                return [self.temp(self.scalar(t, f"{op} {x}")) for x in self.expr(a)]
            case Binary(type=t, op=op, left=a, right=b):
                left, right = self.expr(a), self.expr(b)
                pairs = zip(self.spread(left, t), self.spread(right, t), strict=True)
                return [self.temp(self.scalar(t, f"{x} {op} {y}")) for x, y in pairs]
            case Choice(test=test, then=a, otherwise=b):
                c = self.expr(test)[0]
                pairs = zip(self.expr(a), self.expr(b), strict=True)
                return [self.temp(f"{x} if {c} else {y}") for x, y in pairs]
            case CallBuiltin():
                return self.builtin(e)
            case CallShade(type=t, function=f, args=args):
                flat = [x for a in args for x in self.expr(a)]
                result = self.temp(f"f_{name_of(f, bound(e))}({', '.join(flat)})")
                return [result] if t.size == 1 else [self.temp(f"{result}[{i}]") for i in range(t.size)]
            case Construct(type=t, args=args):
                flat = [x for a in args for x in self.expr(a)]
                return [self.temp(f"{t.name}({flat[0]})")] if t.size == 1 else self.spread(flat, t)
            case Swizzle(of=of, letters=letters):
                parts = self.expr(of)
                return [parts["xyzw".index(c)] for c in letters]
            case Row(table=Name(id=name), index=Literal(value=i)):
                return [f"v_{name}_{i}_{c}" for c in "xyzw"]
        raise AssertionError(f"nothing prints {e}")

    @staticmethod
    def spread(atoms: Atoms, t: ShadeType) -> Atoms:
        return atoms * t.size if len(atoms) == 1 else atoms

    @staticmethod
    def scalar(t: ShadeType, text: str) -> str:
        # Floats stay float32 and comparisons stay bool of themselves; integers do not.
        if t.scalar in ("i32", "u32"):
            return f"{t.scalar}({text})"
        return text

    def builtin(self, e: CallBuiltin) -> Atoms:
        args: Sequence[Atoms] = [self.expr(a) for a in e.args]
        name = e.builtin.name
        if e.builtin.each:
            size = e.type.size
            rows = zip(*(a * size if len(a) == 1 else a for a in args), strict=True)
            return [self.temp(self.scalar(e.type, f"{name}_({', '.join(row)})")) for row in rows]
        if name == "cross":
            (ax, ay, az), (bx, by, bz) = args
            return [
                self.temp(f"{ay} * {bz} - {az} * {by}"),
                self.temp(f"{az} * {bx} - {ax} * {bz}"),
                self.temp(f"{ax} * {by} - {ay} * {bx}"),
            ]
        a, b = args[0], args[-1]
        total = self.temp(" + ".join(f"{x} * {y}" for x, y in zip(a, b, strict=True)))
        assert e.type == F32
        return [self.temp(f"sqrt_({total})") if name == "length" else total]
