"""What makes LLVM of loop functions (`shade/loops.py`)."""

import ast
import inspect
import textwrap
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from llvmlite import ir

from whorl.shade import loops
from whorl.shade.check import COMPARE
from whorl.shade.errors import ShadeError
from whorl.shade.loops import Kind, Loops, Rows

I1, I8, I32, I64 = (ir.IntType(bits) for bits in (1, 8, 32, 64))
F32, F64 = ir.FloatType(), ir.DoubleType()
_TYPES: dict[Any, ir.Type] = {int: I64, float: F64, bool: I1, np.float32: F32}
#: From a type of fewer values to one of more; what meets takes the later one. 64-bit integers go to 64-bit floats.
_ORDER = [I1, I64, F32, F64]
_BITS: dict[type, str] = {
    ast.BitAnd: "and_",
    ast.BitOr: "or_",
    ast.BitXor: "xor",
    ast.LShift: "shl",
    ast.RShift: "ashr",
}


@dataclass(frozen=True)
class View:
    """An array, or a part of one: along the last axis elements follow one another."""

    start: ir.Value
    element: np.dtype[Any]
    shape: tuple[ir.Value, ...]
    steps: tuple[ir.Value, ...]


#: What an expression comes to: a number, which is a value of LLVM's, a view, or a tuple of these.
Value: TypeAlias = Any


def module(function: "Loops[Any, Any]") -> str:
    """A module in LLVM's text form with a function `{name}`, and all that it calls within it."""
    made = _Module()
    made.of(function, "{name}")
    return str(made.module)


def _of(element: np.dtype[Any]) -> ir.Type:
    if element.kind == "f":
        return F32 if element.itemsize == 4 else F64
    return ir.IntType(8 * element.itemsize)


class _Module:
    def __init__(self) -> None:
        self.module = ir.Module()
        self.made: dict[Any, ir.Function] = {}

    def of(self, function: "Loops[Any, Any]", name: str) -> ir.Function:
        if function in self.made:
            return self.made[function]
        gives = self._type(function.gives)
        taken = [t for k in function.params.values() for t in self._taken(k)]
        made = self.made[function] = ir.Function(self.module, ir.FunctionType(gives, taken), name)
        for attribute in ('"no-builtin-memset"', '"no-builtin-memcpy"', '"no-builtin-memmove"'):
            # Nothing outside is called, see `kernel._LOOP`; of the names that llvmlite lets through these are none.
            set.add(made.attributes, attribute)
        made.attributes.add("nounwind")
        if name != "{name}":
            made.linkage = "internal"
            made.attributes.add("alwaysinline")
        _Body(self, function, made).write()
        return made

    def _type(self, k: Kind) -> ir.Type:
        if k is None:
            return ir.VoidType()
        if isinstance(k, tuple):
            return ir.LiteralStructType([self._type(part) for part in k])
        return _TYPES[k]

    def _taken(self, k: Kind) -> list[ir.Type]:
        if isinstance(k, Rows):
            return [_of(k.element).as_pointer(), *[I64] * (2 * k.axes - 1)]
        if isinstance(k, tuple):
            return [t for part in k for t in self._taken(part)]
        return [_TYPES[k]]


