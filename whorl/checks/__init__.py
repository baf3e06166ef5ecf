"""Findings about an effect. One check is one file here with its `find`, named in CHECKS."""

from whorl.checks import (
    acts,
    backwards,
    body,
    bounds,
    cast,
    coarse,
    edges,
    joins,
    levels,
    lonely,
    loop,
    matter,
    shows,
    untiled,
)
from whorl.checks.finding import Change, Finding, Mend
from whorl.checks.kinds import KINDS, Bad
from whorl.effect import BadEffect, Effect
from whorl.plan.build import Planned, build

#: In the order in which their findings are told.
CHECKS = (loop, joins, backwards, shows, body, matter, levels, acts, cast, lonely, untiled, edges, coarse, bounds)

__all__ = ["CHECKS", "KINDS", "Bad", "Change", "Finding", "Mend", "check", "of_plan"]


def check(effect: Effect) -> list[Finding]:
    """All findings, faults first; an effect with faults is not looked at further."""
    try:
        plan = build(effect)
    except BadEffect as e:
        return [Finding(kind="fault", place=p.place, words=p.words) for p in e.problems]
    return of_plan(plan)


def of_plan(plan: Planned) -> list[Finding]:
    """The findings of an effect that can be drawn."""
    return [found for c in CHECKS for found in c.find(plan)]
