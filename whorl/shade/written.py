"""A formula that a person types, as a shade function.

Its language is the expressions of the shading language: arithmetic, comparisons, conditional expressions,
swizzles, built-ins, and functions that are offered by name; names may be given to parts, a line each. Numbers are
floats throughout, and a single number stands for three equal ones wherever three are wanted.

The text is parsed and printed and never run as Python. What it comes to is finite for every finite input: every
operation that could leave the numbers, or go beyond what a float holds, is guarded (`_Guarded`).
"""

import ast
import hashlib
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from difflib import get_close_matches
from functools import lru_cache
from typing import Any, NoReturn

from whorl.shade.builtins import BUILTINS
from whorl.shade.check import Checker
from whorl.shade.function import ShadeFunction, Unchecked
from whorl.shade.printer import weight
from whorl.shade.tree import (
    Assign,
    Binary,
    CallBuiltin,
    CallShade,
    Choice,
    Construct,
    Expr,
    Literal,
    Name,
    Param,
    Return,
    Stmt,
    Swizzle,
    Tree,
    Unary,
)
from whorl.shade.types import BOOL, BY_NAME, F32, VEC2, VEC3, VEC4, ShadeType, floats

#: Characters of a formula; parts of one within another; expressions that it comes to with all that it calls.
LONGEST, DEEPEST, HEAVIEST = 1000, 40, 12000
#: Within this everything on the way is held, so that no product of two overflows a float.
HOLD = 1e18
#: The largest number that can be written.
LARGEST = 1e9
_NAME = re.compile(r"(?=.{1,30}$)[A-Za-z][A-Za-z0-9]*(_[A-Za-z0-9]+)*")
_PLAIN = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_+-*/%.,()<>=!# \t\n")
#: Python's own names for what is built in, and textbooks'.
_ALSO = {"abs": "absolute", "min": "minimum", "max": "maximum", "pow": "power", "lerp": "mix"}
_DOC = "The formula "
_TYPES = {n: t for n, t in BY_NAME.items() if t in (VEC2, VEC3, VEC4)}
_WORDS = {F32: "a number", VEC2: "two numbers", VEC3: "three numbers", VEC4: "four numbers", BOOL: "a yes or no"}


@dataclass
class FormulaError(Exception):
    """What is wrong with a formula: from which character to which, counted from 0, and in words what would be right."""

    start: int
    end: int
    reason: str
    #: What it comes to, where that is not what is wanted.
    comes_to: ShadeType | None = None

    def __str__(self) -> str:
        return self.reason


@dataclass(frozen=True)
class Language:
    """What formulas may use: functions by name, and guards for what could leave the numbers.

    `guards` holds functions of single floats by the name of an operator or built-in.
    """

    offered: Mapping[str, Unchecked]
    guards: Mapping[str, Unchecked]
    #: What the results of functions stay within, where that is known.
    within: Mapping[str, float]

    def __hash__(self) -> int:
        return id(self)


@dataclass(frozen=True)
class Given:
    """A name that a formula knows: its parameter in the function, its type, and what it stays within."""

    param: str
    type: ShadeType
    within: float


@lru_cache(maxsize=512)
def written(
    text: str,
    names: tuple[tuple[str, Given], ...],
    returns: ShadeType,
    language: Language,
    last: Unchecked | None = None,
    spreads: bool = True,
) -> "Formula":
    """The shade function that a formula is; it takes what of `names` it uses, in that order.

    `last` is called with what it comes to; one number `spreads` to three equal ones where three are wanted. Equal
    formulas are one function. Raises FormulaError.
    """
    tree = _Reader(text, dict(names), language).tree_of(returns, last, spreads)
    return _made(tree.doc.removeprefix(_DOC), names, returns, language, last)


@lru_cache(maxsize=512)
def _made(
    text: str, names: tuple[tuple[str, Given], ...], returns: ShadeType, language: Language, last: Unchecked | None
) -> "Formula":
    """The function of a formula without anything that makes no difference, as blanks."""
    reader = _Reader(text, dict(names), language)
    tree = reader.tree_of(returns, last, True)
    guarded = _Guarded(language, {g.param: g.within for _, g in names}, dict(tree.locals))
    body = guarded.block(tree.body)
    used = {e.id for e in reader.named}
    params = tuple(Param(g.param, g.type) for _, g in names if g.param in used)
    identity = f"{tree.doc}|{params}|{returns}|{last and last.name}"
    name = f"formula_{hashlib.sha256(identity.encode()).hexdigest()[:10]}"
    made = Formula(replace(tree, name=name, params=params, body=body, locals=guarded.locals))
    if weight(made, ()) > HEAVIEST:
        raise FormulaError(0, len(text), "this would cost too much; use fewer of the functions in one formula")
    return made


