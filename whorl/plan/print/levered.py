"""What a lever makes of a number, as script, for pages that have to know it without a program."""

from whorl.fields import levers
from whorl.shade.clike import Dialect
from whorl.shade.printer import name_of
from whorl.shade.script import script_of
from whorl.shade.specialise import Fixed

_EASES = {"linear": levers.EVEN, "eased": levers.EASED}
_WHOLES = {"": levers.AS_IT_IS, " whole": levers.WHOLE}
#: The ways a lever may act on a number, by whether it is eased, and whole.
WAYS: dict[str, Fixed] = {
    ease + whole: (("ease", _EASES[ease]), ("whole", _WHOLES[whole])) for ease in _EASES for whole in _WHOLES
}


def levered_script(dialect: Dialect) -> str:
    """The functions of all ways, and a table `LEVERED` of them by their names."""
    rows = [f'  "{way}": {name_of(levers.levered, given)},' for way, given in WAYS.items()]
    body = script_of(((levers.levered, given) for given in WAYS.values()), dialect)
    return "\n".join([body, "const LEVERED = {", *rows, "};", ""])
