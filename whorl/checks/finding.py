"""Findings about an effect: what, where, and what would mend it."""

from typing import Any, Literal

from pydantic import BaseModel

from whorl.effect.document import Effect
from whorl.effect.problems import BadEffect
from whorl.plan.build import build
from whorl.plan.loop import findings as loop_findings
from whorl.plan.plan import Plan


class Finding(BaseModel):
    """One finding. Putting `mend` at `place` mends it, where there is one."""

    kind: Literal["fault", "open loop", "seam", "nothing shows"]
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
    if not {"base", "emission"} & plan.channels.keys():
        words = "no strand feeds emission or base colour, so the surface is black; send one there"
        found.append(Finding(kind="nothing shows", place="surface", words=words))
    return found
