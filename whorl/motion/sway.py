"""Sway: a sine."""

import math

import numpy as np

from whorl.beads.spec import Param
from whorl.effect.value import Amount, Sway
from whorl.fields import turning
from whorl.motion.kind import (
    ClosedForm,
    Closing,
    Grip,
    Kind,
    Others,
    Pull,
    Rows,
    Start,
    Times,
    alone,
    changed,
    clamped,
    column,
    default,
    fill,
    neat,
    nothing,
    row,
    whole_cycles,
)


class Swaying(Kind[Sway]):
    """About a middle, so far to each side, so many times a turn."""

    def rows(self, motion: Sway, param: Param, times: Times) -> Rows:
        base, amount = fill(motion.base, default(param)), fill(motion.amount, nothing(param))
        wave = np.sin(2 * math.pi * (motion.cycles * times.phases + motion.start))
        return row(base) + row(amount) * column(wave)

    def closed_form(self, motion: Sway, param: Param) -> ClosedForm:
        base, amount = fill(motion.base, default(param)), fill(motion.amount, nothing(param))
        return ClosedForm(base, amount, turning.swayed, (motion.cycles, motion.start))

    def closing(self, motion: Sway, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        moved = fill(motion.amount, nothing(param))[axis] != 0
        return whole_cycles(motion, axis, moved)

    def held(self, motion: Sway, param: Param) -> Sway:
        low, high = param.hard
        base = fill(clamped(param, motion.base), default(param))
        amounts = fill(motion.amount, nothing(param))
        reach = [math.copysign(min(abs(a), b - low, high - b), a) for a, b in zip(amounts, base, strict=True)]
        one = param.size == 1
        return motion.model_copy(update={"base": base[0] if one else base, "amount": reach[0] if one else tuple(reach)})

    def begun(self, start: Start) -> Sway:
        low, high = start.param.hard
        about = min(max(start.here, low + start.reach), high - start.reach)
        amount, base = start.first(start.reach), start.first(about, start.now)
        return Sway(motion="sway", amount=amount, cycles=1.0, start=0.0, base=base)

    def amounts(self, motion: Sway) -> list[Amount | None]:
        return [motion.base, motion.amount]

    def quickest(self, motion: Sway) -> float:
        return abs(motion.cycles)

    def grips(self, motion: Sway, param: Param, axis: int, times: Times) -> list[Grip]:
        amount = fill(motion.amount, nothing(param))[axis]
        if amount == 0 or motion.cycles == 0:
            return []
        base = fill(motion.base, default(param))[axis]
        return [Grip("crest", "the first crest", self.crest(motion), base + abs(amount))]

    def crest(self, motion: Sway, up: float = 1.0) -> float:
        """The first phase at which it is furthest up."""
        rate = abs(motion.cycles)
        turned = math.copysign(1.0, motion.cycles) * motion.start
        return ((0.25 * up - turned) % 1.0) / rate

    def pulled(self, motion: Sway, param: Param, pull: Pull) -> Sway:
        amount, base = fill(motion.amount, nothing(param))[pull.axis], fill(motion.base, default(param))[pull.axis]
        pull = pull.snapped(self.crest(motion))
        room = max(0.0, min(param.hard[1] - base, base - param.hard[0]))
        far = neat(math.copysign(min(max(abs(amount) + pull.value, 0.0), room), amount))
        return motion.model_copy(
            update={
                "amount": changed(motion.amount, nothing(param), pull.axis, far),
                "start": neat((motion.start - pull.phase * motion.cycles) % 1.0),
            }
        )

    def shifted(self, motion: Sway, param: Param, by: float) -> Sway:
        return motion.model_copy(update={"start": neat((motion.start - by * motion.cycles) % 1.0)})

    def backwards(self, motion: Sway, param: Param) -> Sway:
        start = neat((motion.start + motion.cycles) % 1.0)
        return motion.model_copy(update={"cycles": -motion.cycles, "start": start})


HOW = Swaying()