class Formula(ShadeFunction[Any, Any]):
    """A shade function that has no Python to run."""

    def __init__(self, tree: Tree) -> None:
        self.tree, self.name = tree, tree.name
        self.__name__, self.__doc__, self.__module__ = tree.name, tree.doc, __name__

    def __call__(self, *args: Any, **kwargs: Any) -> NoReturn:
        raise TypeError("a formula is compiled, and never run as Python")


class _Reader(Checker):
    """Checks a formula as the shading language is checked, with words for people and places in the text."""

    def __init__(self, text: str, names: Mapping[str, Given], language: Language) -> None:
        self.text, self.names, self.language = text, names, language
        self.locals, self.params, self.constants = {}, {}, set()
        self.named: list[Name] = []
        self.lines = text.split("\n")

    def tree_of(self, returns: ShadeType, towards: Unchecked | None, spreads: bool) -> Tree:
        self.returns, self.spreads = returns, spreads
        body = self.parsed()
        known: set[str] = set()
        statements: list[Stmt] = []
        for node in body[:-1]:
            made, _ = self.statement(node, known)
            statements.append(made)
        last = body[-1]
        if not isinstance(last, ast.Expr | ast.Assign):
            self.fail(last, f"'{ast.unparse(last)}' is not in the language of formulas")
        if isinstance(last, ast.Assign):
            self.fail(last, "the last line says what the formula comes to, without a name before it")
        result = self.result(last.value, self.expr(last.value, known))
        if towards:
            result = CallShade(returns, towards, (result,))
        doc = _DOC + "\n".join(ast.unparse(s) for s in body)
        return Tree("formula", (), returns, (*statements, Return(result)), self.locals, doc)

    def parsed(self) -> list[ast.stmt]:
        text = self.text
        if len(text) > LONGEST:
            raise FormulaError(LONGEST, len(text), f"a formula has up to {LONGEST} characters, this one {len(text)}")
        for i, letter in enumerate(text):
            if letter not in _PLAIN:
                raise FormulaError(
                    i,
                    i + 1,
                    f"'{letter}' is not in the language of formulas"
                    if letter.isprintable()
                    else "there is a character here that cannot be shown",
                )
        try:
            body = ast.parse(text).body
        except SyntaxError as e:
            at = self.offset(e.lineno or 1, (e.offset or 1) - 1)
            end = self.offset(e.end_lineno or 1, (e.end_offset or 1) - 1)
            raise FormulaError(at, max(end, at), _plainly(e)) from None
        except (ValueError, RecursionError, MemoryError):
            raise FormulaError(0, len(text), _DEEP) from None
        if not body:
            raise FormulaError(0, len(text), "say what it comes to, as in x * 2")
        waiting: list[tuple[ast.AST, int]] = [(s, 0) for s in body]
        while waiting:
            node, depth = waiting.pop()
            if depth > DEEPEST:
                self.fail(node, _DEEP)
            waiting += [(n, depth + 1) for n in ast.iter_child_nodes(node)]
        return body

    def offset(self, line: int, column: int) -> int:
        """A place of a syntax tree as so many characters from the start."""
        before = self.lines[: line - 1]
        return min(sum(len(x) + 1 for x in before) + max(column, 0), len(self.text))

    def span(self, node: ast.AST) -> tuple[int, int]:
        """From which character to which a part of the text goes."""
        start = self.offset(getattr(node, "lineno", 1), getattr(node, "col_offset", 0))
        end = self.offset(getattr(node, "end_lineno", 1) or 1, getattr(node, "end_col_offset", 0) or 0)
        return start, max(start, end)

    def fail(self, node: ast.AST, reason: str) -> NoReturn:
        for kind, words in _WORDS.items():
            reason = reason.replace(f"a {kind} ", f"{words} ").replace(f"'{kind}'", words)
        raise FormulaError(*self.span(node), reason)

    def statement(self, node: ast.stmt, known: set[str]) -> tuple[Stmt, bool]:
        if not (isinstance(node, ast.Assign) and len(node.targets) == 1 and isinstance(node.targets[0], ast.Name)):
            self.fail(node, "each line but the last gives a name to a part, as in h = x * 2")
        name = node.targets[0].id
        if not _NAME.fullmatch(name):
            self.fail(node.targets[0], "a name has up to 30 letters and digits, with single '_' between them")
        if name in self.names or name in self.language.offered or name in BUILTINS or name in _ALSO or name in _TYPES:
            self.fail(node.targets[0], f"'{name}' means something already; choose another name")
        value = self.expr(node.value, known)
        if name in known:
            self.fail(node.targets[0], f"'{name}' has its value already; choose another name")
        if value.type == BOOL:
            value = Choice(F32, value, Literal(F32, 1.0), Literal(F32, 0.0))
        self.locals[_own(name)] = value.type
        known.add(name)
        return Assign(_own(name), value), False

    def result(self, node: ast.expr, e: Expr) -> Expr:
        e = self.number_of(e)
        if e.type == VEC2 and self.returns == VEC3:
            return Construct(VEC3, (e, Literal(F32, 0.0)))
        made = e if e.type == self.returns else self.adapt(e, self.returns) if self.spreads else None
        if made is None:
            more = "; take one of them, as in (…).x" if self.returns == F32 else ""
            verb = "is" if self.returns == F32 else "are"
            words = f"it comes to {_WORDS[e.type]}, and {_WORDS[self.returns]} {verb} wanted{more}"
            start = self.offset(node.lineno, node.col_offset)
            raise FormulaError(
                start, max(start, self.offset(node.end_lineno or 1, node.end_col_offset or 0)), words, e.type
            )
        return made

    # Numbers are floats, and one stands for several.

    def adapt(self, e: Expr, wanted: ShadeType) -> Expr | None:
        if e.type == wanted:
            return e
        if e.type == BOOL and wanted != BOOL:
            e = Choice(F32, e, Literal(F32, 1.0), Literal(F32, 0.0))
        if e.type == F32 and wanted == F32:
            return e
        return Construct(wanted, (e,)) if e.type == F32 and wanted.is_vector else None

    def level(self, a: Expr, b: Expr) -> tuple[Expr, Expr]:
        return self.number_of(a), self.number_of(b)

    def number_of(self, e: Expr) -> Expr:
        """A yes or no as 1 or 0."""
        return self.adapt(e, F32) or e if e.type == BOOL else e

    def expr(self, node: ast.expr, known: set[str]) -> Expr:
        match node:
            case ast.Constant(value=bool()):
                self.fail(node, "write 1 for yes and 0 for no")
            case ast.Constant(value=int(value) | float(value)):
                if not abs(value) <= LARGEST:
                    self.fail(node, f"numbers go up to {LARGEST:g}")
                return Literal(F32, float(value))
            case ast.UnaryOp(op=ast.UAdd(), operand=operand):
                return self.number_of(self.expr(operand, known))
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                inner = self.number_of(self.expr(operand, known))
                return Unary(inner.type, "-", inner)
            case ast.BinOp(op=ast.Pow(), left=left, right=right):
                return self.built(node, "power", [self.expr(left, known), self.expr(right, known)])
            case ast.BinOp(op=ast.Mod(), left=left, right=right):
                return self.built(node, "mod", [self.expr(left, known), self.expr(right, known)])
            case ast.IfExp(test=test, body=body, orelse=orelse):
                condition = self.yes(test, known)
                a, b = self.like(node, [self.expr(body, known), self.expr(orelse, known)])
                return Choice(a.type, condition, a, b)
            case ast.BoolOp(op=op, values=values):
                word = "and" if isinstance(op, ast.And) else "or"
                parts = [self.yes(v, known) for v in values]
                whole = parts[0]
                for part in parts[1:]:
                    whole = Binary(BOOL, word, whole, part)
                return whole
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return Unary(BOOL, "not", self.yes(operand, known))
            case ast.Compare(left=left, ops=ops, comparators=[*rights]) if len(ops) > 1:
                each = [left, *rights]
                pairs = [
                    ast.copy_location(ast.Compare(a, [op], [b]), node)
                    for a, op, b in zip(each, ops, each[1:], strict=False)
                ]
                return self.expr(ast.copy_location(ast.BoolOp(ast.And(), list(pairs)), node), known)
            case ast.Name() | ast.BinOp() | ast.Compare() | ast.Call() | ast.Attribute():
                return super().expr(node, known)
        self.fail(node, f"'{ast.unparse(node)}' is not in the language of formulas")

    def yes(self, node: ast.expr, known: set[str]) -> Expr:
        """A yes or no; of a number, whether it is over a half."""
        e = self.expr(node, known)
        if e.type.is_vector:
            self.fail(node, f"{_WORDS[e.type]} are no yes or no; compare one of them")
        return e if e.type == BOOL else Binary(BOOL, ">", e, Literal(F32, 0.5))

    def like(self, node: ast.AST, given: list[Expr]) -> list[Expr]:
        """All as wide as the widest."""
        given = [self.number_of(e) for e in given]
        widest = max((e.type for e in given), key=lambda t: t.size)
        return [self.as_type(e, widest, node) for e in given]

    def as_type(self, e: Expr, wanted: ShadeType, node: ast.AST, why: str = "") -> Expr:
        made = self.adapt(e, wanted)
        if made is None:
            self.fail(node, f"{_WORDS[e.type]} stand where {_WORDS[wanted]} is needed" + (f" ({why})" if why else ""))
        return made

    def binary(self, node: ast.AST, op: ast.operator, a: Expr, b: Expr) -> Expr:
        if not isinstance(op, ast.Add | ast.Sub | ast.Mult | ast.Div):
            self.fail(node, "a formula adds, subtracts, multiplies, divides, and takes powers and remainders")
        a, b = self.level(a, b)
        if a.type.is_vector and b.type.is_vector and a.type != b.type:
            self.fail(node, f"{_WORDS[a.type]} and {_WORDS[b.type]} do not go together")
        return super().binary(node, op, a, b)

    def name(self, node: ast.expr, name: str, known: set[str]) -> Expr:
        given = self.names.get(name)
        if given:
            made = Name(given.type, given.param)
            self.named.append(made)
            return made
        if name in known:
            return Name(self.locals[_own(name)], _own(name))
        if name in self.language.offered or name in BUILTINS or name in _ALSO:
            self.fail(node, f"{name} is a function; say of what, as in {name}(x)")
        self.fail(node, f"'{name}' is not known here; there are {', '.join([*self.names, *sorted(known)])}")

    def swizzle(self, node: ast.AST, of: Expr, letters: str) -> Expr:
        components = letters.translate(str.maketrans("rgba", "xyzw"))
        if of.type == BOOL or not 1 <= len(letters) <= 4 or any(c not in "xyzw" for c in components):
            self.fail(node, f"there is no '.{letters}'; take components by x, y and z, or r, g and b")
        if of.type == F32:
            # One number is as many equal ones as are wanted.
            return of if len(letters) == 1 else Construct(floats(len(letters)), (of,))
        if any("xyzw".index(c) >= of.type.size for c in components):
            self.fail(node, f"{_WORDS[of.type]} have no '.{letters}'")
        return Swizzle(floats(len(letters)), of, components)

    def call(self, node: ast.Call, known: set[str]) -> Expr:
        if not isinstance(node.func, ast.Name) or node.keywords or any(isinstance(a, ast.Starred) for a in node.args):
            self.fail(node, "a call names one function and gives its numbers in order, as in mix(x, a, 0.5)")
        name = node.func.id
        args = [self.number_of(self.expr(a, known)) for a in node.args]
        if name in _TYPES:
            return self.construct(node, _TYPES[name], args)
        name = _ALSO.get(name, name)
        if name in self.language.offered:
            return self.offered(node, self.language.offered[name], args)
        if name in BUILTINS and name not in ("texel", "extent"):
            return self.built(node, name, args)
        near = get_close_matches(node.func.id, known_functions(self.language), 1)
        self.fail(node.func, f"there is no function '{node.func.id}'" + (f"; is {near[0]} meant?" if near else ""))

    def offered(self, node: ast.Call, function: Unchecked, args: list[Expr]) -> Expr:
        params = function.tree.params
        assert isinstance(node.func, ast.Name)
        name = node.func.id
        if len(args) != len(params):
            self.fail(
                node, f"{name} takes {_counted(len(params))} ({', '.join(p.name for p in params)}), not {len(args)}"
            )
        given = []
        for p, a, at in zip(params, args, node.args, strict=True):
            if a.type == VEC2 and p.type == VEC3:
                a = Construct(VEC3, (a, Literal(F32, 0.0)))
            given.append(self.as_type(a, p.type, at, f"'{p.name}' of {name}"))
        return CallShade(function.tree.returns, function, tuple(given))

    def built(self, node: ast.AST, name: str, args: list[Expr]) -> Expr:
        b = BUILTINS[name]
        if len(args) != b.arity:
            self.fail(node, f"{name} takes {_counted(b.arity)}, not {len(args)}")
        args = [self.number_of(a) for a in args]
        if name in ("length", "dot") and all(a.type == F32 for a in args):
            return self.built(node, "absolute", args) if name == "length" else Binary(F32, "*", *args)
        if name == "power" and isinstance(args[1], Literal) and args[1].value == 2.0:
            return CallBuiltin(args[0].type, b, tuple(args))
        made = self.like(node, args)
        result = b.result([a.type for a in made])
        if result is None:
            self.fail(node, f"{name} does not take {' and '.join(_WORDS[a.type] for a in args)}")
        return CallBuiltin(result, b, tuple(made))


