"""What signals did over a turn, as keys and hits."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from whorl.effect.document import HOLDS, MOST_HITS, Effect, Hit, Lever
from whorl.effect.levers import standing
from whorl.effect.places import param_at
from whorl.effect.value import MOST_KEYS, Amount, Key, Keys
from whorl.motion.thinning import thinned
from whorl.signals.following import Take


@dataclass(frozen=True)
class Recorded:
    """A lever's keys, in which of its fields they go, and by how much at most they are off at any frame, in the lever's
    own units."""

    lever: str
    field: str
    motion: Keys
    error: float


def keys_of(take: Take, effect: Effect, tolerance: float) -> list[Recorded]:
    """Keys for each lever that signals moved, thinned to within `tolerance` of the span of its slider; of a colour, of
    the most light that it had.

    Where that would take more keys than a motion has, the best that can be had; the error says how good that is.
    Switches and choices take no keys.
    """
    out = []
    phases = take.turn.phases
    for lever in effect.levers:
        if lever.kind not in ("number", "colour", "place") or not any(lever.id in row for row in take.rows):
            continue
        here = standing(lever)
        heights = np.asarray([row.get(lever.id, here) for row in take.rows], np.float64).reshape(len(take.rows), -1)
        if not np.ptp(heights, axis=0).any() and (heights[0] == here).all():
            continue
        reach = tolerance * _span(lever, heights)
        chosen, error = thinned(np.asarray(phases[: len(heights)]), heights, reach, MOST_KEYS)
        keys = tuple(Key(phase=phases[i], value=_amount(heights[i]), ease="linear") for i in chosen)
        out.append(Recorded(lever.id, HOLDS[lever.kind][0], Keys(motion="keys", keys=keys), error))
    return out


def _span(lever: Lever, heights: NDArray[np.float64]) -> float:
    """What a tolerance is a part of."""
    if lever.kind == "number":
        return abs(lever.most - lever.least)
    if lever.kind == "colour":
        return float(heights.max())
    param = param_at(f"levers/none/{HOLDS[lever.kind][0]}")
    assert param is not None
    return param.soft[1] - param.soft[0]


def _amount(numbers: NDArray[np.float64]) -> Amount:
    return float(numbers[0]) if len(numbers) == 1 else tuple(numbers.tolist())


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
