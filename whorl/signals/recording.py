"""What signals did over a turn, as keys and hits."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from whorl.effect.document import MOST_HITS, Effect, Hit
from whorl.effect.levers import standing
from whorl.effect.value import MOST_KEYS, Key, Keys
from whorl.motion.thinning import thinned
from whorl.signals.following import Take


@dataclass(frozen=True)
class Recorded:
    """A lever's keys, and by how much at most they are off at any frame, in the lever's own units."""

    lever: str
    motion: Keys
    error: float


def keys_of(take: Take, effect: Effect, tolerance: float) -> list[Recorded]:
    """Keys for each lever that signals moved, thinned to within `tolerance` of the span of its slider.

    Where that would take more keys than a motion has, the best that can be had; the error says how good that is.
    Colours and switches take no keys.
    """
    out = []
    phases = take.turn.phases
    for lever in effect.levers:
        if lever.kind != "number" or not any(lever.id in row for row in take.rows):
            continue
        here = standing(lever)
        values = [row.get(lever.id, here) for row in take.rows]
        heights = np.asarray([v if isinstance(v, int | float) else v[0] for v in values], np.float64)
        if len(heights) and np.ptp(heights) == 0 and heights[0] == here:
            continue
        span = abs(lever.most - lever.least)
        chosen, error = thinned(np.asarray(phases[: len(heights)]), heights[:, None], tolerance * span, MOST_KEYS)
        keys = tuple(Key(phase=phases[i], value=float(heights[i]), ease="linear") for i in chosen)
        out.append(Recorded(lever.id, Keys(motion="keys", keys=keys), error))
    return out


def hits_of(take: Take, known: Sequence[Hit]) -> list[Hit]:
    """What struck, as hits of the turn beside those that are there; the strongest, where they are too many."""
    room = MOST_HITS - len(known)
    strongest = sorted(take.strikes, key=lambda s: -s.strength)[: max(room, 0)]
    taken = {h.id for h in known}
    free = iter(f"struck-{n}" for n in range(1, 4 * MOST_HITS) if f"struck-{n}" not in taken)
    out = []
    for s in sorted(strongest, key=lambda s: s.at):
        phase = round(min(max((s.at - take.began) / take.turn.seconds, 0.0), 0.999), 4)
        out.append(Hit(id=next(free), position=s.position, phase=phase, strength=s.strength))
    return out
