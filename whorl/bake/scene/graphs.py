"""Shade functions as node graphs of MaterialX's standard nodes (specification 1.39).

A function becomes a node of its own, whose implementation is a graph: branches are choices between what both sides
give, loops are laid out. What reckons with bits, as hashes do, reads pictures, or would be too long has no such form.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import MaterialX as mx  # noqa: N813 - as its own documentation has it
import numpy as np

from whorl.shade import Unchecked
from whorl.shade.printer import name_of
from whorl.shade.specialise import Fixed, bound, specialise
from whorl.shade.tree import (
    Assign,
    Binary,
    CallBuiltin,
    CallShade,
    Choice,
    Construct,
    Expr,
    If,
    Literal,
    Name,
    Return,
    Row,
    Stmt,
    Swizzle,
    Unary,
)
from whorl.shade.types import BOOL, F32, I32, IMAGE, VEC2, VEC3, VEC4, ShadeType, floats

TYPES = {F32: "float", VEC2: "vector2", VEC3: "vector3", VEC4: "vector4"}
_KINDS = {**TYPES, BOOL: "float", I32: "integer"}
#: Below this a number keeps too few digits where six decimals of it are written.
_SMALL, _LEAST = 0.01, 1.2e-38
#: Nodes of one function, at the most.
MOST = 300


class NotCarried(Exception):
    """What has no equal among the standard nodes, and why."""


@dataclass(frozen=True, eq=False)
class Value:
    """What a graph works with: numbers that are known, or what a node gives, or an input of the graph."""

    type: ShadeType
    known: tuple[float, ...] | None = None
    node: Any = None
    given: str = ""

    @property
    def kind(self) -> str:
        """Its type as MaterialX has it; a condition is 0 or 1."""
        return _KINDS[self.type]


def constant(*numbers: float) -> Value:
    """Numbers that are known."""
    return Value(floats(len(numbers)), tuple(float(n) for n in numbers))


def written(numbers: Sequence[float]) -> Any:
    """Numbers as MaterialX takes them."""
    made = {2: mx.Vector2, 3: mx.Vector3, 4: mx.Vector4}
    return float(numbers[0]) if len(numbers) == 1 else made[len(numbers)](*map(float, numbers))


class Graph:
    """A node graph that is being written."""

    def __init__(self, graph: Any, name: str, most: int = 1 << 30) -> None:
        self.graph, self.name, self.most, self.count = graph, name, most, 0
        self.known: dict[object, Value] = {}

    def node(self, category: str, kind: ShadeType, name: str = "", /, **inputs: Value) -> Value:
        """One more node; the same one again for what has been asked before."""
        # Images differ by their files, which are no inputs that are worked out.
        own = name if category == "image" else ""
        key = (category, kind, own, *((n, v.known, v.given, id(v.node)) for n, v in inputs.items()))
        if key in self.known:
            return self.known[key]
        self.count += 1
        if self.count > self.most:
            raise NotCarried("it would be too long as nodes")
        made = Value(
            kind, node=self.graph.addNode(category, self.graph.createValidChildName(name or "n1"), _KINDS[kind])
        )
        for n, value in inputs.items():
            self.connect(made.node, n, value)
        self.known[key] = made
        return made

    def connect(self, node: Any, name: str, value: Value) -> None:
        """An input of a node."""
        if value.known is not None and value.type != I32 and any(0.0 < abs(x) < _SMALL for x in value.known):
            value = self.small(value)
        made = node.addInput(name, value.kind)
        if value.known is not None:
            digits = ", ".join(f"{x:.9g}" for x in value.known)
            made.setValueString(str(int(value.known[0])) if value.type == I32 else digits)
        elif value.given:
            made.setInterfaceName(value.given)
        else:
            made.setNodeName(value.node.getName())

    def small(self, value: Value) -> Value:
        """Numbers near nought, of which generators write six decimals, as products of numbers that are not."""
        assert value.known is not None
        # What a single float does not hold is nought.
        value = Value(value.type, tuple(x if abs(x) > _LEAST else 0.0 for x in value.known))
        assert value.known is not None
        tens = [max(-int(np.floor(np.log10(abs(x)))), 0) if 0.0 < abs(x) < _SMALL else 0 for x in value.known]
        made = Value(value.type, tuple(x * 10.0**n for x, n in zip(value.known, tens, strict=True)))
        while any(tens):
            step = [min(n, 2) for n in tens]
            made = self.node(
                "multiply", value.type, "small1", in1=made, in2=Value(value.type, tuple(10.0**-n for n in step))
            )
            tens = [n - s for n, s in zip(tens, step, strict=True)]
        return made

    # --- arithmetic -------------------------------------------------------------------

    def spread(self, value: Value, kind: ShadeType) -> Value:
        """A number as a vector, all of whose components it is."""
        if value.type == kind:
            return value
        if value.known is not None:
            return Value(kind, value.known * kind.size)
        names = [f"in{i + 1}" for i in range(kind.size)]
        return self.node(f"combine{kind.size}", kind, **dict.fromkeys(names, value))

    def part(self, value: Value, i: int) -> Value:
        """One component."""
        if value.known is not None:
            return constant(value.known[i])
        made = self.node("extract", F32, f"part{i}_1", **{"in": value, "index": Value(I32, (float(i),))})
        return made

    def vector(self, parts: Sequence[Value]) -> Value:
        """Single numbers as a vector."""
        known = [p.known[0] for p in parts if p.known is not None]
        if len(known) == len(parts):
            return constant(*known)
        return self.node(f"combine{len(parts)}", floats(len(parts)), **{f"in{i + 1}": p for i, p in enumerate(parts)})

    def binary(self, op: str, a: Value, b: Value) -> Value:
        """Sum, difference, product, quotient."""
        kind = a.type if a.type.is_vector else b.type
        if a.known is not None and b.known is not None:
            return _folded(_ARITHMETIC[op], kind, a, b)
        # What changes nothing is left out.
        if b.known is not None and set(b.known) == ({0.0} if op in "+-" else {1.0}) and a.type == kind:
            return a
        if a.known is not None and set(a.known) == ({0.0} if op == "+" else {1.0} if op == "*" else {None}):
            return self.spread(b, kind)
        if a.type != kind:
            # The second may be a single number, the first may not.
            a, b = (b, a) if op in "+*" else (self.spread(a, kind), b)
        return self.node(_NODES[op], kind, in1=a, in2=b)

    def compared(self, op: str, a: Value, b: Value, yes: Value, no: Value) -> Value:
        """One of two values, by a comparison."""
        if a.known is not None and b.known is not None:
            return yes if _COMPARED[op](a.known[0], b.known[0]) else no
        if yes is no:
            return yes
        category, turned, other = {
            ">": ("ifgreater", False, False),
            "<": ("ifgreater", True, False),
            ">=": ("ifgreatereq", False, False),
            "<=": ("ifgreatereq", True, False),
            "==": ("ifequal", False, False),
            "!=": ("ifequal", False, True),
        }[op]
        first, second = (b, a) if turned else (a, b)
        yes, no = (no, yes) if other else (yes, no)
        return self.node(category, yes.type, value1=first, value2=second, in1=yes, in2=no)

    def chosen(self, test: Value, yes: Value, no: Value) -> Value:
        """One of two values, by a condition."""
        return self.compared(">", test, constant(0.5), yes, no)

    def call(self, name: str, kind: ShadeType, args: list[Value]) -> Value:
        """A built-in function."""
        if all(a.known is not None for a in args) and name in _FOLDED:
            return _folded(_FOLDED[name], kind, *args)
        if name in _SINGLE:
            return self.node(_SINGLE[name], kind, **{"in": args[0]})
        if name in ("minimum", "maximum"):
            return self.node({"minimum": "min", "maximum": "max"}[name], kind, in1=args[0], in2=args[1])
        if name == "fract":
            return self.binary("-", args[0], self.node("floor", kind, **{"in": args[0]}))
        if name == "clamp":
            low, high = args[1:]
            if low.type != high.type:
                low, high = self.spread(low, kind), self.spread(high, kind)
            return self.node("clamp", kind, **{"in": args[0], "low": low, "high": high})
        if name == "mix":
            share = args[2]
            if share.type.is_vector:
                return self.binary("+", args[0], self.binary("*", self.binary("-", args[1], args[0]), share))
            return self.node("mix", kind, fg=args[1], bg=args[0], mix=share)
        if name == "mod":
            return self.node("modulo", kind, in1=args[0], in2=args[1])
        if name == "power":
            return self.node("power", kind, in1=args[0], in2=args[1])
        if name == "atan2" and kind == F32:
            return self.node("atan2", kind, iny=args[0], inx=args[1])
        if name == "exp2":
            return self.node("exp", kind, **{"in": self.binary("*", args[0], constant(float(np.log(2.0))))})
        if name == "log2":
            return self.binary("/", self.node("ln", kind, **{"in": args[0]}), constant(float(np.log(2.0))))
        if name == "dot":
            return self.node("dotproduct", F32, in1=args[0], in2=args[1])
        if name == "length":
            return self.node("magnitude", F32, **{"in": args[0]})
        if name == "cross":
            return self.node("crossproduct", VEC3, in1=args[0], in2=args[1])
        if name == "step" and kind == F32:
            return self.compared(">=", args[1], args[0], constant(1.0), constant(0.0))
        raise NotCarried(f"{name} has no node")


_NODES = {"+": "add", "-": "subtract", "*": "multiply", "/": "divide"}
_ARITHMETIC = {"+": np.add, "-": np.subtract, "*": np.multiply, "/": np.divide}
_COMPARED: dict[str, Any] = {
    "<": lambda a, b: a < b,
    "<=": lambda a, b: a <= b,
    ">": lambda a, b: a > b,
    ">=": lambda a, b: a >= b,
    "==": lambda a, b: a == b,
    "!=": lambda a, b: a != b,
}
_SINGLE = {"floor": "floor", "sqrt": "sqrt", "sin": "sin", "cos": "cos", "absolute": "absval"}
_FOLDED: dict[str, Any] = {
    "floor": np.floor,
    "sqrt": np.sqrt,
    "sin": np.sin,
    "cos": np.cos,
    "absolute": np.abs,
    "minimum": np.minimum,
    "maximum": np.maximum,
    "clamp": np.clip,
}


def _folded(function: Any, kind: ShadeType, *args: Value) -> Value:
    with np.errstate(all="ignore"):
        made = function(*(np.asarray(a.known) for a in args))
    made = np.broadcast_to(made, kind.size)
    if not np.isfinite(made).all():
        raise NotCarried("a number that is not finite")
    return Value(kind, tuple(float(x) for x in made))


Tables = tuple[tuple[str, tuple[float, ...]], ...]


class Definitions:
    """The functions of a document that have been given a node of their own."""

    def __init__(self, doc: Any) -> None:
        self.doc = doc
        self.made: dict[object, tuple[str, ShadeType] | NotCarried] = {}

    def need(self, function: Unchecked, fixed: Fixed, tables: Tables = ()) -> tuple[str, ShadeType]:
        """The category of a function's node and what it gives; tables are bound into it. Raises NotCarried."""
        key = (function, fixed, tables)
        if key not in self.made:
            try:
                self.made[key] = self.define(function, fixed, dict(tables))
            except NotCarried as e:
                self.made[key] = e
        found = self.made[key]
        if isinstance(found, NotCarried):
            raise found
        return found

    def define(self, function: Unchecked, fixed: Fixed, tables: dict[str, tuple[float, ...]]) -> tuple[str, ShadeType]:
        tree = function.tree
        if tree.returns not in TYPES:
            raise NotCarried("it reckons with bits, as hashes do")
        category = f"whorl_{name_of(function, fixed)}"
        if tables:
            same = sum(k[:2] == (function, fixed) for k in self.made if isinstance(k, tuple))
            category += f"_t{same}"
        env: dict[str, Value] = {}
        for p in tree.params:
            if p.fixed:
                continue
            if p.type.rows and p.name in tables:
                env[p.name] = Value(p.type, tables[p.name])
            elif p.type in TYPES:
                env[p.name] = Value(p.type, given=_free(p.name))
            else:
                raise NotCarried("it reads a picture" if p.type == IMAGE else "it reckons with bits, as hashes do")
        inputs = list(env.values())
        graph = self.doc.addNodeGraph(f"NG_{category}")
        try:
            body = _Body(self, Graph(graph, function.name, MOST))
            end = body.run(list(specialise(tree, fixed, 1 << 16)), env)
            assert end is not None
            if end.node is None:
                # An output has to be a node's.
                end = body.graph.node("dot", end.type, "whole", **{"in": end})
        except (NotCarried, RecursionError) as e:
            self.doc.removeNodeGraph(graph.getName())
            raise NotCarried(str(e)) from None
        nodedef = self.doc.addNodeDef(f"ND_{category}", "", category)
        nodedef.setAttribute("nodegroup", "procedural")
        nodedef.setDocString(" ".join((function.__doc__ or "").split()))
        for value in (v for v in inputs if v.given):
            nodedef.addInput(value.given, value.kind).setValue(written((0.0,) * value.type.size), value.kind)
        nodedef.addOutput("out", TYPES[end.type])
        graph.setNodeDef(nodedef)
        graph.addOutput("out", TYPES[end.type]).setNodeName(end.node.getName())
        return category, end.type


