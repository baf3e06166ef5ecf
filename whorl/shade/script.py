"""TypeScript and JavaScript as dialects, for what a page reckons by itself: functions of single numbers."""

from collections.abc import Iterable
from dataclasses import replace

from whorl.shade.clike import CLikePrinter, Dialect
from whorl.shade.function import Unchecked
from whorl.shade.specialise import Fixed

#: Reserved words of ECMAScript 2024 (section 12.7.2) that Python does not have.
_TAKEN = frozenset(
    """
    case catch const debugger default delete do enum export extends function implements instanceof interface
    let new null package private protected public static super switch this throw typeof var void
    """.split()  # noqa: SIM905 - as a list it would be a page long
)
SCRIPT = Dialect(
    {"f32": "number", "i32": "number", "u32": "number", "bool": "boolean"},
    _TAKEN,
    builtins={"clamp": "Math.min(Math.max({0}, {1}), {2})", "floor": "Math.floor"},
    declare="{name}: {type}",
    local="let {name}: {type} = 0;",
    begun="let {name}: {type} = {value};",
    head="function {name}({params}): {returns}",
    loop="for (let {name} = {start}; {name} < {stop}; {name}++)",
    unsigned="{value}",
)


#: The same without types, for pages that nothing compiles.
BARE = replace(
    SCRIPT,
    declare="{name}",
    local="let {name} = 0;",
    begun="let {name} = {value};",
    head="function {name}({params})",
)


def script_of(functions: Iterable[tuple[Unchecked, Fixed]], dialect: Dialect = SCRIPT) -> str:
    """Shade functions of numbers and all that they call, as TypeScript or JavaScript. They reckon in doubles."""
    printer = CLikePrinter(dialect)
    for function, fixed in functions:
        printer.need(function, fixed)
    return printer.source()