#: What built-ins take and are, for people; two names for one thing are told once.
_BUILT_IN = {
    "abs": ("value", "Without its sign."),
    "floor": ("value", "The whole number below."),
    "fract": ("value", "What is over the whole number below, 0..1."),
    "sqrt": ("value", "The square root; 0 of what is below nought."),
    "sin": ("angle", "The sine of an angle in radians."),
    "cos": ("angle", "The cosine of an angle in radians."),
    "exp2": ("value", "2 to that power."),
    "log2": ("value", "The logarithm to base 2."),
    "atan2": ("y, x", "The angle of a point in radians."),
    "power": ("value, exponent", "To a power, as value ** exponent."),
    "mod": ("value, by", "What is left after whole times by, as value % by."),
    "min": ("one, other", "The lesser."),
    "max": ("one, other", "The greater."),
    "clamp": ("value, low, high", "Held within low and high."),
    "mix": ("one, other, share", "From one to the other."),
    "step": ("edge, value", "0 below an edge, 1 from it on."),
    "dot": ("one, other", "How far two directions agree, times their lengths."),
    "cross": ("one, other", "The direction square to two."),
    "length": ("value", "How long it is."),
    "Vec2": ("x, y", "Two numbers as one."),
    "Vec3": ("x, y, z", "Three numbers as one: a colour, coordinates, a direction."),
}