def _free(name: str) -> str:
    """A parameter's name as an input."""
    return name if name not in ("in", "out", "name", "type", "value") else f"{name}_"


class _Body:
    """One function's statements, with what each name stands for."""

    def __init__(self, definitions: Definitions, graph: Graph) -> None:
        self.definitions, self.graph = definitions, graph

    def run(self, body: list[Stmt], env: dict[str, Value]) -> Value | None:
        """What the statements return, if they do; `env` gains what they set."""
        for n, s in enumerate(body):
            match s:
                case Return(value=value):
                    return self.expr(value, env)
                case Assign(name=name, value=value):
                    env[name] = self.expr(value, env)
                case If(test=test, then=then, otherwise=otherwise):
                    ended = self.branch(test, list(then), list(otherwise), body[n + 1 :], env)
                    if ended is not None:
                        return ended
                case _:
                    raise NotCarried("a loop that is not laid out")
        return None

    def branch(
        self, test: Expr, then: list[Stmt], otherwise: list[Stmt], rest: list[Stmt], env: dict[str, Value]
    ) -> Value | None:
        condition = self.expr(test, env)
        if condition.known is not None:
            return self.run(then if condition.known[0] > 0.5 else otherwise, env)
        left, right = dict(env), dict(env)
        a, b = self.run(then, left), self.run(otherwise, right)
        if a is not None and b is not None:
            return self.graph.chosen(condition, a, b)
        if a is not None or b is not None:
            # One side ends here, the other goes on.
            going = right if a is not None else left
            end = self.run(rest, going)
            assert end is not None
            return self.graph.chosen(condition, a or end, b or end)
        for name in {**left, **right}:
            one, other = left.get(name), right.get(name)
            if one is not None and other is not None:
                env[name] = one if one is other else self.graph.chosen(condition, one, other)
        return None

    def expr(self, e: Expr, env: dict[str, Value]) -> Value:
        g = self.graph
        match e:
            case Literal(type=t, value=value):
                if t.name == "u32":
                    raise NotCarried("it reckons with bits, as hashes do")
                return Value(t, (float(value),))
            case Name(id=name):
                return env[name]
            case Unary(op=op, operand=operand):
                inner = self.expr(operand, env)
                if op == "not":
                    return g.binary("-", constant(1.0), inner)
                if inner.known is not None:
                    return Value(inner.type, tuple(-x for x in inner.known))
                return g.binary("*", inner, constant(-1.0))
            case Binary(type=t, op=op, left=left, right=right):
                a, b = self.expr(left, env), self.expr(right, env)
                if op in _COMPARED:
                    return g.compared(op, a, b, Value(BOOL, (1.0,)), Value(BOOL, (0.0,)))
                if op in ("and", "or"):
                    both = (
                        {"and": min, "or": max}[op](a.known[0], b.known[0])
                        if a.known is not None and b.known is not None
                        else None
                    )
                    if both is not None:
                        return Value(BOOL, (both,))
                    return g.node({"and": "min", "or": "max"}[op], F32, in1=a, in2=b)
                if t in (I32,) or op not in _ARITHMETIC:
                    return _whole(op, t, a, b)
                return g.binary(op, a, b)
            case Choice(test=test, then=then, otherwise=otherwise):
                condition = self.expr(test, env)
                if condition.known is not None:
                    return self.expr(then if condition.known[0] > 0.5 else otherwise, env)
                return g.chosen(condition, self.expr(then, env), self.expr(otherwise, env))
            case CallBuiltin(type=t, builtin=builtin, args=args):
                return g.call(builtin.name, t, [self.expr(x, env) for x in args])
            case CallShade(function=f, args=args):
                return self.called(f, bound(e), [self.expr(x, env) for x in args])
            case Construct(type=t, args=args):
                given = [self.expr(x, env) for x in args]
                if t == F32:
                    if given[0].known is None:
                        raise NotCarried("it counts in whole numbers")
                    return constant(given[0].known[0])
                if t not in TYPES:
                    raise NotCarried("it counts in whole numbers")
                if len(given) == 1 and given[0].type.size == 1:
                    return g.spread(given[0], t)
                parts = [g.part(v, k) if v.type.is_vector else v for v in given for k in range(v.type.size)]
                return g.vector(parts)
            case Swizzle(of=of, letters=letters):
                whole = self.expr(of, env)
                parts = [g.part(whole, "xyzw".index(x)) for x in letters]
                return parts[0] if len(parts) == 1 else g.vector(parts)
            case Row(table=table, index=index):
                rows, at = self.expr(table, env), self.expr(index, env)
                if rows.known is None or at.known is None:
                    raise NotCarried("a table that changes")
                i = int(at.known[0])
                return constant(*rows.known[4 * i : 4 * i + 4])
        raise NotCarried("a record")

    def called(self, function: Unchecked, fixed: Fixed, args: list[Value]) -> Value:
        """A call of another function, which has a node of its own."""
        params = [p for p in function.tree.params if not p.fixed]
        named = dict(zip((p.name for p in params), args, strict=True))
        return call_of(self.definitions, self.graph, function, fixed, named)


def call_of(
    definitions: Definitions, graph: Graph, function: Unchecked, fixed: Fixed, named: dict[str, Value], name: str = ""
) -> Value:
    """The node of a function that is given values. Raises NotCarried."""
    tables = tuple((n, v.known) for n, v in named.items() if v.type.rows and v.known is not None)
    category, kind = definitions.need(function, fixed, tables)
    inputs = {_free(n): v for n, v in named.items() if not v.type.rows}
    return graph.node(category, kind, name or f"{function.name}1", **inputs)


def _whole(op: str, kind: ShadeType, a: Value, b: Value) -> Value:
    """Whole numbers that are known beforehand."""
    if kind != I32 or a.known is None or b.known is None:
        raise NotCarried("it reckons with bits, as hashes do")
    x, y = int(a.known[0]), int(b.known[0])
    ways = {"+": x + y, "-": x - y, "*": x * y, "//": x // y if y else 0, "%": x % y if y else 0, "&": x & y}
    if op not in ways:
        raise NotCarried("it reckons with bits, as hashes do")
    return Value(I32, (float(ways[op]),))
