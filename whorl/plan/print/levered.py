"""What a page has to reckon without a program, as script: what a lever makes of a number, and where a camera goes."""

from whorl.effect import camera
from whorl.fields import levers, travel
from whorl.shade.clike import Dialect
from whorl.shade.function import Unchecked
from whorl.shade.printer import name_of
from whorl.shade.script import script_of
from whorl.shade.specialise import Fixed

_EASES = {"linear": levers.EVEN, "eased": levers.EASED}
_WHOLES = {"": levers.AS_IT_IS, " whole": levers.WHOLE}
#: The ways a lever may act on a number, by whether it is eased, and whole.
WAYS: dict[str, Fixed] = {
    ease + whole: (("ease", _EASES[ease]), ("whole", _WHOLES[whole])) for ease in _EASES for whole in _WHOLES
}
_TABLES: dict[str, tuple[Unchecked, dict[str, Fixed]]] = {
    "LEVERED": (levers.levered, WAYS),
    "TRAVELLED": (travel.travelled, {name: (("way", way),) for name, way in camera.WAYS.items()}),
}


def page_script(dialect: Dialect, begin: str = "const") -> str:
    """The functions, and the tables `LEVERED` and `TRAVELLED` of them by the names of their ways."""
    body = script_of(((f, given) for f, ways in _TABLES.values() for given in ways.values()), dialect)
    out = [body]
    for table, (f, ways) in _TABLES.items():
        out += [f"{begin} {table} = {{", *(f'  "{way}": {name_of(f, given)},' for way, given in ways.items()), "};"]
    return "\n".join([*out, ""])
