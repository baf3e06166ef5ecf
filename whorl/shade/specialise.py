"""Fixed parameters bound, constant branches taken and, where wanted, loops unrolled."""

import sys
from dataclasses import replace
from functools import lru_cache
from typing import Any

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
    Tree,
    Unary,
    expressions,
    inside,
)
from whorl.shade.types import F32, I32

Fixed = tuple[tuple[str, int], ...]

_FOLD: dict[str, Any] = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "//": lambda a, b: a // b,
    "%": lambda a, b: a % b,
    "<": lambda a, b: a < b,
    "<=": lambda a, b: a <= b,
    ">": lambda a, b: a > b,
    ">=": lambda a, b: a >= b,
    "==": lambda a, b: a == b,
    "!=": lambda a, b: a != b,
}


@lru_cache(maxsize=4096)
def specialise(tree: Tree | Any, fixed: Fixed, unroll: int) -> tuple[Stmt, ...]:
    """The body of `tree` with its fixed parameters bound; loop nests of up to `unroll` rounds are laid out.

    Where any are, so are those that take one row of a table after another.
    """
    return _Specialiser(dict(fixed), unroll).block(tree.body)


class _Specialiser:
    def __init__(self, bound: dict[str, int], unroll: int) -> None:
        self.bound = bound
        self.unroll = unroll

    def block(self, body: tuple[Stmt, ...]) -> tuple[Stmt, ...]:
        out: list[Stmt] = []
        for s in body:
            match s:
                case Assign(name=name, value=value):
                    out.append(Assign(name, self.expr(value)))
                case Return(value=value):
                    out.append(Return(self.expr(value)))
                case If(test=test, then=then, otherwise=otherwise):
                    condition = self.expr(test)
                    if isinstance(condition, Literal):
                        out.extend(self.block(then if condition.value else otherwise))
                    else:
                        out.append(If(condition, self.block(then), self.block(otherwise)))
                case For(name=name, start=start, stop=stop, body=inner):
                    first, last = self.expr(start), self.expr(stop)
                    if _rounds(self.bound, s) <= self.unroll or (self.unroll and _over_rows(s)):
                        assert isinstance(first, Literal) and isinstance(last, Literal)
                        for i in range(int(first.value), int(last.value)):
                            self.bound[name] = i
                            out.extend(self.block(inner))
                        self.bound.pop(name, None)
                    else:
                        out.append(For(name, first, last, self.block(inner)))
            if out and isinstance(out[-1], Return):
                break
        return tuple(out)

    def expr(self, e: Expr) -> Expr:
        match e:
            case Name(id=name) if name in self.bound:
                return Literal(I32, self.bound[name])
            case Unary(op=op, operand=operand):
                inner = self.expr(operand)
                if isinstance(inner, Literal) and e.type == I32:
                    return Literal(I32, -inner.value)
                if isinstance(inner, Literal) and op == "not":
                    return Literal(e.type, not inner.value)
                return replace(e, operand=inner)
            case Binary(op=op, left=left, right=right):
                a, b = self.expr(left), self.expr(right)
                if isinstance(a, Literal) and isinstance(b, Literal) and a.type.name != "f32" and op in _FOLD:
                    return Literal(e.type, _FOLD[op](a.value, b.value))
                if op in ("and", "or") and (isinstance(a, Literal) or isinstance(b, Literal)):
                    known, other = (a, b) if isinstance(a, Literal) else (b, a)
                    assert isinstance(known, Literal)
                    return other if bool(known.value) == (op == "and") else known
                return replace(e, left=a, right=b)
            case Choice(test=test, then=then, otherwise=otherwise):
                condition = self.expr(test)
                if isinstance(condition, Literal):
                    return self.expr(then if condition.value else otherwise)
                return Choice(e.type, condition, self.expr(then), self.expr(otherwise))
            case Construct(args=args):
                made = tuple(self.expr(a) for a in args)
                if e.type == F32 and isinstance(made[0], Literal):
                    return Literal(F32, float(made[0].value))
                return replace(e, args=made)
            case CallBuiltin(args=args):
                return replace(e, args=tuple(self.expr(a) for a in args))
            case CallShade(args=args, fixed=fixed):
                return replace(
                    e,
                    args=tuple(self.expr(a) for a in args),
                    fixed=tuple((n, self.expr(v)) for n, v in fixed),
                )
            case Swizzle(of=of) | Field(of=of):
                return replace(e, of=self.expr(of))
            case Row(table=table, index=index):
                return replace(e, table=self.expr(table), index=self.expr(index))
        return e


def _rounds(known: dict[str, int], loop: For) -> int:
    """How often the innermost statements of a loop nest run."""
    folder = _Specialiser(known, unroll=0)
    first, last = folder.expr(loop.start), folder.expr(loop.stop)
    if not isinstance(first, Literal) or not isinstance(last, Literal):
        return sys.maxsize
    inner = max((_rounds(known, s) for s in loop.body if isinstance(s, For)), default=1)
    return (int(last.value) - int(first.value)) * inner


def _over_rows(loop: For) -> bool:
    rows = (e.index for e in expressions(loop.body) if isinstance(e, Row))
    return any(isinstance(e, Name) and e.id == loop.name for index in rows for e in inside(index))


def bound(call: CallShade) -> Fixed:
    """The values of a specialised call's fixed arguments."""
    return tuple((n, int(v.value)) for n, v in call.fixed if isinstance(v, Literal))
