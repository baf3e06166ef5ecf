"""Shade functions as LLVM functions of many samples at once, always inlined.

Vectors fall apart into components, of which each is a vector over samples. Both sides of a conditional expression are
computed, which they may be: shade functions have no side effects. Where a test differs from sample to sample, both
branches run one after the other, and what they set is set for those samples only that go there; a branch of some
length is left out where none does. Loops, whose rounds are the same for all samples, stay loops, so that machine code
is short and soon compiled. (As in Karrenberg and Hack, *Whole-Function Vectorization*, CGO 2011, for code that is
structured from the start.)
"""

from whorl.shade.function import Unchecked
from whorl.shade.llvm_builtins import EACH, clamp, cross, dot, texel
from whorl.shade.llvm_values import KINDS, Code, Value, choose, row, whole
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
    expressions,
)
from whorl.shade.types import I32, IMAGE, ShadeType

Values = list[Value]
#: Loop nests of up to so many rounds are laid out.
FEW_ROUNDS = 3


def declared(lanes: int) -> list[str]:
    """LLVM's own functions that are called."""
    some, test, whole = row("f32", lanes), row("bool", lanes), row("i32", lanes)
    return [
        *(f"declare float @llvm.{name}.f32(float)" for name in ("fabs", "floor", "sqrt")),
        *(f"declare {some} @llvm.{name}.v{lanes}f32({some})" for name in ("fabs", "floor", "sqrt")),
        f"declare i1 @llvm.vector.reduce.or.v{lanes}i1({test})",
        f"declare {some} @llvm.masked.load.v{lanes}f32.p0(ptr, {test}, {some})",
        f"declare void @llvm.masked.store.v{lanes}f32.p0({some}, ptr, {test})",
        f"declare {whole} @llvm.masked.gather.v{lanes}i32.v{lanes}p0(<{lanes} x ptr>, {test}, {whole})",
    ]


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
    unroll = FEW_ROUNDS

    def __init__(self, lanes: int) -> None:
        super().__init__()
        self.lanes = lanes

    def function(self, name: str, function: Unchecked, fixed: Fixed) -> str:
        body = specialise(function.tree, fixed, self.unroll)
        return _Lowering(function, self.lanes).text(f"f_{name}", body)

    def source(self) -> str:
        return "\n".join([*self.printed.values(), *declared(self.lanes), ""])


