"""Beads that cost much, and octaves that nobody sees."""

from collections.abc import Iterator

from whorl.checks.cost import cost
from whorl.checks.finding import Finding, Mend
from whorl.checks.idle import LEAST
from whorl.checks.looks import Looks, at


def look(looks: Looks) -> Iterator[Finding]:
    """Beads with more than a quarter of the time, whose last octave changes less than a step of eight bits."""
    for each in cost(looks.plan).beads:
        if not each.dear:
            continue
        way = each.place.split("/")
        bead = next((b for s in looks.effect.strands if s.id == way[1] for b in s.beads if b.id == way[2]), None)
        octaves = bead.settings.get("octaves") if bead else None
        if not isinstance(octaves, int) or octaves < 2:
            continue
        least, last = octaves, looks
        for fewer in range(octaves - 1, 0, -1):
            other = looks.with_((f"{each.place}/octaves", fewer))
            if other is None or any(last.apart(other, p).max() > LEAST for p in looks.phases):
                break
            least, last = fewer, other
        if least == octaves:
            continue
        many = octaves - least
        unseen = "its finest octave changes" if many == 1 else f"its {many} finest octaves change"
        yield Finding(
            kind="cost",
            place=f"{each.place}/octaves",
            words=f"{100 * each.part:.0f} % of a frame's time, and {unseen} no pixel that is seen",
            mends=[Mend.of(f"{least} octave{'s' * (least > 1)}", (f"{each.place}/octaves", least))],
            measure=each.part,
            evidence=at(looks.phases[0]),
        )
