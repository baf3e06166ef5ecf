"""What does nothing: beads, entries, strands, motions and levers without which no pixel would be another."""

from collections.abc import Iterator
from typing import Any

from whorl.checks import shows
from whorl.checks.finding import Finding, Mend
from whorl.checks.flashes import motions
from whorl.checks.looks import Looks, at
from whorl.effect.document import HOLDS, Lever
from whorl.effect.places import references
from whorl.effect.surface import Material
from whorl.effect.value import MOTIONS, Levered
from whorl.motion.values import Track

#: Less than this, 0..1, is no other pixel; moments at which what seems to do nothing is looked at again.
LEAST, AGAIN = 0.6 / 255, 24


def look(looks: Looks) -> Iterator[Finding]:
    """One after another they are left out of a copy, until a pixel is another."""
    effect = looks.effect
    if any(True for _ in shows.find(looks.plan)):
        # Nothing shows at all, which is told as one thing.
        return
    used = {r.id for r in references(effect) if r.kind == "strand" and not r.sets}
    for strand in effect.strands:
        if strand.id not in used and strand.beads and not strand.muted:
            words = f"nothing uses {strand.name}"
            without = [s.model_dump(mode="json") for s in effect.strands if s.id != strand.id]
            mends = [Mend.of("take it away", ("strands", without))] if strand.of is None else []
            yield Finding(kind="does nothing", place=f"strands/{strand.id}", words=words, mends=mends)
    yield from _beads(looks, used)
    yield from _entries(looks)
    yield from _motions(looks)
    yield from _levers(looks)


def _idle(looks: Looks, *changes: tuple[str, Any]) -> bool:
    """Whether nothing looks otherwise with other values at places."""
    return _same(looks, looks.with_(*changes))


def _same(one: Looks, other: Looks | None) -> bool:
    """Whether no pixel of the one is another in the other; of what cannot be drawn that is not told."""
    if other is None:
        return False
    # At the first moment last: what is held still is held as it is there. Most are told apart by few pixels.
    phases = (*one.phases[1:], one.phases[0])
    if any(one.smaller.apart(other.smaller, p).max() > LEAST for p in phases):
        return False
    return not any(one.apart(other, p).max() > LEAST for p in (*phases, *one.spread(AGAIN)))


def _beads(looks: Looks, used: set[str]) -> Iterator[Finding]:
    effect = looks.effect
    off = {x.id for x in effect.levers if x.kind == "switch" and not x.on}
    for strand in effect.strands:
        if strand.id not in used or strand.muted or strand.sounds_with in off:
            continue
        for i, bead in enumerate(strand.beads):
            node = looks.plan.beads.get(f"{strand.id}/{bead.id}")
            steered = any(isinstance(v, Levered) for v in bead.params.values())
            if i == 0 or bead.muted or steered or node is None or node.function is None:
                continue
            place = f"strands/{strand.id}/{bead.id}"
            # What rests on nothing is told by its strand.
            if place not in looks.drawn:
                continue
            if _idle(looks, (f"{place}/muted", True)):
                yield Finding(
                    kind="does nothing",
                    place=place,
                    words=f"{strand.name} is the same without this bead",
                    mends=[_without_bead(looks, strand.id, bead.id)],
                    evidence=at(looks.phases[0]),
                )


def _without_bead(looks: Looks, strand: str, bead: str) -> Mend:
    """Taken out where nothing refers to it, else muted."""
    place = f"strands/{strand}"
    if any(r.kind == "strand" and r.id == strand and r.bead == bead for r in references(looks.effect)):
        return Mend.of("mute it", (f"{place}/{bead}/muted", True))
    found = next(s for s in looks.effect.strands if s.id == strand)
    beads = [b.model_dump(mode="json") for b in found.beads if b.id != bead]
    return Mend.of("take it out", (f"{place}/beads", beads))


def _entries(looks: Looks) -> Iterator[Finding]:
    for place, material in looks.effect.surface.materials.items():
        for name in type(material.channels).model_fields:
            yield from _of_channel(looks, place, material, name)


def _of_channel(looks: Looks, place: str, material: Material, name: str) -> Iterator[Finding]:
    entries = getattr(material.channels, name)
    for k in range(len(entries)):
        rest = [e.model_dump(mode="json") for i, e in enumerate(entries) if i != k]
        change = (f"{place}/channels/{name}", rest)
        if isinstance(entries[k].gain, Levered) or not _idle(looks, change):
            continue
        yield Finding(
            kind="does nothing",
            place=f"{place}/{name}/{k}",
            words=f"what is sent to {name} here changes no pixel",
            mends=[Mend.of("take it off", change)],
            evidence=at(looks.phases[0]),
        )


def _motions(looks: Looks) -> Iterator[Finding]:
    tracks = {u.place: u for u in looks.plan.uniforms if isinstance(u.track, Track)}
    for place, value in motions(looks.effect):
        uniform = tracks.get(place)
        if not isinstance(value, MOTIONS) or uniform is None or place.startswith("levers/"):
            continue
        if not (place.startswith("strands/") and place.rsplit("/", 1)[0] in looks.drawn):
            continue
        rest = uniform.at(0.0)
        still = rest[0] if len(rest) == 1 else list(rest)
        if _idle(looks, (place, still)):
            yield Finding(
                kind="does nothing",
                place=place,
                words="it moves, and the picture is the same at every moment",
                mends=[Mend.of("hold it still", (place, still))],
                evidence=at(looks.phases[0]),
            )


def _elsewhere(lever: Lever) -> list[float]:
    """Ends and an odd part of a number lever's way, what is farthest from where it stands first: that is soon told
    apart. The ends of an angle are one."""
    span, value = lever.most - lever.least, lever.value
    ways = [x for x in (lever.least, lever.least + span * 0.37, lever.most) if x != value]
    if not isinstance(value, float):
        return ways
    return sorted(ways, key=lambda x: abs(abs(x - value) - abs(span) / 2))


def _levers(looks: Looks) -> Iterator[Finding]:
    effect = looks.effect
    off = {x.id for x in effect.levers if x.kind == "switch" and not x.on}
    for lever in effect.levers:
        if lever.kind not in ("number", "switch") or lever.under in off:
            continue
        field = f"levers/{lever.id}/{HOLDS[lever.kind][0]}"
        ways = (not lever.on,) if lever.kind == "switch" else _elsewhere(lever)
        if all(_idle(looks, (field, way)) for way in ways):
            yield Finding(
                kind="does nothing",
                place=f"levers/{lever.id}",
                words=f"{lever.name} changes no pixel, wherever it stands",
                evidence=at(looks.phases[0]),
            )
