"""Another language is one table: what differs is said there, and nothing in the walk."""

from whorl.shade import Table8, Vec3, f32, minimum, shade
from whorl.shade.clike import CLikePrinter, Dialect


@shade
def least_row(p: Vec3, rows: Table8, filter: f32, count: f32) -> f32:
    """Something of every form: a table, a loop, a choice, a name that is taken."""
    least = p.x
    for i in range(4):
        least = minimum(least, rows[i].w * filter)
    if least < 0.0 and count > 1.0:
        least = -least if count > 2.0 else 0.0
    return least


ARROWS = Dialect(
    types={"f32": "f32", "i32": "i32", "u32": "u32", "bool": "bool", "Vec3": "vec3f", "Vec4": "vec4f", "Vec2": "vec2f"},
    taken=frozenset({"filter"}),
    builtins={"minimum": "least_of"},
    declare="{name}: {type}",
    local="var {name}: {type};",
    begun="var {name}: {type} = {value};",
    table="{name}: array<{row}, 8>",
    head="fn {name}({params}) -> {returns}",
    loop="for (var {name} = {start}; {name} < {stop}; {name}++)",
    choice="pick({no}, {yes}, {test})",
)


def test_a_function_is_printed_in_a_language_that_is_a_table():
    printer = CLikePrinter(ARROWS)
    printer.need(least_row)
    lines = [line.strip() for line in printer.source().splitlines()]
    assert lines == [
        "fn least_row(p: vec3f, rows: array<vec4f, 8>, filter_: f32, count: f32) -> f32 {",
        "var least: f32 = p.x;",
        "for (var i = 0; i < 4; i++) {",
        "least = least_of(least, rows[i].w * filter_);",
        "}",
        "if ((least < 0.0) && (count > 1.0)) {",
        "least = pick(0.0, -least, count > 2.0);",
        "}",
        "return least;",
        "}",
    ]
