"""What every target language shares: gathering the functions a program needs, in order."""

from functools import lru_cache

from whorl.shade.errors import ShadeError
from whorl.shade.function import Unchecked
from whorl.shade.specialise import Fixed, bound, specialise
from whorl.shade.tree import CallShade, expressions
from whorl.shade.types import ShadeType


def name_of(function: Unchecked, fixed: Fixed) -> str:
    """The printed name of a function with its fixed parameters bound."""
    return "_".join([function.name, *(str(v).replace("-", "m") for _, v in fixed)])


#: Loop nests of up to so many rounds weigh as much as all their rounds; longer ones stay loops in every driver.
COUNTED = 27


def weight(function: Unchecked, fixed: Fixed) -> int:
    """How many expressions a function comes to with its loops laid out and its calls followed."""
    own = list(expressions(specialise(function.tree, fixed, COUNTED)))
    return len(own) + sum(weight(e.function, bound(e)) for e in own if isinstance(e, CallShade))


@lru_cache(maxsize=4096)
def _called(function: Unchecked, fixed: Fixed, unroll: int) -> tuple[tuple[Unchecked, Fixed], ...]:
    """What a function calls."""
    body = specialise(function.tree, fixed, unroll)
    return tuple(dict.fromkeys((e.function, bound(e)) for e in expressions(body) if isinstance(e, CallShade)))


class Printer:
    """Gathers shade functions so that each is printed once, after those it calls."""

    #: Loop nests of up to so many rounds are laid out.
    unroll = 0

    def __init__(self) -> None:
        self.printed: dict[str, str] = {}
        self.owner: dict[str, Unchecked] = {}
        self.fixed: dict[str, Fixed] = {}
        #: The records that they take, give or keep.
        self.records: dict[str, ShadeType] = {}

    def need(self, function: Unchecked, fixed: Fixed = ()) -> str:
        """Print a function and what it calls, unless that has been done; gives its name."""
        name = name_of(function, fixed)
        if self.owner.setdefault(name, function) is not function:
            other = self.owner[name]
            raise ShadeError(other.__module__, 0, f"two shade functions print as '{name}'; rename one")
        if name not in self.printed:
            for called in _called(function, fixed, self.unroll):
                self.need(*called)
            tree = function.tree
            for kind in (tree.returns, *(p.type for p in tree.params), *tree.locals.values()):
                self.record(kind)
            self.fixed[name] = fixed
            self.printed[name] = self.function(name, function, fixed)
        return name

    def record(self, kind: ShadeType) -> None:
        """Declare a type if it is a record."""
        if kind.fields and self.records.setdefault(kind.name, kind) != kind:
            raise ShadeError("?", 0, f"two records are called '{kind.name}'; rename one")

    def function(self, name: str, function: Unchecked, fixed: Fixed) -> str:
        """One function in the target language."""
        raise NotImplementedError

    def source(self) -> str:
        """All functions gathered so far."""
        return "\n".join(self.printed.values())
