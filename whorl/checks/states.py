"""The ways in which an effect's levers are likely to stand."""

from collections.abc import Iterator

from whorl.effect.document import Effect
from whorl.effect.levers import applied, set_to
from whorl.refused import Refused


def states(effect: Effect) -> Iterator[tuple[str, Effect, bool]]:
    """Each variant, and both ends of each number lever that its receiver sees: in words, as an effect, and whether it
    is a variant."""
    for variant in effect.variants:
        try:
            yield f"in the variant {variant.name}", applied(effect, variant), True
        except Refused:
            continue
    for lever in effect.levers:
        if lever.kind != "number" or lever.private:
            continue
        for end, words in ((lever.least, "low"), (lever.most, "high")):
            try:
                yield f"with {lever.name} at its {words} end", set_to(effect, {lever.id: end}), False
            except Refused:
                continue
