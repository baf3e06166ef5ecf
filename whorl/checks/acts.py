"""Strands that are sent where they cannot act."""

from collections.abc import Iterator

from pydantic import BaseModel

from whorl.checks.finding import Finding, Mend
from whorl.effect.described import described, fields
from whorl.effect.document import Effect
from whorl.effect.places import acts, brought_about
from whorl.effect.surface import Channels, Second
from whorl.plan.build import Planned


def find(plan: Planned) -> Iterator[Finding]:
    """Channels with strands that the surface, as it is, has no use for."""
    effect = plan.effect
    used = described(Second, "channels").only
    second = effect.surface.second
    for place, part in (("surface", effect.surface.channels), ("surface/second", second and second.channels)):
        if part is None:
            continue
        of_second = place != "surface"
        for name, said in fields(Channels).items():
            if not getattr(part, name):
                continue
            at = f"{place}/{name}"
            if of_second and name not in used:
                words = f"a second surface has no {said.label} of its own; the first one's is used all over"
                mend = Mend.of("take it off", (at, []))
                yield Finding(kind="channel cannot act", place=at, words=words, mends=[mend])
            elif not acts(effect, part, name):
                needs = " or ".join(c.words for c in said.acts)
                words = f"{said.label} does nothing here: it acts on {needs}"
                yield Finding(kind="channel cannot act", place=at, words=words, mends=_mends(effect, place, part, name))


def _mends(effect: Effect, place: str, part: BaseModel, name: str) -> list[Mend]:
    out = []
    for condition in described(type(part), name).acts:
        changes = brought_about(effect, place, part, condition)
        if changes and condition.mend:
            out.append(Mend.of(condition.mend, *changes))
    return out
