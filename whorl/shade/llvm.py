"""Shade functions as LLVM functions on scalars, always inlined.

Vectors fall apart into components and loops are laid out. Both sides of a conditional expression
are computed, which they may be: shade functions have no side effects.
"""

from whorl.shade.function import Unchecked
from whorl.shade.llvm_builtins import EACH, clamp, cross, dot, texel
from whorl.shade.llvm_values import KINDS, Code, Value, choose, whole
from whorl.shade.printer import Printer, name_of
from whorl.shade.specialise import MOST_ROUNDS, bound
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
from whorl.shade.types import I32, IMAGE, ShadeType

Values = list[Value]
#: LLVM's own functions that are called.
DECLARED = [f"declare float @llvm.{name}.f32(float)" for name in ("fabs", "floor", "sqrt")]


def slots(t: ShadeType) -> list[str]:
    """The kinds of the scalars that stand for a value of a type; an image is its texels, width and height."""
    return ["image", "i32", "i32"] if t == IMAGE else [t.scalar] * t.size


def components(name: str, t: ShadeType) -> list[str]:
    """The scalar names that stand for a variable; no name of this module's own begins with `v_`."""
    if t.rows:
        return [f"v_{name}_{row}_{c}" for row in range(t.rows) for c in "xyzw"]
    if t == IMAGE:
        return [f"v_{name}", f"v_{name}_wide", f"v_{name}_high"]
    if t.fields:
        return [part for field, kind in t.fields for part in components(f"{name}.{field}", kind)]
    return [f"v_{name}"] if t.size == 1 else [f"v_{name}_{c}" for c in "xyzw"[: t.size]]


def spread(values: Values, size: int) -> Values:
    """One value stands for all components where more are wanted."""
    return values * size if len(values) == 1 else values


def held(value: Value, limit: float) -> Value:
    """A value kept within ±limit."""
    return clamp(value, value.code.literal(-limit, "f32"), value.code.literal(limit, "f32"))


class LlvmPrinter(Printer):
    unroll = MOST_ROUNDS

    def function(self, name: str, function: Unchecked, body: tuple[Stmt, ...]) -> str:
        return _Lowering(function).text(f"f_{name}", body)

    def source(self) -> str:
        return "\n".join([*self.printed.values(), *DECLARED, ""])


