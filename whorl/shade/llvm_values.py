"""LLVM instructions, written down by working with values as with numbers.

A `Value` is a 32-bit number or truth value inside a function that is being written: one for all samples that are
worked on together, or, where it is `wide`, a vector of one for each. Python's operators on values append instructions;
where one side is wide, so is the result. Types and rules are those of the LLVM language reference: integers wrap
around at 32 bits, and floats are free to be contracted and reordered.
"""

from __future__ import annotations

import struct

import numpy as np

from whorl.shade.exact import exact

#: Not 'nnan' and 'ninf': comparisons with huge numbers must keep their meaning.
_FREE = "nsz arcp contract afn"


def freedom() -> str:
    """What may be done to floats; nothing where the same pixels are wanted everywhere."""
    return "" if exact() else _FREE


#: LLVM's types by the scalar types of the shading language.
KINDS = {"f32": "float", "i32": "i32", "u32": "i32", "bool": "i1", "image": "ptr"}


def row(kind: str, lanes: int) -> str:
    """LLVM's type of a wide value."""
    return f"<{lanes} x {KINDS[kind]}>"


def whole(kind: str, size: int, lanes: int) -> str:
    """LLVM's type of a result of so many wide components."""
    return row(kind, lanes) if size == 1 else f"[{size} x {row(kind, lanes)}]"


_FLOATS = {"+": "fadd", "-": "fsub", "*": "fmul", "/": "fdiv"}
_INTEGERS = {"+": "add", "-": "sub", "*": "mul", "&": "and", "|": "or", "^": "xor", "<<": "shl"}
_ORDERS = {"<": "lt", "<=": "le", ">": "gt", ">=": "ge", "==": "eq", "!=": "ne"}


def constant(value: float, kind: str) -> str:
    """A constant as LLVM writes it; a float by the bits of the double that equals it."""
    if kind == "bool":
        return "true" if value else "false"
    if kind == "f32":
        with np.errstate(over="ignore"):
            return f"0x{struct.pack('>d', float(np.float32(value))).hex().upper()}"
    # Written signed: LLVM takes a 32-bit pattern either way, and nothing wider.
    return str((int(value) + 2**31) % 2**32 - 2**31)


class Code:
    """The lines of one LLVM function's body, which works on so many samples together."""

    def __init__(self, lanes: int) -> None:
        self.lanes = lanes
        self.lines: list[str] = []
        self._count = 0

    def label(self) -> str:
        """A name for a block that is to come."""
        self._count += 1
        return f"b{self._count}"

    def value(self, kind: str, instruction: str, wide: bool = True) -> Value:
        """Append an instruction whose result is of that kind."""
        self._count += 1
        name = f"%t{self._count}"
        self.lines.append(f"  {name} = {instruction}")
        return Value(self, name, kind, wide)

    def literal(self, value: float, kind: str) -> Value:
        return Value(self, constant(value, kind), kind, False, value)

    def call(self, name: str, live: Value, args: list[Value], kind: str, size: int) -> list[Value]:
        """The components of another function's result; it is of use where `live` holds."""
        gives = whole(kind, size, self.lanes)
        given = ", ".join(a.given for a in [live, *args])
        result = self.value(kind, f"call {gives} @{name}({given})")
        if size == 1:
            return [result]
        return [self.value(kind, f"extractvalue {gives} {result.text}, {i}") for i in range(size)]

    def intrinsic(self, name: str, x: Value) -> Value:
        """A call of one of LLVM's own functions of one float."""
        suffix = f"v{self.lanes}f32" if x.wide else "f32"
        return self.value("f32", f"call {freedom()} {x.type} @llvm.{name}.{suffix}({x.given})", x.wide)

    def any(self, test: Value) -> Value:
        """Whether something holds for any of the samples."""
        return self.value("bool", f"call i1 @llvm.vector.reduce.or.v{self.lanes}i1({test.widened.given})", False)


