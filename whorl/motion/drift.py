"""Drift: a constant rate."""

import math

import numpy as np

from whorl.beads.spec import Param
from whorl.effect.value import Amount, Drift, Sway
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
    column,
    default,
    fill,
    neat,
    nothing,
    row,
    unit,
    whole,
)


class Drifting(Kind[Drift]):
    """`from` plus so many wraps, or plain units without a wrap, for each turn."""

    def rows(self, motion: Drift, param: Param, times: Times) -> Rows:
        base, cycles = fill(motion.base, default(param)), fill(motion.cycles, nothing(param))
        return row(base) + row(cycles) * unit(param) * column(times.phases)

    def closed_form(self, motion: Drift, param: Param) -> ClosedForm:
        rate = [c * unit(param) for c in fill(motion.cycles, nothing(param))]
        return ClosedForm(fill(motion.base, default(param)), tuple(rate))

    def closing(self, motion: Drift, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        cycles = fill(motion.cycles, nothing(param))
        rate = cycles[axis] * unit(param)
        if rate == 0 or (wrap > 0 and whole(rate / wrap)):
            return Closing(axis, True)
        if wrap <= 0:
            # Nothing brings it back, so a sway over the same stretch stands in for it.
            half = tuple(c * unit(param) / 2 for c in cycles)
            middle = tuple(b + h for b, h in zip(fill(motion.base, default(param)), half, strict=True))
            sway = Sway(motion="sway", amount=half, base=middle, cycles=1.0, start=-0.25)
            words = f"{param.name} drifts away and jumps back at the join; swaying there and back closes"
            return Closing(axis, False, words, sway)
        low, high = math.floor(rate / wrap) * wrap / unit(param), math.ceil(rate / wrap) * wrap / unit(param)
        nearest = high if (abs(high - cycles[axis]) < abs(cycles[axis] - low) or low == 0) else low
        if nearest == 0:
            nearest = low
        mended = list(cycles)
        mended[axis] = nearest
        words = f"{cycles[axis]:g} repeats a turn do not come round; {low:g} or {high:g} would"
        return Closing(axis, False, words, motion.model_copy(update={"cycles": tuple(mended)}))

    def begun(self, start: Start) -> Drift:
        param = start.param
        cycles = 1.0 if param.wrap is not None else start.way * min(1.0, start.reach) / unit(param)
        return Drift(motion="drift", cycles=start.first(cycles), base=start.first(start.here, start.now))

    def amounts(self, motion: Drift) -> list[Amount | None]:
        return [motion.base, motion.cycles]

    def quickest(self, motion: Drift) -> float:
        return max(1.0, *map(abs, [motion.cycles] if isinstance(motion.cycles, int | float) else motion.cycles))

    def grips(self, motion: Drift, param: Param, axis: int, times: Times) -> list[Grip]:
        cycles = fill(motion.cycles, nothing(param))[axis]
        if cycles == 0:
            return []
        phase = min(1.0, 1.0 / abs(cycles))
        value = float(self.rows(motion, param, times.at(np.array([phase])))[0, axis])
        return [Grip("round", "the end of the first round", phase, value)]

    def pulled(self, motion: Drift, param: Param, pull: Pull) -> Drift:
        cycles = fill(motion.cycles, nothing(param))
        was = cycles[pull.axis]
        first = min(1.0, 1.0 / abs(was))
        end = first + pull.phase
        # Pulled further than a turn, the first round takes longer than one.
        rate = neat(1.0 / max(end, 0.001) * first * abs(was), 4)
        if pull.steps:
            rate = max(1.0, round(rate)) if rate > 0.75 else neat(rate, 2)
        made = changed(motion.cycles, nothing(param), pull.axis, math.copysign(min(rate, 1000.0), was))
        return motion.model_copy(update={"cycles": made})

    def shifted(self, motion: Drift, param: Param, by: float) -> Drift:
        base, cycles = fill(motion.base, default(param)), fill(motion.cycles, nothing(param))
        low, high = param.hard
        moved = tuple(min(max(neat(b - c * unit(param) * by), low), high) for b, c in zip(base, cycles, strict=True))
        return motion.model_copy(update={"base": moved[0] if len(moved) == 1 else moved})

    def backwards(self, motion: Drift, param: Param) -> Drift:
        ended = self.shifted(motion, param, -1.0)
        cycles = tuple(-c for c in fill(motion.cycles, nothing(param)))
        return ended.model_copy(update={"cycles": cycles[0] if len(cycles) == 1 else cycles})

    def rounds(self, motion: Drift, param: Param, axis: int) -> float | None:
        return fill(motion.cycles, nothing(param))[axis]


HOW = Drifting()