class _Lowering:
    """One function while it is written down."""

    def __init__(self, function: Unchecked) -> None:
        self.code = Code()
        self.types = function.tree.locals
        self.gives = whole(function.tree.returns.scalar, function.tree.returns.size)
        #: Nothing more is reached in this block.
        self.ended = False
        #: Variables as they stand, by component.
        self.now = {
            part: Value(self.code, f"%{part}", kind)
            for p in function.tree.params
            if not p.fixed
            for part, kind in zip(components(p.name, p.type), slots(p.type), strict=True)
        }
        #: Variables that are set on some ways through only are kept in memory, which LLVM turns
        #: back into registers.
        self.kept: dict[str, str] = {}

    def text(self, name: str, body: tuple[Stmt, ...]) -> str:
        params = ", ".join(f"{KINDS[v.kind]} {v.text}" for v in self.now.values())
        for variable in sorted(_set_inside(body)):
            t = self.types.get(variable, I32)  # the counters of loops are not among the locals
            for part in components(variable, t):
                self.kept[part] = self.code.value(t.scalar, f"alloca {KINDS[t.scalar]}").text
        self.block(body)
        head = f"define linkonce_odr hidden {self.gives} @{name}({params}) alwaysinline nounwind {{"
        end = [] if self.ended else ["  unreachable"]
        return "\n".join([head, "start:", *self.code.lines, *end, "}", ""])

    def give(self, values: Values) -> None:
        """Return these components."""
        made = values[0].text
        if len(values) > 1:
            made = "poison"
            for i, v in enumerate(values):
                made = self.code.value(v.kind, f"insertvalue {self.gives} {made}, {KINDS[v.kind]} {v.text}, {i}").text
        self.code.lines.append(f"  ret {self.gives} {made}")
        self.ended = True

    def branch(self, instruction: str) -> None:
        if not self.ended:
            self.code.lines.append(f"  br {instruction}")
        self.ended = True

    def begin(self, label: str) -> None:
        """Begin a block; what stands before it runs into it."""
        self.branch(f"label %{label}")
        self.code.lines.append(f"{label}:")
        self.ended = False

    def store(self, part: str, value: Value) -> None:
        self.code.lines.append(f"  store {KINDS[value.kind]} {value.text}, ptr {self.kept[part]}")

    def variable(self, name: str, t: ShadeType) -> Values:
        parts = components(name, t)
        if parts[0] not in self.kept:
            return [self.now[p] for p in parts]
        return [self.code.value(t.scalar, f"load {KINDS[t.scalar]}, ptr {self.kept[p]}") for p in parts]

    def assign(self, name: str, values: Values, t: ShadeType) -> None:
        for part, value in zip(components(name, t), values, strict=True):
            if part in self.kept:
                self.store(part, value)
            else:
                self.now[part] = value

    def block(self, body: tuple[Stmt, ...]) -> None:
        for s in body:
            if self.ended:
                return
            match s:
                case Assign(name=name, value=value):
                    self.assign(name, self.expr(value), value.type)
                case Return(value=value):
                    self.give(self.expr(value))
                case If(test=test, then=then, otherwise=otherwise):
                    self.fork(self.expr(test)[0], then, otherwise)
                case For():
                    self.loop(s)

    def fork(self, test: Value, then: tuple[Stmt, ...], otherwise: tuple[Stmt, ...]) -> None:
        yes, no, after = self.code.label(), self.code.label(), self.code.label()
        self.branch(f"i1 {test.text}, label %{yes}, label %{no if otherwise else after}")
        reached = not otherwise
        for label, body in ((yes, then), (no, otherwise)):
            if body or label == yes:
                self.begin(label)
                self.block(body)
                reached = reached or not self.ended
                self.branch(f"label %{after}")
        if reached:
            self.begin(after)

    def loop(self, s: For) -> None:
        head, inside, after = self.code.label(), self.code.label(), self.code.label()
        stop = self.expr(s.stop)[0]
        (part,) = components(s.name, s.start.type)
        self.store(part, self.expr(s.start)[0])
        self.begin(head)
        at = self.variable(s.name, s.start.type)[0]
        self.branch(f"i1 {(at < stop).text}, label %{inside}, label %{after}")
        self.begin(inside)
        self.block(s.body)
        if not self.ended:
            self.store(part, self.variable(s.name, s.start.type)[0] + 1)
        self.branch(f"label %{head}")
        self.begin(after)

    def expr(self, e: Expr) -> Values:
        match e:
            case Literal(type=t, value=value):
                return [self.code.literal(value, t.scalar)]
            case Name(type=t, id=name):
                return self.variable(name, t)
            case Unary(op=op, operand=a):
                return [x.negated() if op == "not" else -x if op == "-" else x for x in self.expr(a)]
            case Binary(op=op, left=a, right=b):
                left, right = self.expr(a), self.expr(b)
                size = max(len(left), len(right))
                pairs = zip(spread(left, size), spread(right, size), strict=True)
                return [x.operate(op, y) for x, y in pairs]
            case Choice(test=test, then=a, otherwise=b):
                c = self.expr(test)[0]
                return [choose(c, x, y) for x, y in zip(self.expr(a), self.expr(b), strict=True)]
            case CallBuiltin():
                return self.builtin(e)
            case CallShade(type=t, function=f, args=args):
                flat = [x for a in args for x in self.expr(a)]
                return self.code.call("f_" + name_of(f, bound(e)), flat, t.scalar, t.size)
            case Construct(type=t, args=args):
                flat = [x.to(t.scalar) for a in args for x in self.expr(a)]
                return spread(flat, t.size)
            case Swizzle(of=of, letters=letters):
                parts = self.expr(of)
                return [parts["xyzw".index(c)] for c in letters]
            case Field(of=of, name=name):
                names = [field for field, kind in of.type.fields for _ in range(kind.size)]
                return [v for field, v in zip(names, self.expr(of), strict=True) if field == name]
            case Row(table=Name(id=name), index=Literal(value=i)):
                return [self.now[f"v_{name}_{i}_{c}"] for c in "xyzw"]
        raise AssertionError(f"nothing prints {e}")

    def builtin(self, e: CallBuiltin) -> Values:
        args = [self.expr(a) for a in e.args]
        name = e.builtin.name
        if e.builtin.each:
            rows = zip(*(spread(a, e.type.size) for a in args), strict=True)
            return [EACH[name](*row) for row in rows]
        if name == "texel":
            return texel(args[0], args[1][0], args[2][0])
        if name == "extent":
            return [v.to("f32") for v in args[0][1:]]
        if name == "cross":
            return cross(args[0], args[1])
        total = dot(args[0], args[-1])
        return [EACH["sqrt"](total) if name == "length" else total]


def _set_inside(body: tuple[Stmt, ...], inside: bool = False) -> set[str]:
    """The variables that are set within a branch or a loop."""
    names: set[str] = set()
    for s in body:
        match s:
            case Assign(name=name) if inside:
                names.add(name)
            case If(then=then, otherwise=otherwise):
                names |= _set_inside(then, True) | _set_inside(otherwise, True)
            case For(name=name, body=inner):
                names |= {name} | _set_inside(inner, True)
    return names