class Value:
    """A number of a kind in KINDS. Comparisons give 'bool', and numbers on the right take its kind."""

    __slots__ = ("code", "kind", "known", "text", "wide")
    __hash__ = None  # pyrefly: ignore[implicit-any-attribute]  # equality is an instruction

    def __init__(self, code: Code, text: str, kind: str, wide: bool, known: float | None = None) -> None:
        self.code, self.text, self.kind, self.wide, self.known = code, text, kind, wide, known

    @property
    def type(self) -> str:
        """LLVM's type of it."""
        return row(self.kind, self.code.lanes) if self.wide else KINDS[self.kind]

    @property
    def given(self) -> str:
        """It with its type, as it is given to a function."""
        return f"{self.type} {self.text}"

    @property
    def widened(self) -> Value:
        """The same for every sample."""
        if self.wide or self.kind == "image":
            return self
        if self.known is not None:
            return Value(self.code, f"splat ({self.given})", self.kind, True, self.known)
        wide = row(self.kind, self.code.lanes)
        first = self.code.value(self.kind, f"insertelement {wide} poison, {self.given}, i32 0")
        order = f"<{self.code.lanes} x i32> zeroinitializer"
        return self.code.value(self.kind, f"shufflevector {first.given}, {wide} poison, {order}")

    def _other(self, other: Value | float) -> Value:
        return other if isinstance(other, Value) else self.code.literal(other, self.kind)

    def operate(self, op: str, right: Value | float) -> Value:
        """The binary operation by its Python spelling; `and` and `or` compute both sides."""
        a, b = alike(self, self._other(right))
        kind = self.kind
        if op in _ORDERS:
            return a.code.value("bool", f"{self._compare(_ORDERS[op])} {a.given}, {b.text}", a.wide)
        if op in ("and", "or"):
            word = op
        elif kind == "f32":
            word = f"{_FLOATS[op]} {freedom()}"
        elif op == ">>":
            word = "lshr" if kind == "u32" else "ashr"
        elif op in ("//", "%"):
            return a._divided(op, b)
        else:
            word = _INTEGERS[op]
        return a.code.value(kind, f"{word} {a.given}, {b.text}", a.wide)

    def _compare(self, order: str) -> str:
        if self.kind == "f32":
            # A NaN is unequal to everything, and in no order with it.
            return f"fcmp {freedom()} {'u' if order == 'ne' else 'o'}{order}"
        if order in ("eq", "ne"):
            return f"icmp {order}"
        return f"icmp {'s' if self.kind == 'i32' else 'u'}{order}"

    def _divided(self, op: str, by: Value) -> Value:
        """Division towards minus infinity as in Python; by nought it gives the number itself, where
        the processor would stop the program."""
        if not by.known:
            by = choose(by == 0, by.code.literal(1, by.kind), by)
        sign = "s" if self.kind == "i32" else "u"
        rest = self.code.value(self.kind, f"{sign}rem {self.given}, {by.text}", self.wide)
        whole = self.code.value(self.kind, f"{sign}div {self.given}, {by.text}", self.wide)
        if sign == "u":
            return whole if op == "//" else rest
        across = (rest != 0).operate("and", (rest ^ by) < 0)
        return choose(across, whole - 1, whole) if op == "//" else choose(across, rest + by, rest)

    def __add__(self, other: Value | float) -> Value:
        return self.operate("+", other)

    def __sub__(self, other: Value | float) -> Value:
        return self.operate("-", other)

    def __mul__(self, other: Value | float) -> Value:
        return self.operate("*", other)

    def __truediv__(self, other: Value | float) -> Value:
        return self.operate("/", other)

    def __lshift__(self, other: Value | int) -> Value:
        return self.operate("<<", other)

    def __rshift__(self, other: Value | int) -> Value:
        return self.operate(">>", other)

    def __and__(self, other: Value | int) -> Value:
        return self.operate("&", other)

    def __or__(self, other: Value | int) -> Value:
        return self.operate("|", other)

    def __xor__(self, other: Value | int) -> Value:
        return self.operate("^", other)

    def __lt__(self, other: Value | float) -> Value:
        return self.operate("<", other)

    def __gt__(self, other: Value | float) -> Value:
        return self.operate(">", other)

    def __ge__(self, other: Value | float) -> Value:
        return self.operate(">=", other)

    def __eq__(self, other: Value | float) -> Value:  # pyrefly: ignore[bad-override]
        return self.operate("==", other)

    def __ne__(self, other: Value | float) -> Value:  # pyrefly: ignore[bad-override]
        return self.operate("!=", other)

    def __rsub__(self, other: float) -> Value:
        return self._other(other) - self

    def __neg__(self) -> Value:
        if self.kind == "f32":
            return self.code.value("f32", f"fneg {freedom()} {self.given}", self.wide)
        return self.code.literal(0, self.kind) - self

    def negated(self) -> Value:
        """Not."""
        return self.operate("^", self.code.literal(1, "bool"))

    def to(self, kind: str) -> Value:
        """Converted: a float to a whole number towards nought."""
        if kind == self.kind or {kind, self.kind} == {"i32", "u32"}:
            return Value(self.code, self.text, kind, self.wide, self.known if kind == self.kind else None)
        if self.known is not None and kind == "f32":
            return self.code.literal(self.known, kind)
        word = {
            ("i32", "f32"): "sitofp",
            ("u32", "f32"): "uitofp",
            ("bool", "f32"): "uitofp",
            ("f32", "i32"): "fptosi",
            ("f32", "u32"): "fptoui",
            ("bool", "i32"): "zext",
            ("bool", "u32"): "zext",
        }[self.kind, kind]
        return self._turned(word, kind)

    def _turned(self, word: str, kind: str) -> Value:
        to = row(kind, self.code.lanes) if self.wide else KINDS[kind]
        return self.code.value(kind, f"{word} {self.given} to {to}", self.wide)

    def bits(self) -> Value:
        """The bits of a float as i32."""
        return self._turned("bitcast", "i32")

    def from_bits(self) -> Value:
        """The float of these bits."""
        return self._turned("bitcast", "f32")


def alike(a: Value, b: Value) -> tuple[Value, Value]:
    """Both wide where one is."""
    return (a.widened, b.widened) if a.wide or b.wide else (a, b)


def choose(test: Value, a: Value, b: Value) -> Value:
    """`a if test else b`, both computed."""
    a, b = (a.widened, b.widened) if test.wide else alike(a, b)
    flags = f"{freedom()} " if a.kind == "f32" else ""
    return a.code.value(a.kind, f"select {flags}{test.given}, {a.given}, {b.given}", a.wide)
