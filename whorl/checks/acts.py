"""Strands that are sent where they cannot act."""

from collections.abc import Iterator

from pydantic import BaseModel

from whorl.checks.finding import Finding, Mend
from whorl.effect.described import described, fields
from whorl.effect.document import Effect
from whorl.effect.places import acts, brought_about
from whorl.plan.build import Planned


def find(plan: Planned) -> Iterator[Finding]:
    """Channels with strands that the surface, as it is, has no use for."""
    effect = plan.effect
    for place, material in effect.surface.materials.items():
        part = material.channels
        for name, said in fields(type(part)).items():
            if getattr(part, name) and not acts(effect, part, name):
                needs = " or ".join(c.words for c in said.acts)
                words = f"{said.label} does nothing here: it acts on {needs}"
                mends = _mends(effect, place, part, name)
                yield Finding(kind="channel cannot act", place=f"{place}/{name}", words=words, mends=mends)


def _mends(effect: Effect, place: str, part: BaseModel, name: str) -> list[Mend]:
    out = []
    for condition in described(type(part), name).acts:
        changes = brought_about(effect, place, part, condition)
        if changes and condition.mend:
            out.append(Mend.of(condition.mend, *changes))
    return out
