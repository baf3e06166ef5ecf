"""Light of its own that the light around it drowns, and lines that opacity cuts off."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, at
from whorl.plan.graph import FromNode

#: What can just be seen beside its surroundings, in levels of 255; where a glow shines at all; and how much is enough.
SEEN, SHINES, ENOUGH = 6 / 255, 0.001, 16 / 255
#: How much of a glow's light may fall where the surface is gone.
LOST = 0.9


def look(looks: Looks) -> Iterator[Finding]:
    """Entries of emission that change nothing that can be seen, though they shine."""
    surface = looks.effect.surface
    for k, entry in enumerate(surface.channels.emission):
        place = f"surface/emission/{k}"
        if not isinstance(entry.gain, int | float) or entry.gain <= 0:
            continue
        without = looks.with_((f"{place}/gain", 0.0))
        if without is None:
            continue
        phase, apart = max(((p, looks.apart(without, p)) for p in looks.phases), key=lambda x: float(x[1].max()))
        own = _own(looks, k)
        if own is None or own < SHINES:
            continue
        most = float(np.quantile(apart[looks.shape], 0.995)) if looks.shape.any() else 0.0
        if most >= SEEN:
            continue
        if (cut := _cut_off(looks, place)) is not None:
            yield cut
            continue
        words = f"it shines, and changes the picture by {255 * most:.1f} of 255 at the most, which nobody sees"
        yield Finding(
            kind="glow that does not show",
            place=place,
            words=words,
            mends=list(_stronger(looks, place, float(entry.gain), without)),
            measure=SEEN / max(most, 1e-4),
            evidence=at(phase),
        )


def _own(looks: Looks, index: int) -> float | None:
    """How brightly the strand of an entry shines where it shines most."""
    entry = looks.effect.surface.channels.emission[index]
    strand = next((s for s in looks.effect.strands if s.id == entry.strand), None)
    if strand is None or strand.muted or not strand.beads:
        return None
    node = looks.plan.beads.get(f"{strand.id}/{entry.bead or strand.beads[-1].id}")
    if node is None:
        return None
    return float(np.quantile(np.concatenate(looks.values(node)), 0.98)) * float(entry.gain)  # pyrefly: ignore[bad-argument-type]


def _stronger(looks: Looks, place: str, gain: float, without: Looks) -> Iterator[Mend]:
    for times in (2, 4, 8, 16, 32, 64):
        made = gain * times
        if made > 1000:
            return
        other = looks.with_((f"{place}/gain", made))
        if other is None:
            return
        shows = max(float(np.quantile(other.apart(without, p)[looks.shape], 0.995)) for p in looks.phases)
        if shows >= ENOUGH:
            yield Mend.of(f"{times} times as strong", (f"{place}/gain", made))
            break
    key = looks.effect.stage.lamps.key.strength
    if looks.effect.surface.lighting == "lit" and isinstance(key, int | float) and key > 0.2:
        change = ("stage/lamps/key/strength", round(float(key) / 8, 4))
        darker, bare = looks.with_(change), looks.with_(change, (f"{place}/gain", 0.0))
        if darker and bare and max(float(darker.apart(bare, p).max()) for p in looks.phases) >= ENOUGH:
            yield Mend.of("an eighth of the key light", change)


def _cut_off(looks: Looks, place: str) -> Finding | None:
    """Whether its light falls where the surface is gone: a line beyond the level at which opacity ends."""
    if not looks.effect.surface.channels.opacity:
        return None
    opaque = looks.with_(("surface/channels/opacity", []))
    bare = looks.with_(("surface/channels/opacity", []), (f"{place}/gain", 0.0))
    if opaque is None or bare is None:
        return None
    shows = max(float(opaque.apart(bare, p).max()) for p in looks.phases)
    if shows < ENOUGH:
        return None
    rim, cut = _levels(looks, place)
    words = "it shines only where the surface is gone, so opacity cuts it off"
    mends = []
    if rim and cut:
        (rim_place, rim_level), (cut_place, cut_level) = rim, cut
        mend = Mend.of("exchange the two levels", (f"{rim_place}/level", cut_level), (f"{cut_place}/level", rim_level))
        made = [(c.place, c.value) for c in mend.changes]
        other, dark = looks.with_(*made), looks.with_(*made, (f"{place}/gain", 0.0))
        if other and dark and max(float(other.apart(dark, p).max()) for p in looks.phases) >= SEEN:
            mends.append(mend)
    return Finding(
        kind="wrong one of two levels",
        place=rim[0] if rim else place,
        words=words,
        mends=mends,
        evidence=at(looks.phases[0]),
    )


_Level = tuple[str, object]


def _levels(looks: Looks, place: str) -> tuple[_Level | None, _Level | None]:
    """The bead with a level that an entry's strand ends in, and that of opacity."""
    surface, strands = looks.effect.surface, {s.id: s for s in looks.effect.strands}
    entries = (surface.channels.emission[int(place.split("/")[-1])], surface.channels.opacity[0])
    out: list[_Level | None] = []
    for entry in entries:
        found: _Level | None = None
        waiting, seen = [entry.strand], set[str]()
        while waiting and found is None:
            strand = strands.get(waiting.pop(0))
            if strand is None or strand.id in seen:
                continue
            seen.add(strand.id)
            for bead in reversed(strand.beads):
                level = bead.params.get("level")
                if bead.kind in ("rim", "threshold") and level is not None:
                    plain = level.model_dump(mode="json") if hasattr(level, "model_dump") else level
                    found = found or (f"strands/{strand.id}/{bead.id}", plain)
                node = looks.plan.beads.get(f"{strand.id}/{bead.id}")
                waiting += [a.node.place.split("/")[1] for a in (node.args if node else ()) if isinstance(a, FromNode)]
        out.append(found)
    return out[0], out[1]