@dataclass(frozen=True)
class Offer:
    """A function that formulas may call: its name, what it takes, and in words what it comes to."""

    name: str
    takes: str
    words: str


def offers(language: Language) -> list[Offer]:
    """All functions of a language that are told of, those of its own first."""
    own = [
        Offer(name, ", ".join(p.name for p in f.tree.params), f.tree.doc.split("\n")[0])
        for name, f in language.offered.items()
    ]
    return [*own, *(Offer(name, takes, words) for name, (takes, words) in _BUILT_IN.items())]


def known_functions(language: Language) -> list[str]:
    """The functions that formulas may call, by name."""
    return sorted({*language.offered, *BUILTINS, *_ALSO, *_TYPES} - {"texel", "extent"})


class _Guarded:
    """The same formula with everything on the way held within ±HOLD, by how far each part can go."""

    def __init__(self, language: Language, within: dict[str, float], locals: dict[str, ShadeType]) -> None:
        self.language, self.within, self.locals = language, within, locals
        self.before: list[Stmt] = []

    def block(self, body: tuple[Stmt, ...]) -> tuple[Stmt, ...]:
        out: list[Stmt] = []
        for s in body:
            assert isinstance(s, Assign | Return)
            value, reach = self.expr(s.value)
            if isinstance(s, Assign):
                self.within[s.name] = reach
            out += [*self.before, replace(s, value=value)]
            self.before = []
        return tuple(out)

    def expr(self, e: Expr) -> tuple[Expr, float]:
        """An expression that stays within the numbers, and how far it can go."""
        match e:
            case Literal(value=value):
                return e, abs(float(value))
            case Name(id=name):
                return e, self.within[name]
            case Unary(operand=a):
                inner, reach = self.expr(a)
                return replace(e, operand=inner), reach
            case Binary(op="/", left=a, right=Literal(value=by)) if abs(by) >= 1e-6:
                left, reach = self.expr(a)
                return _held(replace(e, left=left), reach / abs(by))
            case Binary(op="/", left=a, right=b):
                return self.guarded(e, "/", [self.expr(a)[0], self.expr(b)[0]])
            case Binary(op=op, left=a, right=b):
                (left, far), (right, wide) = self.expr(a), self.expr(b)
                return _held(replace(e, left=left, right=right), far * wide if op == "*" else far + wide)
            case Choice(test=t, then=a, otherwise=b):
                (test, _), (then, far), (otherwise, wide) = map(self.expr, (t, a, b))
                return Choice(e.type, test, then, otherwise), max(far, wide)
            case Construct(args=args):
                parts = [self.expr(a) for a in args]
                return replace(e, args=tuple(p for p, _ in parts)), max(r for _, r in parts)
            case Swizzle(of=of):
                inner, reach = self.expr(of)
                return replace(e, of=inner), reach
            case CallShade(function=f, args=args):
                called = replace(e, args=tuple(self.expr(a)[0] for a in args))
                return _held(called, self.language.within.get(f.name, math.inf))
            case CallBuiltin(builtin=b, args=[a, Literal(value=2.0)]) if b.name == "power":
                base, reach = self.expr(a)
                root = base if isinstance(base, Name) else self.kept(base)
                return _held(Binary(e.type, "*", root, root), reach * reach)
            case CallBuiltin(builtin=b, args=args):
                parts = [self.expr(a) for a in args]
                if b.name in self.language.guards:
                    return self.guarded(e, b.name, [p for p, _ in parts])
                made = replace(e, args=tuple(p for p, _ in parts))
                return _held(made, _reach(b.name, [r for _, r in parts], args[0].type.size))
        raise AssertionError(e)

    def guarded(self, e: Expr, name: str, args: list[Expr]) -> tuple[Expr, float]:
        """A guard called for each component; what comes in gets a name, to be reckoned once."""
        function = self.language.guards[name]
        reach = self.language.within[function.name]
        if e.type == F32:
            return CallShade(F32, function, tuple(args)), reach
        kept = [a if a.type == F32 or isinstance(a, Name) else self.kept(a) for a in args]
        each = [
            CallShade(F32, function, tuple(a if a.type == F32 else Swizzle(F32, a, c) for a in kept))
            for c in "xyzw"[: e.type.size]
        ]
        return Construct(e.type, tuple(each)), reach

    def kept(self, e: Expr) -> Name:
        name = f"part{len(self.locals)}"
        self.locals[name] = e.type
        self.before.append(Assign(name, e))
        return Name(e.type, name)


