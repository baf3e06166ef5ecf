"""Flicker: a noise on the circle of the turn."""

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Param
from whorl.effect.value import Amount, Flicker
from whorl.motion.kind import (
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
    default,
    eased,
    fill,
    neat,
    row,
    whole,
    within,
)


class Flickering(Kind[Flicker]):
    """Another random value at each change, `rate` of them a turn, and on the way between them in the time
    that `roughness` leaves."""

    def rows(self, motion: Flicker, param: Param, times: Times) -> Rows:
        low, high = fill(motion.low, default(param)), fill(motion.high, default(param))
        place = (times.phases + motion.start) * motion.rate
        here = np.floor(place)
        part = place - here
        count = max(1, round(motion.rate))
        first, second = here.astype(np.int64), here.astype(np.int64) + 1
        if times.looping and whole(motion.rate):
            first, second = first % count, second % count
        left = 1.0 - motion.roughness
        done = eased(np.clip((part - motion.roughness) / left, 0.0, 1.0)) if left > 1e-9 else np.zeros_like(part)
        axes = np.zeros(param.size, np.int64) if motion.together else np.arange(param.size)
        # Each value is drawn once, however many phases lie in its change.
        least, most = int(min(first.min(), second.min())), int(max(first.max(), second.max()))
        values = drawn(round(motion.seed), np.arange(least, most + 1)[:, None], axes[None, :])
        a, b = values[first - least], values[second - least]
        return row(low) + (row(high) - row(low)) * (a + (b - a) * done[:, None])

    def closing(self, motion: Flicker, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        moved = fill(motion.low, default(param))[axis] != fill(motion.high, default(param))[axis]
        if not moved or whole(motion.rate):
            return Closing(axis, True)
        nearest = float(max(1, round(motion.rate)))
        words = f"{motion.rate:g} changes a turn do not come round; {nearest:g} would"
        return Closing(axis, False, words, motion.model_copy(update={"rate": nearest}))

    def grips(self, motion: Flicker, param: Param, axis: int, times: Times) -> list[Grip]:
        phase = (1.0 / motion.rate - motion.start) % 1.0
        value = float(self.rows(motion, param, times.at(np.array([phase])))[0, axis])
        high = fill(motion.high, default(param))[axis]
        return [
            Grip("change", "the end of the first change", phase, value),
            Grip("high", "the most it is", (0.5 / motion.rate - motion.start) % 1.0, high),
        ]

    def pulled(self, motion: Flicker, param: Param, pull: Pull) -> Flicker:
        if pull.names[0] == "high":
            value = within(param, fill(motion.high, default(param))[pull.axis] + pull.value)
            return motion.model_copy(update={"high": changed(motion.high, default(param), pull.axis, neat(value))})
        rate = 1.0 / max(1.0 / motion.rate + pull.phase, 1e-4)
        return motion.model_copy(update={"rate": float(min(max(round(rate), 1), 10000))})

    def shifted(self, motion: Flicker, param: Param, by: float) -> Flicker:
        return motion.model_copy(update={"start": neat((motion.start - by) % 1.0)})

    def held(self, motion: Flicker, param: Param) -> Flicker:
        ends = {"low": clamped(param, motion.low), "high": clamped(param, motion.high)}
        return motion.model_copy(update=ends)

    def begun(self, start: Start) -> Flicker:
        there = start.first(start.here + start.way * start.reach, start.now)
        low, high = start.first(start.here, start.now), there
        return (
            Flicker(motion="flicker", low=low, high=high)
            if start.way > 0
            else Flicker(motion="flicker", low=high, high=low)
        )

    def amounts(self, motion: Flicker) -> list[Amount | None]:
        return [motion.low, motion.high]

    def quickest(self, motion: Flicker) -> float:
        return max(1.0, abs(motion.rate) / 2)


def drawn(seed: int, change: NDArray[np.int64], axis: NDArray[np.int64]) -> NDArray[np.float64]:
    """Random numbers of 0..1 that depend on nothing else: SplitMix64 (Steele, Lea and Flood, 2014)."""
    with np.errstate(over="ignore"):
        key = np.uint64(seed % 2**32) << np.uint64(32)
        z = change.astype(np.uint64) + axis.astype(np.uint64) * np.uint64(0xD1B54A32D192ED03) + key
        z = (z + np.uint64(1)) * np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z = z ^ (z >> np.uint64(31))
    return np.asarray((z >> np.uint64(11)) * (1.0 / 2**53), np.float64)


HOW = Flickering()
