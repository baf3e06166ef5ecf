"""From a Python function's syntax tree to a typed tree, or a located refusal."""

import ast
import inspect
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any, NoReturn

from whorl.shade.builtins import BUILTINS
from whorl.shade.errors import ShadeError
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
    Param,
    Return,
    Row,
    Stmt,
    Swizzle,
    Tree,
    Unary,
)
from whorl.shade.types import BOOL, BY_NAME, F32, I32, IMAGE, U32, VEC4, ShadeType, floats

_ARITHMETIC = {ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/"}
_INTEGER = {ast.FloorDiv: "//", ast.Mod: "%"}
_BITS = {ast.BitAnd: "&", ast.BitOr: "|", ast.BitXor: "^", ast.LShift: "<<", ast.RShift: ">>"}
#: Comparisons as they are written, of shade functions and of loop functions.
COMPARE: dict[type[ast.cmpop], str] = {
    ast.Lt: "<",
    ast.LtE: "<=",
    ast.Gt: ">",
    ast.GtE: ">=",
    ast.Eq: "==",
    ast.NotEq: "!=",
}
_INSTEAD = {
    ast.Pow: "'**' is not in the shading language; call power(x, y)",
    ast.Mod: "'%' takes i32; for floats call mod(x, y)",
    ast.FloorDiv: "'//' takes i32; for floats call floor(x / y)",
}


@lru_cache(maxsize=64)
def _definitions(file: str) -> dict[int, ast.FunctionDef]:
    """The functions of a file by the line they begin at, decorators included; it is parsed once for all of them."""
    tree = ast.parse(Path(file).read_text(encoding="utf-8"))
    found, waiting = list[ast.FunctionDef](), list[ast.stmt](tree.body)
    while waiting:
        node = waiting.pop()
        if isinstance(node, ast.FunctionDef):
            found.append(node)
        waiting += [s for s in getattr(node, "body", ()) if isinstance(s, ast.stmt)]
    return {min([d.lineno for d in f.decorator_list] or [f.lineno]): f for f in found}


class Checker:
    """Checks one function; see ARCHITECTURE.md for the subset."""

    def __init__(self, function: Callable[..., Any]) -> None:
        self.function = function
        self.file = inspect.getsourcefile(function) or "?"
        self.definition = _definitions(self.file)[function.__code__.co_firstlineno]
        self.locals: dict[str, ShadeType] = {}
        self.params: dict[str, Param] = {}
        self.constants: set[str] = set()

    def fail(self, node: ast.AST, reason: str) -> NoReturn:
        raise ShadeError(self.file, getattr(node, "lineno", self.definition.lineno), reason)

    def tree(self) -> Tree:
        d = self.definition
        if d.args.vararg or d.args.kwarg or d.args.kwonlyargs or d.args.defaults:
            self.fail(d, f"{d.name}: parameters are plain and annotated, without defaults")
        params = tuple(self.param(a) for a in d.args.args)
        self.params = {p.name: p for p in params}
        self.constants = {p.name for p in params if p.fixed}
        if d.returns is None:
            self.fail(d, f"{d.name}: say what it returns, as in '-> f32'")
        returns = self.type_of(d.returns)
        if returns.rows or returns == IMAGE:
            self.fail(d, f"{d.name}: a {returns} is given to functions and not returned")
        self.returns = returns
        body = d.body
        if isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant):
            body = body[1:]
        known = set(self.params)
        statements, ended = self.block(body, known)
        if not ended:
            self.fail(d, f"{d.name}: not every way through it returns a {returns}")
        return Tree(d.name, params, returns, statements, self.locals, ast.get_docstring(d) or "")

    def param(self, arg: ast.arg) -> Param:
        note = arg.annotation
        if note is None:
            self.fail(arg, f"parameter '{arg.arg}' needs a type")
        if isinstance(note, ast.Subscript) and isinstance(note.value, ast.Name) and note.value.id == "Fixed":
            return Param(arg.arg, self.type_of(note.slice), fixed=True)
        return Param(arg.arg, self.type_of(note))

    def type_of(self, note: ast.expr) -> ShadeType:
        name = note.id if isinstance(note, ast.Name) else ast.unparse(note)
        made = BY_NAME.get(name) or self.record(name)
        if made is None:
            self.fail(note, f"'{name}' is no type here; there are {', '.join(BY_NAME)} and records")
        return made

    def record(self, name: str) -> ShadeType | None:
        """The type of a record that the function's module knows by this name."""
        made = getattr(self.function.__globals__.get(name), "shade_type", None)
        return made if isinstance(made, ShadeType) else None

    # --- statements -------------------------------------------------------------------

    def block(self, body: list[ast.stmt], known: set[str]) -> tuple[tuple[Stmt, ...], bool]:
        """The statements and whether they always return; `known` gains what they set."""
        out: list[Stmt] = []
        for statement in body:
            made, ended = self.statement(statement, known)
            out.append(made)
            if ended:
                return tuple(out), True
        return tuple(out), False

    def statement(self, node: ast.stmt, known: set[str]) -> tuple[Stmt, bool]:
        match node:
            case ast.Return(value=value) if value is not None:
                return Return(self.as_type(self.expr(value, known), self.returns, node)), True
            case ast.Assign(targets=[ast.Name(id=name)], value=value):
                return self.assign(node, name, self.expr(value, known), known), False
            case ast.AnnAssign(target=ast.Name(id=name), value=value) if value is not None:
                wanted = self.type_of(node.annotation)
                return self.assign(node, name, self.as_type(self.expr(value, known), wanted, node), known), False
            case ast.AugAssign(target=ast.Name(id=name), op=op, value=value):
                whole = ast.BinOp(ast.Name(name, ast.Load()), op, value)
                ast.copy_location(whole, node)
                ast.copy_location(whole.left, node)
                return self.assign(node, name, self.expr(whole, known), known), False
            case ast.If(test=test, body=body, orelse=orelse):
                condition = self.as_type(self.expr(test, known), BOOL, node)
                left, right = set(known), set(known)
                then, then_ends = self.block(body, left)
                otherwise, otherwise_ends = self.block(orelse, right)
                # What is set for certain afterwards; a branch that returns has no say.
                known |= right if then_ends else left if otherwise_ends else left & right
                return If(condition, then, otherwise), then_ends and otherwise_ends
            case ast.For(target=ast.Name(id=name), orelse=[]):
                return self.loop(node, name, known), False
        self.fail(node, f"'{ast.unparse(node).splitlines()[0]}' is not in the shading language")

    def assign(self, node: ast.stmt, name: str, value: Expr, known: set[str]) -> Assign:
        if name in self.params or name in self.constants:
            self.fail(node, f"'{name}' is a parameter or a loop counter and keeps its value")
        if value.type == IMAGE:
            self.fail(node, "an image is passed on as it is, and not kept under another name")
        was = self.locals.get(name)
        if was is None:
            self.locals[name] = value.type
        else:
            value = self.as_type(value, was, node, f"'{name}' is a {was} above")
        known.add(name)
        return Assign(name, value)

    def loop(self, node: ast.For, name: str, known: set[str]) -> For:
        call = node.iter
        if not (isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id == "range"):
            self.fail(node, "a loop runs over range(…)")
        if not 1 <= len(call.args) <= 2:
            self.fail(node, "range takes a stop, or a start and a stop")
        ends = [self.as_type(self.expr(a, known), I32, node) for a in call.args]
        for end in ends:
            if not self.is_constant(end):
                self.fail(node, "a loop's range is constant: literals, Fixed parameters, outer counters")
        if name in self.locals or name in self.params:
            self.fail(node, f"the counter '{name}' needs a name of its own")
        self.constants.add(name)
        body, ended = self.block(node.body, set(known) | {name})
        self.constants.discard(name)
        if ended:
            self.fail(node, "a loop does not return at its end")
        start = ends[0] if len(ends) == 2 else Literal(I32, 0)
        return For(name, start, ends[-1], body)

    def is_constant(self, e: Expr) -> bool:
        match e:
            case Literal():
                return True
            case Name(id=name):
                return name in self.constants
            case Unary(operand=operand):
                return self.is_constant(operand)
            case Binary(left=left, right=right):
                return self.is_constant(left) and self.is_constant(right)
            case Choice(test=test, then=then, otherwise=otherwise):
                return all(map(self.is_constant, (test, then, otherwise)))
        return False

    # --- expressions ------------------------------------------------------------------

    def as_type(self, e: Expr, wanted: ShadeType, node: ast.AST, why: str = "") -> Expr:
        if e.type == wanted:
            return e
        adapted = self.adapt(e, wanted)
        if adapted is not None:
            return adapted
        self.fail(node, f"a {e.type} stands where a {wanted} is needed" + (f" ({why})" if why else ""))

    def adapt(self, e: Expr, wanted: ShadeType) -> Expr | None:
        """An integer literal becomes the number its surroundings need."""
        if isinstance(e, Literal) and e.type == I32 and wanted in (F32, U32):
            return Literal(wanted, float(e.value) if wanted == F32 else int(e.value))
        if isinstance(e, Unary) and e.op == "-" and wanted == F32:
            inner = self.adapt(e.operand, wanted)
            return inner and Unary(F32, "-", inner)
        return None

    def expr(self, node: ast.expr, known: set[str]) -> Expr:
        match node:
            case ast.Constant(value=bool(value)):
                return Literal(BOOL, value)
            case ast.Constant(value=int(value)):
                return Literal(I32, value)
            case ast.Constant(value=float(value)):
                return Literal(F32, value)
            case ast.Name(id=name):
                return self.name(node, name, known)
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                inner = self.expr(operand, known)
                if not inner.type.is_number or inner.type == U32:
                    self.fail(node, f"'-' does not act on a {inner.type}")
                return Unary(inner.type, "-", inner)
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return Unary(BOOL, "not", self.as_type(self.expr(operand, known), BOOL, node))
            case ast.BinOp(left=left, op=op, right=right):
                return self.binary(node, op, self.expr(left, known), self.expr(right, known))
            case ast.BoolOp(op=op, values=values):
                word = "and" if isinstance(op, ast.And) else "or"
                parts = [self.as_type(self.expr(v, known), BOOL, node) for v in values]
                whole = parts[0]
                for part in parts[1:]:
                    whole = Binary(BOOL, word, whole, part)
                return whole
            case ast.Compare(left=left, ops=[op], comparators=[right]) if type(op) in COMPARE:
                a, b = self.level(self.expr(left, known), self.expr(right, known))
                if a.type != b.type or a.type.size != 1:
                    self.fail(node, f"a {a.type} is not compared with a {b.type}")
                return Binary(BOOL, COMPARE[type(op)], a, b)
            case ast.IfExp(test=test, body=body, orelse=orelse):
                condition = self.as_type(self.expr(test, known), BOOL, node)
                a, b = self.level(self.expr(body, known), self.expr(orelse, known))
                if a.type == IMAGE:
                    self.fail(node, "there is no choice between images; choose between their texels")
                return Choice(a.type, condition, a, self.as_type(b, a.type, node))
            case ast.Call():
                return self.call(node, known)
            case ast.Attribute(value=value, attr=attr):
                of = self.expr(value, known)
                field = of.type.field(attr)
                return Field(field, of, attr) if field else self.swizzle(node, of, attr)
            case ast.Subscript(value=value, slice=index):
                table = self.expr(value, known)
                row = self.as_type(self.expr(index, known), I32, node)
                if not table.type.rows or not self.is_constant(row):
                    self.fail(node, "only a table is indexed, by a constant or a loop counter")
                return Row(VEC4, table, row)
        self.fail(node, f"'{ast.unparse(node)}' is not in the shading language")

    def level(self, a: Expr, b: Expr) -> tuple[Expr, Expr]:
        """Adapt a literal on either side to the other side's type."""
        return self.adapt(a, b.type) or a, self.adapt(b, a.type) or b

    def name(self, node: ast.expr, name: str, known: set[str]) -> Expr:
        if name in self.params:
            return Name(self.params[name].type, name)
        if name in self.constants:
            return Name(I32, name)
        if name in self.locals:
            if name not in known:
                self.fail(node, f"'{name}' may be used here before it is set")
            return Name(self.locals[name], name)
        value = self.function.__globals__.get(name)
        if isinstance(value, bool) or not isinstance(value, int | float):
            self.fail(node, f"'{name}' is not known here: use a parameter, a local or a numeric constant")
        return Literal(F32, value) if isinstance(value, float) else Literal(I32, value)

    def binary(self, node: ast.AST, op: ast.operator, a: Expr, b: Expr) -> Expr:
        a, b = self.level(a, b)
        # A literal beside a vector is a float.
        if a.type.is_vector:
            b = self.adapt(b, F32) or b
        if b.type.is_vector:
            a = self.adapt(a, F32) or a
        kind = type(op)
        if kind in _ARITHMETIC:
            symbol = _ARITHMETIC[kind]
            if a.type == b.type and a.type.is_number:
                if symbol == "/" and a.type.scalar != "f32":
                    self.fail(node, "'/' takes floats; for i32 use '//'")
                return Binary(a.type, symbol, a, b)
            if a.type.is_vector and b.type == F32:
                return Binary(a.type, symbol, a, b)
            if b.type.is_vector and a.type == F32:
                return Binary(b.type, symbol, a, b)
        elif kind in _INTEGER and a.type == b.type == I32:
            return Binary(I32, _INTEGER[kind], a, b)
        elif kind in _BITS:
            if kind in (ast.LShift, ast.RShift) and a.type == U32 and b.type == I32:
                b = Construct(U32, (b,))
            if a.type == b.type and a.type in (I32, U32):
                return Binary(a.type, _BITS[kind], a, b)
        if kind in _INSTEAD:
            self.fail(node, _INSTEAD[kind])
        self.fail(node, f"a {a.type} and a {b.type} do not go together here; convert one, as in f32(i)")

    def swizzle(self, node: ast.AST, of: Expr, letters: str) -> Expr:
        allowed = "xyzw"[: of.type.size] if of.type.is_vector else ""
        if not letters or len(letters) > 4 or any(c not in allowed for c in letters):
            fields = f"; it has {', '.join(name for name, _ in of.type.fields)}" if of.type.fields else ""
            self.fail(node, f"a {of.type} has no '.{letters}'{fields}")
        return Swizzle(floats(len(letters)), of, letters)

    def call(self, node: ast.Call, known: set[str]) -> Expr:
        from whorl.shade.function import ShadeFunction

        if not isinstance(node.func, ast.Name) or node.keywords:
            self.fail(node, "a call names one function and gives its arguments in order")
        name = node.func.id
        args = [self.expr(a, known) for a in node.args]
        if name in BY_NAME:
            return self.construct(node, BY_NAME[name], args)
        if name in BUILTINS:
            return self.builtin(node, name, args)
        record = self.record(name)
        if record:
            return self.construct_record(node, record, args)
        callee = self.function.__globals__.get(name)
        if not isinstance(callee, ShadeFunction):
            self.fail(node, f"'{name}' is neither a built-in nor a shade function written above")
        params = callee.tree.params
        if len(params) != len(args):
            self.fail(node, f"{name} takes {len(params)} arguments, not {len(args)}")
        plain, fixed = [], []
        for param, arg in zip(params, args, strict=True):
            arg = self.as_type(arg, param.type, node, f"'{param.name}' of {name}")
            if param.fixed:
                if not self.is_constant(arg):
                    self.fail(node, f"'{param.name}' of {name} is Fixed and needs a constant")
                fixed.append((param.name, arg))
            else:
                plain.append(arg)
        return CallShade(callee.tree.returns, callee, tuple(plain), tuple(fixed))

    def construct_record(self, node: ast.Call, record: ShadeType, args: list[Expr]) -> Expr:
        if len(args) != len(record.fields):
            self.fail(node, f"{record} has {len(record.fields)} fields, not {len(args)}")
        given = zip(args, record.fields, strict=True)
        return Construct(record, tuple(self.as_type(a, kind, node, f"'{n}' of {record}") for a, (n, kind) in given))

    def construct(self, node: ast.Call, wanted: ShadeType, args: list[Expr]) -> Expr:
        if wanted.size == 1:
            if len(args) != 1 or args[0].type.size != 1:
                self.fail(node, f"{wanted}(…) converts one number")
            return self.adapt(args[0], wanted) or Construct(wanted, tuple(args))
        parts = [self.adapt(a, F32) or a for a in args]
        total = sum(p.type.size for p in parts)
        if not wanted.is_vector or any(p.type.fields or p.type.scalar != "f32" for p in parts):
            self.fail(node, f"{wanted}(…) is made from floats")
        if total != wanted.size and not (len(parts) == 1 and total == 1):
            self.fail(node, f"{wanted} takes {wanted.size} components, not {total}")
        return Construct(wanted, tuple(parts))

    def builtin(self, node: ast.Call, name: str, args: list[Expr]) -> Expr:
        b = BUILTINS[name]
        if len(args) != b.arity:
            self.fail(node, f"{name} takes {b.arity} arguments, not {len(args)}")
        if any(a.type.scalar == "f32" for a in args):
            args = [self.adapt(a, F32) or a for a in args]
        elif any(a.type == U32 for a in args):
            args = [self.adapt(a, U32) or a for a in args]
        result = b.result([a.type for a in args])
        if result is None and name != "minimum" and all(a.type == I32 and self.adapt(a, F32) for a in args):
            args = [self.adapt(a, F32) or a for a in args]
            result = b.result([a.type for a in args])
        if result is None:
            self.fail(node, f"{name} does not take ({', '.join(str(a.type) for a in args)})")
        return CallBuiltin(result, b, tuple(args))
