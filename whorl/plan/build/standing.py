"""What of a document can be drawn while parts of it have faults: those stand as they last were, the rest goes on."""

from dataclasses import dataclass

from whorl.effect.document import Effect
from whorl.effect.problems import BadEffect, Problem
from whorl.effect.strands import Strand
from whorl.effect.surface import Channels, Material, Surface
from whorl.effect.value import Feed
from whorl.plan.build.builder import Planned, build

#: How often faults that follow from others are looked for.
ROUNDS = 12


@dataclass(frozen=True)
class Standing:
    """A plan, if there is one; what is wrong; and the places that are drawn as they last were."""

    plan: Planned | None
    problems: list[Problem]
    stood: list[str]


def standing(effect: Effect, last: Effect | None = None) -> Standing:
    """The plan of an effect; where it has faults, of what stands of it. `last` is how it was without any."""
    try:
        return Standing(build(effect), [], [])
    except BadEffect as e:
        problems = told = e.problems
    tried, stood = effect, list[str]()
    for _ in range(ROUNDS):
        tried, more = _without(tried, told, last, stood)
        stood += [place for place in more if place not in stood]
        try:
            return Standing(build(tried), problems, stood)
        except BadEffect as e:
            told = e.problems
    return Standing(None, problems, stood)


def _without(
    effect: Effect, problems: list[Problem], last: Effect | None, before: list[str]
) -> tuple[Effect, list[str]]:
    """A document in which the places of these problems are as they were, or are not.

    `before` are those that were put back already, and are wrong all the same: what they rest on has changed,
    so that they get it as it was, each for itself, or go.
    """
    was = {s.id: s for s in last.strands} if last else {}
    strands, stood = list(effect.strands), list[str]()
    change: dict[str, object] = {}
    # What follows from another fault goes with it.
    roots = [p for p in problems if not p.cause] or problems
    for root, id, *rest in ([*p.place.split("/", 2), "", ""] for p in roots):
        place = f"strands/{id}" if root == "strands" else root
        if place in stood:
            continue
        if root == "strands":
            at = [k for k, s in enumerate(strands) if s.id == id]
            # Of two with one id, which is told, the first is drawn.
            if len(at) != 1:
                continue
            stood.append(place)
            if id in was and place not in before:
                strands[at[0]] = was[id]
            elif id in was and last is not None and strands[at[0]] == was[id]:
                strands[at[0] : at[0] + 1] = _with_its_own(was[id], last, strands)
            else:
                # One that is wrong even as it was is cut off where the fault is.
                strands[at[0]] = _cut(strands[at[0]], rest[0].split("/")[0])
        elif root in ("surface", "stage", "beacons", "turn"):
            stood.append(root)
            change[root] = _part(effect, last, root)
    each = {s.id: s for s in reversed(strands)}
    ordered = tuple(each[id] for id in dict.fromkeys(s.id for s in strands))
    return effect.model_copy(update={**change, "strands": ordered}), stood


def _with_its_own(strand: Strand, last: Effect, now: list[Strand]) -> list[Strand]:
    """A strand as it was, behind copies of all that it rested on then, under names of their own."""
    was = {s.id: s for s in last.strands}
    taken, names = {s.id for s in now}, dict[str, str]()

    def gather(s: Strand) -> None:
        for b in s.beads:
            for value in b.params.values():
                if isinstance(value, Feed) and value.strand in was and value.strand not in names:
                    gather(was[value.strand])
                    number = next(n for n in range(len(taken) + 1) if f"was-{n}" not in taken)
                    names[value.strand] = f"was-{number}"
                    taken.add(f"was-{number}")

    def renamed(s: Strand) -> Strand:
        beads = []
        for b in s.beads:
            params = {
                name: value.model_copy(update={"strand": names[value.strand]})
                if isinstance(value, Feed) and value.strand in names
                else value
                for name, value in b.params.items()
            }
            beads.append(b.model_copy(update={"params": params}))
        return s.model_copy(update={"beads": tuple(beads), "id": names.get(s.id, s.id)})

    gather(strand)
    return [*(renamed(was[id]) for id in names), renamed(strand)]


def _cut(strand: Strand, bead: str) -> Strand:
    at = next((k for k, b in enumerate(strand.beads) if b.id == bead), 0)
    return strand.model_copy(update={"beads": strand.beads[: min(at, len(strand.beads) - 1 if strand.beads else 0)]})


def _part(effect: Effect, last: Effect | None, root: str) -> object:
    now, was = getattr(effect, root), getattr(last, root, None)
    if was is not None and was != now:
        return was
    if root == "surface":
        return _heard(effect)
    return type(effect).model_fields[root].get_default(call_default_factory=True)


def _heard(effect: Effect) -> Surface:
    """The surface without what feeds it from strands that have nothing to give."""
    whole = {s.id for s in effect.strands if s.beads}
    surface, second = effect.surface, effect.surface.second
    if second is not None:
        second = second.model_copy(update={"channels": _fed(second, whole)}) if second.strand in whole else None
    kept = surface.model_copy(update={"channels": _fed(surface, whole), "second": second})
    return kept if kept != surface or surface.second else Surface()


def _fed(material: Material, whole: set[str]) -> Channels:
    channels = material.channels
    return channels.model_copy(
        update={
            name: tuple(e for e in getattr(channels, name) if e.strand in whole) for name in type(channels).model_fields
        }
    )