def _held(e: Expr, reach: float) -> tuple[Expr, float]:
    """Clamped where it could go too far for a product of two."""
    if reach <= HOLD:
        return e, reach
    ends = (Literal(F32, -HOLD), Literal(F32, HOLD))
    return CallBuiltin(e.type, BUILTINS["clamp"], (e, *ends)), HOLD


def _reach(name: str, far: list[float], size: int) -> float:
    """How far the result of a built-in can go, from how far its arguments can."""
    match name:
        case "fract" | "step":
            return 1.0
        case "dot":
            return size * far[0] * far[1]
        case "cross":
            return 2 * far[0] * far[1]
        case "length":
            return math.sqrt(size) * far[0]
        case "mix":
            return far[0] + (far[0] + far[1]) * far[2]
        case "floor":
            return far[0] + 1
    return max(far)


def _own(name: str) -> str:
    """What a part's name is in the function, where functions have names too."""
    return f"own_{name}"


_DEEP = "this is nested too deeply; give parts of it names, a line each"
_SAYS = {
    "was never closed": "this bracket is never closed",
    "unmatched": "this bracket was never opened",
    "unexpected EOF": "something is missing at the end",
    "unexpected indent": "lines begin without blanks",
    "too many nested": _DEEP,
    "cannot assign": "only a name stands before '='",
    "Maybe you meant '=='": "only a name stands before '='; to compare, write '=='",
    "expected 'else'": "after 'if …' comes 'else …'",
}


def _plainly(e: SyntaxError) -> str:
    return next(
        (words for key, words in _SAYS.items() if key in (e.msg or "")), "this cannot be read; is something missing?"
    )


def _counted(n: int) -> str:
    return f"{n} number{'s' * (n != 1)}"
