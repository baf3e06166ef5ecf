"""The typed tree of a shade function: what the checker makes and the printers walk."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from whorl.shade.builtins import Builtin
from whorl.shade.types import ShadeType

if TYPE_CHECKING:
    from whorl.shade.function import Unchecked


@dataclass(frozen=True)
class Literal:
    type: ShadeType
    value: float | int | bool


@dataclass(frozen=True)
class Name:
    type: ShadeType
    id: str


@dataclass(frozen=True)
class Unary:
    type: ShadeType
    op: str
    operand: Expr


@dataclass(frozen=True)
class Binary:
    """Arithmetic, bit operations, comparisons and `and` / `or`, by their Python spelling."""

    type: ShadeType
    op: str
    left: Expr
    right: Expr


@dataclass(frozen=True)
class Choice:
    """`then if test else otherwise`."""

    type: ShadeType
    test: Expr
    then: Expr
    otherwise: Expr


@dataclass(frozen=True)
class CallBuiltin:
    type: ShadeType
    builtin: Builtin
    args: tuple[Expr, ...]


@dataclass(frozen=True)
class CallShade:
    """A call of another shade function; `fixed` binds its fixed parameters, by name."""

    type: ShadeType
    function: Unchecked
    args: tuple[Expr, ...]
    fixed: tuple[tuple[str, Expr], ...] = ()


@dataclass(frozen=True)
class Construct:
    """A conversion of a scalar, or a vector made from its parts."""

    type: ShadeType
    args: tuple[Expr, ...]


@dataclass(frozen=True)
class Swizzle:
    type: ShadeType
    of: Expr
    letters: str


@dataclass(frozen=True)
class Row:
    """One row of a Table8."""

    type: ShadeType
    table: Expr
    index: Expr


@dataclass(frozen=True)
class Field:
    """A field of a record."""

    type: ShadeType
    of: Expr
    name: str


Expr = Literal | Name | Unary | Binary | Choice | CallBuiltin | CallShade | Construct | Swizzle | Row | Field


@dataclass(frozen=True)
class Assign:
    name: str
    value: Expr


@dataclass(frozen=True)
class If:
    test: Expr
    then: tuple[Stmt, ...]
    otherwise: tuple[Stmt, ...]


@dataclass(frozen=True)
class For:
    name: str
    start: Expr
    stop: Expr
    body: tuple[Stmt, ...]


@dataclass(frozen=True)
class Return:
    value: Expr


Stmt = Assign | If | For | Return


@dataclass(frozen=True)
class Param:
    name: str
    type: ShadeType
    fixed: bool = False

    @property
    def parts(self) -> tuple[Param, ...]:
        """What a caller gives for it, one after another: the fields of a record, or itself."""
        return tuple(Param(f"{self.name}.{name}", kind) for name, kind in self.type.fields) or (self,)


@dataclass(frozen=True, eq=False)
class Tree:
    """A whole function. `locals` holds the type of every name assigned in it."""

    name: str
    params: tuple[Param, ...]
    returns: ShadeType
    body: tuple[Stmt, ...]
    locals: dict[str, ShadeType] = field(default_factory=dict)
    doc: str = ""


def expressions(body: tuple[Stmt, ...]) -> Iterator[Expr]:
    """Every expression of a block, outermost first."""
    for s in body:
        match s:
            case Assign(value=value) | Return(value=value):
                yield from inside(value)
            case If(test=test, then=then, otherwise=otherwise):
                yield from inside(test)
                yield from expressions(then)
                yield from expressions(otherwise)
            case For(body=inner):
                yield from expressions(inner)


def inside(e: Expr) -> Iterator[Expr]:
    """An expression and all it is made of."""
    yield e
    match e:
        case Unary(operand=a) | Swizzle(of=a) | Field(of=a):
            yield from inside(a)
        case Row(table=a, index=b) | Binary(left=a, right=b):
            yield from inside(a)
            yield from inside(b)
        case Choice(test=a, then=b, otherwise=c):
            for part in (a, b, c):
                yield from inside(part)
        case CallBuiltin(args=args) | CallShade(args=args) | Construct(args=args):
            for part in args:
                yield from inside(part)
