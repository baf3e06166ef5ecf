"""GLSL ES 3.00 as a dialect."""

from whorl.shade.clike import CLikePrinter, Dialect
from whorl.shade.function import Unchecked
from whorl.shade.specialise import Fixed
from whorl.shade.types import ShadeType

TYPES = {
    "f32": "float",
    "i32": "int",
    "u32": "uint",
    "bool": "bool",
    "Vec2": "vec2",
    "Vec3": "vec3",
    "Vec4": "vec4",
}
#: Words that GLSL ES 3.00 uses or keeps (section 3.8 of its specification), which Python does not.
_TAKEN = frozenset(
    """
    active asm attribute buffer case cast centroid char coherent common const default discard do double enum
    extern external filter fixed flat goto half highp hvec2 hvec3 hvec4 in inline inout input interface invariant
    layout long lowp mediump namespace noinline out output packed partition patch precision precise public
    readonly resource restrict sample sampler shared short signed sizeof smooth static struct subroutine
    superp switch template this typedef uniform union unsigned using varying void volatile writeonly
    """.split()  # noqa: SIM905 - as a list it would be a page long
)
GLSL_ES = Dialect(TYPES, _TAKEN)
literal = GLSL_ES.literal


class GlslPrinter(CLikePrinter):
    """Prints functions as GLSL ES 3.00."""

    def __init__(self) -> None:
        super().__init__(GLSL_ES)


def declare(t: ShadeType, name: str) -> str:
    """A declaration without its semicolon."""
    return GLSL_ES.declared(t, name)


def glsl_of(function: Unchecked, fixed: Fixed = ()) -> str:
    """A shade function and all it calls, as GLSL."""
    printer = GlslPrinter()
    printer.need(function, fixed)
    return printer.source()