class _Lowering:
    """One function while it is written down."""

    def __init__(self, function: Unchecked, lanes: int) -> None:
        self.code = Code(lanes)
        self.types = function.tree.locals
        self.returns = function.tree.returns
        self.gives = whole(self.returns.scalar, self.returns.size, lanes)
        #: The block that is being written goes no further.
        self.ended = False
        #: Variables as they stand, by component.
        self.now = {
            part: Value(self.code, f"%{part}", kind, kind != "image")
            for p in function.tree.params
            if not p.fixed
            for part, kind in zip(components(p.name, p.type), slots(p.type), strict=True)
        }
        #: Where variables are kept that are set on some ways through only; LLVM makes registers of it. Made, with
        #: noughts in it, where the function begins.
        self.kept: dict[str, Value] = {}
        self.made: list[str] = []
        #: For which samples what is written now is of use, and whether for less than all.
        self.path = Value(self.code, "%live", "bool", True)
        self.apart = False
        #: Whether any sample has its result already, while others go on, and where it goes on once all have.
        self.early = False
        self.exit = ""

    def text(self, name: str, body: tuple[Stmt, ...]) -> str:
        params = ", ".join(v.given for v in (self.path, *self.now.values()))
        for variable in sorted(_set_inside(body)):
            counts = variable not in self.types  # the counters of loops are not among the locals
            t = self.types.get(variable, I32)
            for part, kind in zip(components(variable, t), slots(t), strict=True):
                self.keep(part, kind, not counts)
        self.block(body)
        head = f"define linkonce_odr hidden {self.gives} @{name}({params}) alwaysinline nounwind {{"
        if self.exit:
            self.begin(self.exit)
        if not self.ended:
            self.give_results()
        return "\n".join([head, "start:", *self.made, *self.code.lines, "}", ""])

    def keep(self, part: str, kind: str, wide: bool) -> None:
        """Have a place for a component."""
        t = row(kind, self.code.lanes) if wide else KINDS[kind]
        self.kept[part] = Value(self.code, f"%m_{part}", kind, wide)
        self.made.append(f"  %m_{part} = alloca {t}")
        self.made.append(f"  store {t} zeroinitializer, ptr %m_{part}")

    def load(self, part: str) -> Value:
        place = self.kept[part]
        return self.code.value(place.kind, f"load {place.type}, ptr {place.text}", place.wide)

    def store(self, part: str, value: Value) -> None:
        """Put a value into its place, for those samples that come here."""
        place = self.kept[part]
        if place.wide:
            value = choose(self.path, value, self.load(part)) if self.apart else value.widened
        self.code.lines.append(f"  store {value.given}, ptr {place.text}")

    def results(self) -> list[str]:
        """The places of what is returned early."""
        return [f"r_{i}" for i in range(self.returns.size)]

    def open(self) -> Value:
        """For which of the samples that come here nothing is returned yet."""
        return self.path.operate("and", self.load("gone").negated()) if self.early else self.path

    def packed(self, values: Values) -> str:
        """These components as one result."""
        values = [v.widened for v in values]
        made = values[0].text
        if len(values) > 1:
            made = "poison"
            for i, v in enumerate(values):
                made = self.code.value(v.kind, f"insertvalue {self.gives} {made}, {v.given}, {i}").text
        return made

    def give_results(self) -> None:
        """Return what has been put together for all samples."""
        self.code.lines.append(f"  ret {self.gives} {self.packed([self.load(p) for p in self.results()])}")
        self.ended = True

    def give(self, values: Values) -> None:
        """Return these components, for those samples that come here."""
        if not self.apart:
            if self.early:
                gone = self.load("gone")
                values = [choose(gone, self.load(p), v) for p, v in zip(self.results(), values, strict=True)]
            self.code.lines.append(f"  ret {self.gives} {self.packed(values)}")
            self.ended = True
        else:
            self.begin_early()
            here = self.open()
            for part, value in zip(self.results(), values, strict=True):
                self.code.lines.append(
                    f"  store {choose(here, value, self.load(part)).given}, ptr {self.kept[part].text}"
                )
            gone = self.load("gone").operate("or", here)
            self.code.lines.append(f"  store {gone.given}, ptr {self.kept['gone'].text}")

    def begin_early(self) -> None:
        """From here on some samples may have their result before others."""
        if not self.early:
            self.early = True
            self.keep("gone", "bool", True)
            for part in self.results():
                self.keep(part, self.returns.scalar, True)

    def branch(self, instruction: str) -> None:
        if not self.ended:
            self.code.lines.append(f"  br {instruction}")
        self.ended = True

    def begin(self, label: str) -> None:
        """Begin a block; what stands before it runs into it."""
        self.branch(f"label %{label}")
        self.code.lines.append(f"{label}:")
        self.ended = False

    def variable(self, name: str, t: ShadeType) -> Values:
        parts = components(name, t)
        return [self.load(p) if p in self.kept else self.now[p] for p in parts]

    def assign(self, name: str, values: Values, t: ShadeType) -> None:
        for part, value in zip(components(name, t), values, strict=True):
            if part in self.kept:
                self.store(part, value)
            else:
                self.now[part] = value

    def block(self, body: tuple[Stmt, ...]) -> bool:
        """Write statements; gives whether nothing is left to do for those samples that come here."""
        for i, s in enumerate(body):
            match s:
                case Assign(name=name, value=value):
                    self.assign(name, self.expr(value), value.type)
                case Return(value=value):
                    self.give(self.expr(value))
                    return True
                case If(test=test, then=then, otherwise=otherwise):
                    found = self.expr(test)[0]
                    if (self.part if found.wide else self.fork)(found, then, otherwise):
                        return True
                    if self.early and not self.apart and _returns(body[i : i + 1]) and _long(body[i + 1 :]):
                        self.leave()
                case For():
                    self.loop(s)
        return False

    def leave(self) -> None:
        """Go on only if any sample has no result yet."""
        self.exit = self.exit or self.code.label()
        after = self.code.label()
        self.branch(f"i1 {self.code.any(self.open()).text}, label %{after}, label %{self.exit}")
        self.begin(after)

    def fork(self, test: Value, then: tuple[Stmt, ...], otherwise: tuple[Stmt, ...]) -> bool:
        """All samples go one way."""
        yes, no, after = self.code.label(), self.code.label(), self.code.label()
        self.branch(f"i1 {test.text}, label %{yes}, label %{no if otherwise else after}")
        done, reached = bool(otherwise), not otherwise
        for label, body in ((yes, then), (no, otherwise)):
            if body or label == yes:
                self.begin(label)
                done = self.block(body) and done
                reached = reached or not self.ended
                self.branch(f"label %{after}")
        if reached:
            self.begin(after)
        return done

    def part(self, test: Value, then: tuple[Stmt, ...], otherwise: tuple[Stmt, ...]) -> bool:
        """Each sample goes its way."""
        path, apart = self.path, self.apart
        done = True
        for holds, body in ((test, then), (test.negated() if otherwise else test, otherwise)):
            self.path, self.apart = path.operate("and", holds), True
            after = ""
            if _long(body):
                inside, after = self.code.label(), self.code.label()
                self.branch(f"i1 {self.code.any(self.path).text}, label %{inside}, label %{after}")
                self.begin(inside)
            done = self.block(body) and done
            if after:
                self.begin(after)
        self.path, self.apart = path, apart
        if done and not apart:
            self.give_results()
        return done

    def loop(self, s: For) -> None:
        head, inside, after = self.code.label(), self.code.label(), self.code.label()
        if _returns(s.body):
            self.begin_early()
        stop = self.expr(s.stop)[0]
        (part,) = components(s.name, s.start.type)
        self.store(part, self.expr(s.start)[0])
        self.begin(head)
        at = self.variable(s.name, s.start.type)[0]
        more = at < stop
        if _returns(s.body):
            # Until all have their results.
            more = more.operate("and", self.code.any(self.open()))
        self.branch(f"i1 {more.text}, label %{inside}, label %{after}")
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
                flat = [x.widened for x in flat]
                return self.code.call("f_" + name_of(f, bound(e)), self.open(), flat, t.scalar, t.size)
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


def _long(body: tuple[Stmt, ...]) -> bool:
    """Whether it is worth a jump to leave a block out."""
    return _loops(body) or any(isinstance(e, CallShade) for e in expressions(body))


def _loops(body: tuple[Stmt, ...]) -> bool:
    return any(isinstance(s, For) or (isinstance(s, If) and _loops(s.then + s.otherwise)) for s in body)


def _returns(body: tuple[Stmt, ...]) -> bool:
    """Whether a function may return in this block."""
    for s in body:
        match s:
            case Return():
                return True
            case If(then=then, otherwise=otherwise):
                if _returns(then + otherwise):
                    return True
            case For(body=inner):
                if _returns(inner):
                    return True
    return False


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
