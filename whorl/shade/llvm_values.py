"""LLVM instructions, written down by working with values as with numbers.

A `Value` is one 32-bit scalar or truth value inside a function that is being written; Python's
operators on values append instructions to it. Types and rules are those of the LLVM language
reference: integers wrap around at 32 bits, and floats are free to be contracted and reordered.
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


def whole(kind: str, size: int) -> str:
    """LLVM's type of a result of so many components."""
    return KINDS[kind] if size == 1 else f"[{size} x {KINDS[kind]}]"


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
    """The lines of one LLVM function's body."""

    def __init__(self) -> None:
        self.lines: list[str] = []
        self._count = 0

    def label(self) -> str:
        """A name for a block that is to come."""
        self._count += 1
        return f"b{self._count}"

    def value(self, kind: str, instruction: str) -> Value:
        """Append an instruction whose result is of that kind."""
        self._count += 1
        name = f"%t{self._count}"
        self.lines.append(f"  {name} = {instruction}")
        return Value(self, name, kind)

    def literal(self, value: float, kind: str) -> Value:
        return Value(self, constant(value, kind), kind, value)

    def call(self, name: str, args: list[Value], kind: str, size: int) -> list[Value]:
        """The components of another function's result."""
        gives = whole(kind, size)
        result = self.value(kind, f"call {gives} @{name}({', '.join(f'{KINDS[a.kind]} {a.text}' for a in args)})")
        if size == 1:
            return [result]
        return [self.value(kind, f"extractvalue {gives} {result.text}, {i}") for i in range(size)]

    def intrinsic(self, name: str, x: Value) -> Value:
        """A call of one of LLVM's own functions of one float."""
        return self.value("f32", f"call {freedom()} float @llvm.{name}.f32(float {x.text})")


class Value:
    """A scalar of a kind in KINDS. Comparisons give 'bool', and numbers on the right take its kind."""

    __slots__ = ("code", "kind", "known", "text")
    __hash__ = None  # type: ignore[assignment]  # equality is an instruction

    def __init__(self, code: Code, text: str, kind: str, known: float | None = None) -> None:
        self.code, self.text, self.kind, self.known = code, text, kind, known

    def _other(self, other: Value | float) -> Value:
        return other if isinstance(other, Value) else self.code.literal(other, self.kind)

    def operate(self, op: str, right: Value | float) -> Value:
        """The binary operation by its Python spelling; `and` and `or` compute both sides."""
        b = self._other(right)
        kind = self.kind
        if op in _ORDERS:
            return self.code.value("bool", f"{self._compare(_ORDERS[op])} {KINDS[kind]} {self.text}, {b.text}")
        if op in ("and", "or"):
            word = op
        elif kind == "f32":
            word = f"{_FLOATS[op]} {freedom()}"
        elif op == ">>":
            word = "lshr" if kind == "u32" else "ashr"
        elif op in ("//", "%"):
            return self._divided(op, b)
        else:
            word = _INTEGERS[op]
        return self.code.value(kind, f"{word} {KINDS[kind]} {self.text}, {b.text}")

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
        rest = self.code.value(self.kind, f"{sign}rem i32 {self.text}, {by.text}")
        whole = self.code.value(self.kind, f"{sign}div i32 {self.text}, {by.text}")
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

    def __eq__(self, other: Value | float) -> Value:  # type: ignore[override]
        return self.operate("==", other)

    def __ne__(self, other: Value | float) -> Value:  # type: ignore[override]
        return self.operate("!=", other)

    def __rsub__(self, other: float) -> Value:
        return self._other(other) - self

    def __neg__(self) -> Value:
        if self.kind == "f32":
            return self.code.value("f32", f"fneg {freedom()} float {self.text}")
        return self.code.literal(0, self.kind) - self

    def negated(self) -> Value:
        """Not."""
        return self.code.value("bool", f"xor i1 {self.text}, true")

    def to(self, kind: str) -> Value:
        """Converted: a float to a whole number towards nought."""
        if kind == self.kind or {kind, self.kind} == {"i32", "u32"}:
            return Value(self.code, self.text, kind, self.known if kind == self.kind else None)
        word = {
            ("i32", "f32"): "sitofp",
            ("u32", "f32"): "uitofp",
            ("bool", "f32"): "uitofp",
            ("f32", "i32"): "fptosi",
            ("f32", "u32"): "fptoui",
            ("bool", "i32"): "zext",
            ("bool", "u32"): "zext",
        }[self.kind, kind]
        return self.code.value(kind, f"{word} {KINDS[self.kind]} {self.text} to {KINDS[kind]}")

    def bits(self) -> Value:
        """The bits of a float as i32."""
        return self.code.value("i32", f"bitcast float {self.text} to i32")

    def from_bits(self) -> Value:
        """The float of these bits."""
        return self.code.value("f32", f"bitcast i32 {self.text} to float")


def choose(test: Value, a: Value, b: Value) -> Value:
    """`a if test else b`, both computed."""
    t = KINDS[a.kind]
    flags = f"{freedom()} " if a.kind == "f32" else ""
    return a.code.value(a.kind, f"select {flags}i1 {test.text}, {t} {a.text}, {t} {b.text}")
