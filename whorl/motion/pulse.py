"""Pulse: rise, hold, fall and rest."""

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Param
from whorl.effect.value import Amount, Pulse
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
    eased,
    fill,
    neat,
    row,
    whole_cycles,
    within,
)

_WORDS = {
    "begin": "where it begins to rise",
    "rise": "the end of the rise",
    "hold": "the end of the hold",
    "fall": "the end of the fall",
}


class Pulsing(Kind[Pulse]):
    """From low to high and back, so many times a turn. Shares that are more than a whole cycle together are
    cut to one in proportion."""

    def rows(self, motion: Pulse, param: Param, times: Times) -> Rows:
        low, high = fill(motion.low, default(param)), fill(motion.high, default(param))
        way = column(self.way(motion, (motion.cycles * times.phases + motion.start) % 1.0))
        return row(low) + (row(high) - row(low)) * way

    def way(self, motion: Pulse, at: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far up it is, 0..1, at each part of a cycle."""
        rise, hold, fall = self.shares(motion)
        up = _edge(at, 0.0, rise, motion.rising)
        down = _edge(at, rise + hold, fall, motion.falling)
        return np.asarray(up - down)

    def closed_form(self, motion: Pulse, param: Param) -> ClosedForm:
        low, high = fill(motion.low, default(param)), fill(motion.high, default(param))
        amount = tuple(b - a for a, b in zip(low, high, strict=True))
        args = (motion.cycles, motion.start, *self.shares(motion))
        ways = (turning.EASED if e == "eased" else turning.LINEAR for e in (motion.rising, motion.falling))
        return ClosedForm(low, amount, turning.pulsed, args, tuple(zip(("rising", "falling"), ways, strict=True)))

    def closing(self, motion: Pulse, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        moved = fill(motion.low, default(param))[axis] != fill(motion.high, default(param))[axis]
        return whole_cycles(motion, axis, moved)

    def grips(self, motion: Pulse, param: Param, axis: int, times: Times) -> list[Grip]:
        if motion.cycles == 0:
            return []
        low, high = fill(motion.low, default(param))[axis], fill(motion.high, default(param))[axis]
        levels = {"begin": low, "rise": high, "hold": high, "fall": low}
        return [Grip(n, _WORDS[n], self.phase(motion, at), levels[n]) for n, at in self.ends(motion).items()]

    def ends(self, motion: Pulse) -> dict[str, float]:
        """Where in a cycle each of its parts ends."""
        rise, hold, fall = self.shares(motion)
        return {"begin": 0.0, "rise": rise, "hold": rise + hold, "fall": rise + hold + fall}

    def shares(self, motion: Pulse) -> tuple[float, float, float]:
        """Rise, hold and fall as they act, together a cycle at the most."""
        whole = max(1.0, motion.rise + motion.hold + motion.fall)
        return motion.rise / whole, motion.hold / whole, motion.fall / whole

    def phase(self, motion: Pulse, at: float) -> float:
        """The phase at which a part of the first whole cycle comes."""
        begins = (-motion.start / motion.cycles) % (1.0 / abs(motion.cycles))
        return (begins + at / motion.cycles) % 1.0

    def pulled(self, motion: Pulse, param: Param, pull: Pull) -> Pulse:
        rise, hold, fall = self.shares(motion)
        update: dict[str, object] = {}
        for name in pull.names:
            by = pull.snapped(self.phase(motion, self.ends(motion)[name])).phase * motion.cycles
            if name == "begin":
                update["start"] = neat((motion.start - by) % 1.0)
            elif name == "rise":
                # What rises longer holds shorter: the fall stays where it is.
                by = min(max(by, -rise), hold)
                update |= {"rise": neat(rise + by), "hold": neat(hold - by)}
            elif name == "hold":
                by = min(max(by, -hold), fall)
                update |= {"hold": neat(hold + by), "fall": neat(fall - by)}
            else:
                update["fall"] = neat(min(max(fall + by, 0.0), 1.0 - rise - hold))
            end = "low" if name in ("begin", "fall") else "high"
            was = getattr(motion, end)
            value = within(param, fill(was, default(param))[pull.axis] + pull.value)
            update[end] = changed(was, default(param), pull.axis, neat(value))
        return motion.model_copy(update=update)

    def shifted(self, motion: Pulse, param: Param, by: float) -> Pulse:
        return motion.model_copy(update={"start": neat((motion.start - by * motion.cycles) % 1.0)})

    def backwards(self, motion: Pulse, param: Param) -> Pulse:
        start = neat((sum(self.shares(motion)) - motion.cycles - motion.start) % 1.0)
        other = {"rise": motion.fall, "fall": motion.rise, "rising": motion.falling, "falling": motion.rising}
        return motion.model_copy(update={**other, "start": start})

    def held(self, motion: Pulse, param: Param) -> Pulse:
        ends = {"low": clamped(param, motion.low), "high": clamped(param, motion.high)}
        return motion.model_copy(update=ends)

    def begun(self, start: Start) -> Pulse:
        there = start.first(start.here + start.way * start.reach, start.now)
        return Pulse(motion="pulse", low=start.first(start.here, start.now), high=there)

    def amounts(self, motion: Pulse) -> list[Amount | None]:
        return [motion.low, motion.high]

    def quickest(self, motion: Pulse) -> float:
        shortest = min((s for s in (motion.rise, motion.fall) if s > 0), default=0.5)
        return abs(motion.cycles) * max(1.0, 0.5 / shortest)


def _edge(at: NDArray[np.float64], start: float, length: float, ease: str) -> NDArray[np.float64]:
    if length <= 1e-9:
        return np.asarray(at >= start, np.float64)
    t = np.clip((at - start) / length, 0.0, 1.0)
    return eased(t) if ease == "eased" else t


HOW = Pulsing()
