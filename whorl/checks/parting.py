"""Bumps that part from the pattern that they belong to."""

from collections.abc import Iterator

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COORDS
from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, at
from whorl.effect.document import Effect
from whorl.effect.strands import Bead, Strand
from whorl.effect.surface import Entry
from whorl.effect.value import MOTIONS, Levered
from whorl.plan.graph import Node

#: The channels that are seen as colour, and those that are seen as form.
_COLOUR, _FORM = ("base", "emission", "opacity", "roughness"), ("normal", "displacement")


def look(looks: Looks) -> Iterator[Finding]:
    """The same pattern in colour and in form, over coordinates that move otherwise."""
    effect, plan = looks.effect, looks.plan
    channels = effect.surface.channels
    seen = {n for name in _COLOUR for n in _patterns(looks, getattr(channels, name))}
    told: set[str] = set()
    for name in _FORM:
        for place in _patterns(looks, getattr(channels, name)):
            if place in seen or place in told:
                continue
            form = _bead(effect, place)
            for other in sorted(seen):
                colour = _bead(effect, other)
                if form is None or colour is None or _same(form[1]) != _same(colour[1]):
                    continue
                ways = [_way(plan.beads[p.removeprefix("strands/")], looks) for p in (place, other)]
                if ways[0] == ways[1] or not (ways[0] or ways[1]):
                    continue
                told.add(place)
                words = (
                    f"the {colour[1].kind} of {colour[0].name} is also the form here, but moves otherwise, "
                    "so bumps and pattern part"
                )
                change = _onto(effect, form, other)
                mends = [Mend.of("use the one pattern for both", change)] if looks.with_(change) else []
                yield Finding(
                    kind="bumps that part from their pattern",
                    place=place,
                    words=words,
                    mends=mends,
                    evidence=at(looks.phases[len(looks.phases) // 2]),
                )
                break


def _patterns(looks: Looks, entries: tuple[Entry, ...]) -> set[str]:
    """The places of beads that make a pattern of coordinates, among all that a channel is made from."""
    out: set[str] = set()
    for entry in entries:
        strand = next((s for s in looks.effect.strands if s.id == entry.strand), None)
        if strand is None or strand.muted or not strand.beads:
            continue
        node = looks.plan.beads.get(f"{strand.id}/{entry.bead or strand.beads[-1].id}")
        for n in looks.plan.needed(node) if node else ():
            found = _bead(looks.effect, n.place)
            spec = CATALOGUE.get(found[1].kind) if found else None
            if spec and COORDS in spec.takes and spec.gives is not COORDS and n.function is not None:
                out.add(n.place)
    return out


def _bead(effect: Effect, place: str) -> tuple[Strand, Bead] | None:
    way = place.split("/")
    if way[0] != "strands" or len(way) != 3:
        return None
    return next(((s, b) for s in effect.strands if s.id == way[1] for b in s.beads if b.id == way[2]), None)


def _same(bead: Bead) -> tuple[object, ...]:
    """What makes two patterns one: kind, settings and numbers."""
    settings = tuple(sorted((k, v) for k, v in bead.settings.items()))
    return (bead.kind, settings, tuple(sorted((k, repr(v)) for k, v in bead.params.items())))


def _way(node: Node, looks: Looks) -> tuple[str, ...]:
    """How the coordinates of a pattern move, bead by bead."""
    out = []
    for n in looks.plan.needed(node):
        found = _bead(looks.effect, n.place)
        if n.gives is COORDS and found and n is not node:
            out += [
                f"{found[1].kind} {name} {value!r}"
                for name, value in found[1].params.items()
                if isinstance(value, (*MOTIONS, Levered))
            ]
    return tuple(dict.fromkeys(out))


def _onto(effect: Effect, form: tuple[Strand, Bead], other: str) -> tuple[str, object]:
    """The strand of the form, going on from the other pattern in the place of its own."""
    strand, bead = form
    _, there, which = other.split("/")
    ids = {b.id for b in strand.beads}
    id = next(n for n in ("on", *(f"on-{k}" for k in range(2, 99))) if n not in ids)
    tap = {"id": id, "kind": "tap", "settings": {}, "params": {"from": {"strand": there, "bead": which}}}
    after = strand.beads[[b.id for b in strand.beads].index(bead.id) + 1 :]
    return f"strands/{strand.id}/beads", [tap, *(b.model_dump(mode="json") for b in after)]
