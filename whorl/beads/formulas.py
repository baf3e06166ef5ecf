"""What an artist writes."""

from collections.abc import Sequence

from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE, Bead, Param, Setting, Settings, Signal
from whorl.fields.formulas import LANGUAGE
from whorl.shade import Unchecked
from whorl.shade.types import F32, VEC3
from whorl.shade.written import LONGEST, Given, known_functions, offers, written

#: Signals are held within this, and numbers too, before a formula sees them.
_WITHIN = 65504.0
_AS_IT_COMES = "what comes in"
GIVES = {"value": VALUE, "colour": COLOUR, "coordinates": COORDS, "direction": DIRECTION}
STRANDS, NUMBERS = ("a", "b", "c", "d"), ("k", "l", "m", "n")


def _gives(settings: Settings, incoming: Sequence[Signal]) -> Signal:
    return GIVES.get(str(settings["gives"])) or (incoming[0] if incoming else COORDS)


def function_of(text: str, below: Signal | None, strands: dict[str, Signal | None], gives: Signal) -> Unchecked:
    """The shade function of a formula over what comes in, its strands and its numbers. Raises FormulaError.

    What comes in is coordinates where it is None; a strand that is None is a number.
    """
    names = [("x", Given("below", F32 if below is VALUE else VEC3, _WITHIN))]
    names += [(n, Given(n, F32 if strands.get(n) in (None, VALUE) else VEC3, _WITHIN)) for n in STRANDS]
    names += [(n, Given(n, F32, _WITHIN)) for n in NUMBERS]
    towards = LANGUAGE.offered["unit"] if gives is DIRECTION else None
    return written(text, tuple(names), F32 if gives is VALUE else VEC3, LANGUAGE, towards, gives is COLOUR)


FORMULA = Bead(
    "formula",
    "combining",
    "What an expression comes to: of what comes in, x, of up to four strands, a to d, and of four numbers, k to n.",
    _gives,
    {},
    takes=(VALUE, COLOUR, COORDS, DIRECTION),
    params=(
        *(
            Param(n, f"What the formula calls {n}: a strand, or a number.", (0.0,), (0, 1), (-1000, 1000), feed=COLOUR)
            for n in STRANDS
        ),
        *(Param(n, f"The number that the formula calls {n}.", (1.0,), (0, 4), (-1000, 1000)) for n in NUMBERS),
    ),
    settings=(
        Setting(
            "formula",
            f"An expression, with names for parts of it a line each; up to {LONGEST} characters.",
            "x * k",
            offers=tuple(offers(LANGUAGE)),
        ),
        Setting("gives", "What it comes to.", _AS_IT_COMES, options=(_AS_IT_COMES, *GIVES)),
    ),
    find=("expression", "maths", "arithmetic", "code", "custom", *known_functions(LANGUAGE)),
    formula="as it is written; what has no value, as a number divided by 0, is 0",
    alone="at_uv",
    short="{formula}",
    writes="formula",
)

BEADS = (FORMULA,)
