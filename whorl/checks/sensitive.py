"""Numbers of which a hundredth of the slider is already too much."""

from collections.abc import Iterator

import numpy as np

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import LISTS
from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, at
from whorl.effect.levers import published
from whorl.refused import Refused

#: Which part of a slider is tried, and how much of the picture's contrast it may change in the mean: where that much is
#: changed, about a tenth of the picture is another.
STEP, MUCH = 0.01, 0.3
#: Pixels along a side.
ROUGH = 48
#: How much of that a hundredth of a lever in its place changes.
WANTED = 0.03


def look(looks: Looks) -> Iterator[Finding]:
    """Numbers that stand still, a step of which changes a tenth of the picture or more."""
    looks = Looks(looks.plan, ROUGH, looks.rest)
    for strand in looks.effect.strands:
        for bead in strand.beads:
            place = f"strands/{strand.id}/{bead.id}"
            spec = CATALOGUE.get(bead.kind)
            if spec is None or bead.muted or place not in looks.drawn:
                continue
            for param in spec.params:
                value = bead.params.get(param.name, param.default[0] if param.size == 1 else None)
                fixed = param.whole or param.wrap is not None or param.type in LISTS or param.only_fed
                if param.size != 1 or fixed or not isinstance(value, int | float) or param.name == "seed":
                    continue
                step = STEP * (param.soft[1] - param.soft[0])
                to = value + step if value + step <= param.hard[1] else value - step
                other = looks.with_((f"{place}/{param.name}", to))
                if other is None:
                    continue
                much, phase = max((_changed(looks, other, p), p) for p in (looks.phases[0], looks.phases[-1]))
                if much <= MUCH:
                    continue
                words = (
                    f"a hundredth of its slider changes {100 * much:.0f} % of the picture's contrast; "
                    "a lever over a narrower range can be set"
                )
                yield Finding(
                    kind="too sensitive",
                    place=f"{place}/{param.name}",
                    words=words,
                    mends=_lever(looks, f"{place}/{param.name}", float(value), step, much),
                    measure=much,
                    evidence=at(phase, looks.apart(other, phase) > 8 / 255),
                )


def _changed(looks: Looks, other: Looks, phase: float) -> float:
    """How much two pictures differ in the mean, as a part of the contrast that the effect has."""
    where = looks.covered(phase)
    if where.sum() < 50:
        return 0.0
    seen = looks.seen(phase)[:, where]
    low, high = np.quantile(seen.max(axis=0), (0.05, 0.95))
    return float(looks.apart(other, phase)[where].mean() / max(float(high - low), 0.1))


def _lever(looks: Looks, place: str, value: float, step: float, much: float) -> list[Mend]:
    """A lever in its place, over a range of which a hundredth is hardly seen."""
    try:
        lever, moved = published(looks.effect, place)
    except (Refused, KeyError):
        return []
    if lever is None or moved is None or isinstance(moved, str):
        return []
    reach = 50 * step * min(1.0, WANTED / much)
    low, high = value - reach, value + reach
    if lever.floor <= value <= lever.ceiling:
        low, high = max(low, lever.floor), min(high, lever.ceiling)
    own = lever.model_copy(update={"least": low, "most": high, "rest": value, "value": value})
    moves = {**moved.model_dump(mode="json"), "low": low, "high": high}
    levers = [x.model_dump(mode="json") for x in (*looks.effect.levers, own)]
    return [Mend.of("a lever over the range that can be set", ("levers", levers), (place, moves))]