class _Body:
    """One function's statements."""

    def __init__(self, module: _Module, function: "Loops[Any, Any]", made: ir.Function) -> None:
        plain = function.plain
        lines, self.first = inspect.getsourcelines(plain)
        self.file = inspect.getfile(plain)
        self.tree = ast.parse(textwrap.dedent("".join(lines))).body[0]
        self.module, self.function, self.made = module, function, made
        self.known = plain.__globals__
        # What stays of a call is in the first block, where LLVM makes registers of it.
        self.entry = ir.IRBuilder(made.append_basic_block("start"))
        self.b = ir.IRBuilder(made.append_basic_block("body"))
        self.names: dict[str, ir.AllocaInstr] = {}
        self.views: dict[str, Value] = {}
        #: Where `continue` and `break` lead.
        self.around: list[tuple[ir.Block, ir.Block]] = []

    def write(self) -> None:
        args = iter(self.made.args)
        for name, k in self.function.params.items():
            self._keep(name, self._given(k, args))
        self._block(self.tree.body)  # pyrefly: ignore[missing-attribute]
        if not self.b.block.is_terminated:
            if self.function.gives is None:
                self.b.ret_void()
            else:
                self.b.unreachable()
        self.entry.branch(self.made.blocks[1])

    def _given(self, k: Kind, args: Any) -> Value:
        if isinstance(k, Rows):
            start = next(args)
            shape = tuple(next(args) for _ in range(k.axes))
            return View(start, k.element, shape, (*(next(args) for _ in range(k.axes - 1)), I64(1)))
        if isinstance(k, tuple):
            return tuple(self._given(part, args) for part in k)
        return next(args)

    def refuse(self, node: ast.AST, reason: str) -> ShadeError:
        """What is said of what stands outside the subset."""
        return ShadeError(self.file, self.first + getattr(node, "lineno", 1) - 1, reason)

    # --- statements

    def _block(self, body: list[ast.stmt]) -> None:
        for node in body:
            if self.b.block.is_terminated:
                return
            write: Callable[[Any], None] | None = getattr(self, f"_{type(node).__name__.lower()}", None)
            if write is None:
                raise self.refuse(node, f"loop functions have no {type(node).__name__}")
            write(node)

    def _expr(self, node: ast.Expr) -> None:
        if not isinstance(node.value, ast.Constant):
            self.value(node.value)

    def _pass(self, node: ast.Pass) -> None:
        pass

    def _assign(self, node: ast.Assign) -> None:
        value = self.value(node.value)
        for target in node.targets:
            self._put(target, value)

    def _augassign(self, node: ast.AugAssign) -> None:
        self._put(node.target, self._joined(node, node.op, self.value(node.target), self.value(node.value)))

    def _put(self, target: ast.expr, value: Value) -> None:
        if isinstance(target, ast.Name):
            self._keep(target.id, value, target)
        elif isinstance(target, ast.Tuple):
            if isinstance(value, View):
                value = tuple(self._part(value, [I64(i)], target) for i in range(len(target.elts)))
            if not isinstance(value, tuple) or len(value) != len(target.elts):
                raise self.refuse(target, f"{len(target.elts)} names take as many values")
            for t, v in zip(target.elts, value, strict=True):
                self._put(t, v)
        elif isinstance(target, ast.Subscript):
            view = self.value(target.value)
            if not isinstance(view, View):
                raise self.refuse(target, "only elements of arrays are put")
            at = self._element(view, self._indices(target))
            if at is None:
                raise self.refuse(target, f"an element of {len(view.shape)} axes is put, not a part")
            self.b.store(self._stored(target, self.number(target, value), view.element), at)
        else:
            raise self.refuse(target, "names and elements are assigned")

    def _keep(self, name: str, value: Value, node: ast.AST | None = None) -> None:
        if isinstance(value, (View, tuple)):
            self.views[name] = value
            return
        if name not in self.names:
            self.names[name] = self.entry.alloca(value.type, name=name)
        kept = self.names[name]
        self.b.store(self.turned(node or self.tree, value, kept.allocated_type), kept)

    def _return(self, node: ast.Return) -> None:
        if node.value is None:
            self.b.ret_void()
        else:
            self.b.ret(self._packed(node, self.value(node.value), self.made.function_type.return_type))

    def _packed(self, node: ast.AST, value: Value, type_: ir.Type) -> ir.Value:
        if not isinstance(value, tuple):
            return self.turned(node, self.number(node, value), type_)
        made = ir.Constant(type_, ir.Undefined)
        for i, part in enumerate(value):
            made = self.b.insert_value(made, self._packed(node, part, type_.elements[i]), i)
        return made

    def _if(self, node: ast.If) -> None:
        then, other, after = (self.made.append_basic_block(name) for name in ("then", "else", "after"))
        self.b.cbranch(self.truth(node.test), then, other)
        reached = False
        for block, body in ((then, node.body), (other, node.orelse)):
            self.b.position_at_end(block)
            self._block(body)
            if not self.b.block.is_terminated:
                self.b.branch(after)
                reached = True
        self.b.position_at_end(after)
        if not reached:
            self.b.unreachable()

    def _while(self, node: ast.While) -> None:
        test, body, after = (self.made.append_basic_block(name) for name in ("test", "round", "after"))
        self.b.branch(test)
        self.b.position_at_end(test)
        self.b.cbranch(self.truth(node.test), body, after)
        self._round(node.body, body, test, test, after)

    def _for(self, node: ast.For) -> None:
        call = node.iter
        if not (isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id == "range"):
            raise self.refuse(node, "a loop goes over a range")
        given = [self.whole(a) for a in call.args]
        start, end = (I64(0), given[0]) if len(given) == 1 else given[:2]
        by = given[2] if len(given) == 3 else I64(1)
        if not isinstance(by, ir.Constant) or not by.constant:
            raise self.refuse(node, "a range's step is a constant")
        count = self.entry.alloca(I64)
        self.b.store(start, count)
        test, body, on, after = (self.made.append_basic_block(name) for name in ("test", "round", "on", "after"))
        self.b.branch(test)
        self.b.position_at_end(test)
        now = self.b.load(count)
        self.b.cbranch(self.b.icmp_signed("<" if by.constant > 0 else ">", now, end), body, after)
        self.b.position_at_end(body)
        self._put(node.target, now)
        self._round(node.body, body, on, on, after)
        self.b.position_at_end(on)
        self.b.store(self.b.add(self.b.load(count), by, flags=("nsw",)), count)
        self.b.branch(test)
        self.b.position_at_end(after)

    def _round(self, nodes: list[ast.stmt], body: ir.Block, on: ir.Block, end: ir.Block, after: ir.Block) -> None:
        self.b.position_at_end(body)
        self.around.append((on, after))
        self._block(nodes)
        self.around.pop()
        if not self.b.block.is_terminated:
            self.b.branch(end)
        self.b.position_at_end(after)

    def _break(self, node: ast.Break) -> None:
        self.b.branch(self.around[-1][1])

    def _continue(self, node: ast.Continue) -> None:
        self.b.branch(self.around[-1][0])

    # --- expressions

    def value(self, node: ast.expr) -> Value:
        """What an expression comes to."""
        write: Callable[[Any], Value] | None = getattr(self, f"_of_{type(node).__name__.lower()}", None)
        if write is None:
            raise self.refuse(node, f"loop functions have no {type(node).__name__}")
        return write(node)

    def number(self, node: ast.AST, value: Value) -> ir.Value:
        """A value that has to be one number."""
        if isinstance(value, (View, tuple)):
            raise self.refuse(node, "one number stands here")
        return value

    def one(self, node: ast.expr) -> ir.Value:
        """One number that an expression comes to."""
        return self.number(node, self.value(node))

    def whole(self, node: ast.expr) -> ir.Value:
        """An integer that an expression comes to."""
        value = self.one(node)
        if value.type not in (I64, I1):
            raise self.refuse(node, "an integer stands here")
        return self.turned(node, value, I64)

    def truth(self, node: ast.expr) -> ir.Value:
        """Whether an expression holds."""
        value = self.one(node)
        if value.type is not I1:
            raise self.refuse(node, "a comparison stands here")
        return value

    def _of_constant(self, node: ast.Constant) -> Value:
        return self._constant(node, node.value)

    def _constant(self, node: ast.AST, x: Any) -> ir.Value:
        for type_, made in ((bool, I1), (int, I64), (np.float32, F32), (float, F64)):
            if isinstance(x, type_):
                return ir.Constant(made, type_(x) if type_ is not np.float32 else float(x))
        raise self.refuse(node, f"{x!r} is no number")

    def _of_name(self, node: ast.Name) -> Value:
        if node.id in self.views:
            return self.views[node.id]
        if node.id in self.names:
            return self.b.load(self.names[node.id])
        if node.id in self.known:
            return self._constant(node, self.known[node.id])
        raise self.refuse(node, f"there is no '{node.id}' before here")

    def _of_attribute(self, node: ast.Attribute) -> Value:
        if isinstance(node.value, ast.Name) and node.value.id == "np":
            return self._constant(node, getattr(np, node.attr))
        view = self.value(node.value)
        if node.attr != "shape" or not isinstance(view, View):
            raise self.refuse(node, f"loop functions have no '{node.attr}'")
        return view.shape

    def _of_tuple(self, node: ast.Tuple) -> Value:
        return tuple(self.value(e) for e in node.elts)

    def _of_subscript(self, node: ast.Subscript) -> Value:
        value = self.value(node.value)
        if isinstance(value, tuple):
            if not (isinstance(node.slice, ast.Constant) and isinstance(node.slice.value, int)):
                raise self.refuse(node, "which of several values is a constant")
            return value[node.slice.value]
        if not isinstance(value, View):
            raise self.refuse(node, "only arrays and several values have parts")
        return self._part(value, self._indices(node), node)

    def _indices(self, node: ast.Subscript) -> list[Any]:
        parts = node.slice.elts if isinstance(node.slice, ast.Tuple) else [node.slice]
        return [p if isinstance(p, ast.Slice) else self.whole(p) for p in parts]

    def _element(self, view: View, indices: list[Any]) -> ir.Value | None:
        """Where an element is; None where a part is meant."""
        if len(indices) < len(view.shape) or any(isinstance(i, ast.Slice) for i in indices):
            return None
        return self._moved(view, indices)

    def _moved(self, view: View, indices: list[ir.Value]) -> ir.Value:
        at: ir.Value = I64(0)
        for i, by in zip(indices, view.steps, strict=False):
            step = i if isinstance(by, ir.Constant) and by.constant == 1 else self.b.mul(i, by, flags=("nsw",))
            at = step if isinstance(at, ir.Constant) and at.constant == 0 else self.b.add(at, step, flags=("nsw",))
        return self.b.gep(view.start, [at], inbounds=True, source_etype=_of(view.element))

    def _part(self, view: View, indices: list[Any], node: ast.AST) -> Value:
        at = self._element(view, indices)
        if at is not None:
            return self._loaded(at, view.element)
        starts: list[ir.Value] = []
        shape, steps = [], []
        for axis, (full, by) in enumerate(zip(view.shape, view.steps, strict=True)):
            i = indices[axis] if axis < len(indices) else ast.Slice()
            if not isinstance(i, ast.Slice):
                starts.append(i)
                continue
            low = self.whole(i.lower) if i.lower else I64(0)
            high = self.whole(i.upper) if i.upper else full
            starts.append(low)
            shape.append(self.b.sub(high, low, flags=("nsw",)))
            steps.append(by)
        if len(indices) == len(view.shape) and not isinstance(indices[-1], ast.Slice):
            raise self.refuse(node, "a part goes along the last axis")
        return View(self._moved(view, starts), view.element, tuple(shape), tuple(steps))

    def _loaded(self, at: ir.Value, element: np.dtype[Any]) -> ir.Value:
        read = self.b.load(at, typ=_of(element))
        if element.kind == "f" or element.itemsize == 8:
            return read
        return self.b.zext(read, I64) if element.kind == "u" else self.b.sext(read, I64)

    def _stored(self, node: ast.AST, value: ir.Value, element: np.dtype[Any]) -> ir.Value:
        if element.kind == "f":
            return self.turned(node, value, _of(element), narrower=True)
        held = self.turned(node, value, I64)
        return held if element.itemsize == 8 else self.b.trunc(held, _of(element))

    def turned(self, node: ast.AST, value: ir.Value, type_: ir.Type, narrower: bool = False) -> ir.Value:
        """A number as one of another type: of more values, or of fewer where that is meant."""
        have = value.type
        if have == type_:
            return value
        if isinstance(value, ir.Constant) and type_ in (F32, F64) and have in (I64, F32, F64):
            return ir.Constant(type_, float(value.constant))
        if not narrower and _ORDER.index(have) > _ORDER.index(type_):
            raise self.refuse(node, f"{have} does not become {type_} by itself")
        if have is I1:
            return self.turned(node, self.b.zext(value, I64), type_)
        if have is I64:
            return self.b.sitofp(value, type_)
        return self.b.fpext(value, type_) if type_ is F64 else self.b.fptrunc(value, type_)

    def _meeting(self, node: ast.AST, *values: ir.Value) -> list[ir.Value]:
        """Numbers as the type that takes them all; a literal is of whatever type it meets."""
        firm = [v.type for v in values if not isinstance(v, ir.Constant)]
        loose = [v.type for v in values if isinstance(v, ir.Constant)]
        type_ = max(firm or loose, key=_ORDER.index)
        if firm and type_ in (I1, I64):
            type_ = max([type_, *loose], key=_ORDER.index)
        if type_ is F32 and I64 in firm:
            type_ = F64
        return [self.turned(node, v, type_) for v in values]

    def _of_binop(self, node: ast.BinOp) -> Value:
        return self._joined(node, node.op, self.value(node.left), self.value(node.right))

    def _joined(self, node: ast.AST, op: ast.operator, left: Value, right: Value) -> ir.Value:
        a, b = self._meeting(node, self.number(node, left), self.number(node, right))
        if a.type is I1:
            a, b = self.turned(node, a, I64), self.turned(node, b, I64)
        if isinstance(op, ast.Div):
            a, b = (self.turned(node, x, F64) if x.type is I64 else x for x in (a, b))
            return self.b.fdiv(a, b)
        if isinstance(op, ast.Add | ast.Sub | ast.Mult):
            name = {ast.Add: "add", ast.Sub: "sub", ast.Mult: "mul"}[type(op)]
            if a.type is I64:
                return getattr(self.b, name)(a, b, flags=("nsw",))
            return getattr(self.b, f"f{name}")(a, b)
        if a.type is not I64:
            raise self.refuse(node, f"{type(op).__name__} is of integers")
        if type(op) in _BITS:
            return getattr(self.b, _BITS[type(op)])(a, b)
        if isinstance(op, ast.FloorDiv | ast.Mod):
            return self._divided(a, b, isinstance(op, ast.Mod))
        raise self.refuse(node, f"loop functions have no {type(op).__name__}")

    def _divided(self, a: ir.Value, b: ir.Value, rest: bool) -> ir.Value:
        """A quotient rounded down, or what is left of it: nought or of the divisor's sign."""
        if isinstance(b, ir.Constant) and b.constant > 0 and b.constant & (b.constant - 1) == 0:
            power = b.constant.bit_length() - 1
            return self.b.and_(a, I64(b.constant - 1)) if rest else self.b.ashr(a, I64(power))
        left = self.b.srem(a, b)
        uneven = self.b.icmp_signed("!=", left, I64(0))
        apart = self.b.icmp_signed("<", self.b.xor(left, b), I64(0))
        off = self.b.and_(uneven, apart)
        if rest:
            return self.b.select(off, self.b.add(left, b), left)
        return self.b.sub(self.b.sdiv(a, b), self.b.zext(off, I64))

    def _of_unaryop(self, node: ast.UnaryOp) -> Value:
        if isinstance(node.op, ast.Not):
            return self.b.not_(self.truth(node.operand))
        value = self.one(node.operand)
        if not isinstance(node.op, ast.USub) or value.type is I1:
            raise self.refuse(node, f"loop functions have no {type(node.op).__name__}")
        if isinstance(value, ir.Constant):
            return ir.Constant(value.type, -value.constant)
        return self.b.neg(value) if value.type is I64 else self.b.fneg(value)

    def _of_compare(self, node: ast.Compare) -> Value:
        values = [self.one(n) for n in (node.left, *node.comparators)]
        made: ir.Value | None = None
        for op, left, right in zip(node.ops, values, values[1:], strict=False):
            if type(op) not in COMPARE:
                raise self.refuse(node, f"loop functions have no {type(op).__name__}")
            a, b = self._meeting(node, left, right)
            part = self._compared(COMPARE[type(op)], a, b)
            made = part if made is None else self.b.and_(made, part)
        assert made is not None
        return made

    def _compared(self, how: str, a: ir.Value, b: ir.Value) -> ir.Value:
        if a.type is I1:
            return self.b.icmp_unsigned(how, a, b)
        if a.type is I64:
            return self.b.icmp_signed(how, a, b)
        return self.b.fcmp_unordered(how, a, b) if how == "!=" else self.b.fcmp_ordered(how, a, b)

    def _of_boolop(self, node: ast.BoolOp) -> Value:
        """The later ones only where the earlier ones do not settle it."""
        after = self.made.append_basic_block("settled")
        settles = I1(0) if isinstance(node.op, ast.And) else I1(1)
        come: list[tuple[ir.Value, ir.Block]] = []
        for i, n in enumerate(node.values):
            value = self.truth(n)
            if i == len(node.values) - 1:
                come.append((value, self.b.block))
                self.b.branch(after)
                break
            more = self.made.append_basic_block("more")
            come.append((settles, self.b.block))
            yes, no = (more, after) if isinstance(node.op, ast.And) else (after, more)
            self.b.cbranch(value, yes, no)
            self.b.position_at_end(more)
        self.b.position_at_end(after)
        return self._met(come)

    def _met(self, come: list[tuple[ir.Value, ir.Block]]) -> ir.Value:
        made = self.b.phi(come[0][0].type)
        for value, block in come:
            made.add_incoming(value, block)
        return made

    def _of_ifexp(self, node: ast.IfExp) -> Value:
        then, other, after = (self.made.append_basic_block(name) for name in ("then", "else", "after"))
        self.b.cbranch(self.truth(node.test), then, other)
        values, ends = [], []
        for block, n in ((then, node.body), (other, node.orelse)):
            self.b.position_at_end(block)
            values.append(self.one(n))
            ends.append(self.b.block)
        if all(isinstance(v, ir.Constant) for v in values):
            types = [max((v.type for v in values), key=_ORDER.index)] * 2
        else:
            firm = [v for v in values if not isinstance(v, ir.Constant)]
            types = [max((v.type for v in firm), key=_ORDER.index)] * 2
            if types[0] is I64 and any(v.type in (F32, F64) for v in values):
                types = [F64] * 2
        come = []
        for value, end, type_ in zip(values, ends, types, strict=True):
            self.b.position_at_end(end)
            come.append((self.turned(node, value, type_), end))
            self.b.branch(after)
        self.b.position_at_end(after)
        return self._met(come)

    # --- calls

    def _of_call(self, node: ast.Call) -> Value:
        if node.keywords:
            raise self.refuse(node, "arguments go by their place")
        called = node.func
        if isinstance(called, ast.Attribute) and isinstance(called.value, ast.Name) and called.value.id == "np":
            return self._of_numpy(node, called.attr)
        if not isinstance(called, ast.Name):
            raise self.refuse(node, "functions are called by name")
        known = self.known.get(called.id)
        if isinstance(known, Loops):
            return self._called(node, known)
        if known is not None:
            return self._outside(node, known)
        if called.id == "len":
            view = self.value(node.args[0])
            if not isinstance(view, View):
                raise self.refuse(node, "arrays have a length")
            return view.shape[0]
        values = [self.one(a) for a in node.args]
        match called.id:
            case "int":
                return self._rounded(values[0])
            case "float":
                return self.turned(node, values[0], F64)
            case "abs" if values[0].type in (F32, F64):
                return self._intrinsic("llvm.fabs", values[0])
            case "abs":
                return self.b.select(self.b.icmp_signed("<", values[0], I64(0)), self.b.neg(values[0]), values[0])
            case "min" | "max":
                best, *others = self._meeting(node, *values)
                for other in others:
                    nearer = self._compared("<" if called.id == "min" else ">", other, best)
                    best = self.b.select(nearer, other, best)
                return best
        raise self.refuse(node, f"loop functions have no '{called.id}'")

    def _rounded(self, value: ir.Value) -> ir.Value:
        if value.type in (F32, F64):
            return self.b.fptosi(value, I64)
        return value if value.type is I64 else self.b.zext(value, I64)

    def _intrinsic(self, name: str, value: ir.Value) -> ir.Value:
        return self.b.call(self.made.module.declare_intrinsic(name, [value.type]), [value])

    def _of_numpy(self, node: ast.Call, name: str) -> Value:
        value = self.one(node.args[0])
        if name in ("floor", "ceil", "sqrt"):
            return self._intrinsic(f"llvm.{name}", value if value.type is F32 else self.turned(node, value, F64))
        as_type = getattr(np, name, None)
        if as_type is np.float32:
            return self.turned(node, value, F32, narrower=True)
        if not (isinstance(as_type, type) and issubclass(as_type, np.integer)):
            raise self.refuse(node, f"loop functions have no 'np.{name}'")
        element = np.dtype(as_type)
        if value.type in (F32, F64):
            # 32 bits hold whatever a narrow type does, and are quicker.
            if element.itemsize < 4:
                value = self.b.fptosi(value, I32)
            else:
                value = (self.b.fptoui if element.kind == "u" else self.b.fptosi)(value, _of(element))
        elif value.type is I1:
            value = self.b.zext(value, I64)
        if value.type.width > 8 * element.itemsize:
            value = self.b.trunc(value, _of(element))
        if value.type is I64 or element.itemsize == 8:
            return value
        return self.b.zext(value, I64) if element.kind == "u" else self.b.sext(value, I64)

    def _called(self, node: ast.Call, function: "Loops[Any, Any]") -> Value:
        made = self.module.of(function, function.plain.__name__)
        kinds = list(function.params.values())
        if len(kinds) != len(node.args):
            raise self.refuse(node, f"'{function.plain.__name__}' takes {len(kinds)}")
        given = [x for k, a in zip(kinds, node.args, strict=True) for x in self._flat(node, k, self.value(a))]
        return self._apart(self.b.call(made, given), function.gives)

    def _flat(self, node: ast.AST, k: Kind, value: Value) -> list[ir.Value]:
        if isinstance(k, Rows):
            if not isinstance(value, View) or value.element != k.element or len(value.shape) != k.axes:
                raise self.refuse(node, f"an array of {k.element} along {k.axes} axes stands here")
            return [value.start, *value.shape, *value.steps[:-1]]
        if isinstance(k, tuple):
            if not isinstance(value, tuple) or len(value) != len(k):
                raise self.refuse(node, f"{len(k)} values stand here")
            return [x for part, v in zip(k, value, strict=True) for x in self._flat(node, part, v)]
        return [self.turned(node, self.number(node, value), _TYPES[k])]

    def _apart(self, value: ir.Value, k: Kind) -> Value:
        if not isinstance(k, tuple):
            return value
        return tuple(self._apart(self.b.extract_value(value, i), part) for i, part in enumerate(k))

    def _outside(self, node: ast.Call, known: Any) -> Value:
        """What `loops` has for addresses."""
        if known is loops.plane:
            at, high, wide = (self.whole(a) for a in node.args)
            start = self.b.inttoptr(at, F32.as_pointer())
            return View(start, np.dtype(np.float32), (high, wide), (wide, I64(1)))
        if known is loops.address:
            view = self.value(node.args[0])
            if not isinstance(view, View):
                raise self.refuse(node, "arrays have an address")
            return self.b.ptrtoint(view.start, I64)
        if known is loops.run_kernel:
            kernel, n = (self.whole(a) for a in node.args[:2])
            numbers, rows = (self.value(a) for a in node.args[2:])
            if not isinstance(numbers, View) or not isinstance(rows, View):
                raise self.refuse(node, "a kernel takes its numbers and rows as arrays")
            taken = [I64, numbers.start.type, rows.start.type]
            place = self.b.inttoptr(kernel, ir.FunctionType(ir.VoidType(), taken).as_pointer())
            return self.b.call(place, [n, numbers.start, rows.start])
        raise self.refuse(node, f"{ast.unparse(node.func)} is no loop function")
