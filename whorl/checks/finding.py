"""Findings about an effect: what, where, and what would mend it."""

from typing import Any, Literal

from pydantic import BaseModel

from whorl.checks.moved import growth, share, too_few
from whorl.effect.document import Effect
from whorl.effect.problems import BadEffect
from whorl.plan.build import build
from whorl.plan.loop import findings as loop_findings
from whorl.plan.plan import Plan


class Finding(BaseModel):
    """One finding. Putting `mend` at `place` mends it, where there is one."""

    kind: Literal["fault", "open loop", "seam", "nothing shows", "coarse", "bounds"]
    place: str
    words: str
    axis: int | None = None
    mend: Any = None


def check(effect: Effect) -> list[Finding]:
    """All findings, faults first; an effect with faults is not looked at further."""
    try:
        plan = build(effect)
    except BadEffect as e:
        return [Finding(kind="fault", place=p.place, words=p.words) for p in e.problems]
    return of_plan(plan)


def of_plan(plan: Plan) -> list[Finding]:
    """The findings of an effect that can be drawn."""
    found = [
        Finding(
            kind="seam" if f.kind == "seam" else "open loop", place=f.place, words=f.words, axis=f.axis, mend=f.mend
        )
        for f in loop_findings(plan)
    ]
    surface = plan.effect.surface
    # A clear body shows what is behind it, and a film what is around it.
    alone = (surface.composite == "see-through" and surface.body != "none") or surface.film != 0
    if not {"base", "emission"} & plan.channels.keys() and not alone:
        words = "no strand feeds emission or base colour, so the surface is black; send one there"
        found.append(Finding(kind="nothing shows", place="surface", words=words))
    return found + _of_moved(plan)


def _of_moved(plan: Plan) -> list[Finding]:
    found = []
    few = too_few(plan)
    if few is not None:
        words = f"the shape has {few} vertices, too few to follow a displacement; make it finer"
        found.append(Finding(kind="coarse", place="stage/subdivision", words=words, mend=2))
    grown = growth(plan)
    if grown is not None:
        out, phase = grown
        words = (
            f"displacement takes the shape {out:.2g} units out of its bounds ({share(plan, out):.0%} of its size) "
            f"at phase {phase:g}; leave as much room around it"
        )
        found.append(Finding(kind="bounds", place="surface/displacement", words=words))
    return found
