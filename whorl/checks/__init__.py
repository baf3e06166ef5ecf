"""Findings about an effect. One check is one file here, named in CHECKS or LOOKS.

What `find`s looks at the plan alone, and does so at every compile; what `look`s looks at pictures, when there is time.
"""

from collections.abc import Iterator

from whorl.checks import (
    acts,
    backwards,
    banding,
    body,
    bounds,
    burnt,
    cast,
    coarse,
    costly,
    edges,
    finer,
    flashes,
    gloss,
    glow,
    idle,
    joins,
    levels,
    lonely,
    loop,
    matter,
    meeting,
    order,
    parting,
    reveal,
    sensitive,
    shell,
    shows,
    untiled,
)
from whorl.checks.aside import with_aside
from whorl.checks.finding import Change, Evidence, Finding, Mend
from whorl.checks.kinds import KINDS, Bad
from whorl.checks.looks import Looks, Over, Rest, nothing
from whorl.checks.states import states
from whorl.effect import BadEffect, Effect
from whorl.images.library import NotKept
from whorl.plan.build import Planned, build

#: In the order in which their findings are told.
CHECKS = (loop, joins, backwards, shows, body, matter, levels, acts, cast, lonely, untiled, edges, coarse, bounds)
#: The quick ones first.
LOOKS = (
    burnt,
    gloss,
    order,
    parting,
    shell,
    finer,
    glow,
    banding,
    reveal,
    meeting,
    flashes,
    costly,
    idle,
    sensitive,
)
#: Those that are worth a look at the ends of levers, and for each variant, of which there are fewer.
AT_ENDS = (burnt, shell)
IN_VARIANTS = (*AT_ENDS, flashes)

__all__ = [
    "CHECKS",
    "KINDS",
    "LOOKS",
    "Bad",
    "Change",
    "Evidence",
    "Finding",
    "Mend",
    "Over",
    "check",
    "looked",
    "of_plan",
]


def check(effect: Effect) -> list[Finding]:
    """What is found without looking at pictures, faults first; an effect with faults is not looked at further."""
    try:
        plan = build(effect)
    except BadEffect as e:
        return [Finding(kind="fault", place=p.place, words=p.words) for p in e.problems]
    return of_plan(plan)


def of_plan(plan: Planned) -> list[Finding]:
    """The findings of an effect that can be drawn, without looking at pictures."""
    return with_aside(plan.effect, (found for c in CHECKS for found in c.find(plan)))


def looked(effect: Effect, rest: Rest = nothing, everywhere: bool = True) -> Iterator[Finding]:
    """What is found by looking: as the levers stand, and `everywhere` they are likely to stand. Raises Over by `rest`.

    Nothing of an effect with faults.
    """
    try:
        looks = Looks(build(effect), rest=rest)
    except (BadEffect, NotKept):
        return
    told = set[tuple[str, str]]()
    for c in LOOKS:
        for found in with_aside(effect, c.look(looks)):
            told.add((found.kind, found.place))
            yield found
    if not everywhere:
        return
    for words, other, is_variant in states(effect):
        try:
            there = Looks(build(other), rest=rest)
        except (BadEffect, NotKept):
            continue
        for c in IN_VARIANTS if is_variant else AT_ENDS:
            for found in with_aside(effect, c.look(there)):
                if (found.kind, found.place) not in told:
                    told.add((found.kind, found.place))
                    # What mends it there is a change of that state, and not of how the effect stands.
                    kept = [m for m in found.mends if not any(x.place.startswith("levers/") for x in m.changes)]
                    yield found.model_copy(update={"when": words, "mends": kept})
