"""Follow: another number of the effect, later and weaker."""

import numpy as np

from whorl.beads.spec import Param
from whorl.effect.value import Amount, Follow
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
    default,
    fill,
    neat,
    row,
    whole,
    within,
)


class Following(Kind[Follow]):
    """`about` plus `gain` times what another number was `delay` of a turn before."""

    def rows(self, motion: Follow, param: Param, times: Times) -> Rows:
        then = times.at(times.phases - motion.delay)
        followed = times.others(motion.place, then)
        if followed.shape[1] < param.size:
            # A number with fewer components is followed by all alike.
            followed = np.repeat(followed[:, :1], param.size, axis=1)
        return row(fill(motion.about, default(param))) + motion.gain * followed[:, : param.size]

    def closing(self, motion: Follow, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        first, last = self.rows(motion, param, Times.of([0.0, 1.0], others=others))[:, axis]
        gap = float(last - first)
        if abs(gap) < 1e-5 or (wrap > 0 and whole(gap / wrap)):
            return Closing(axis, True)
        words = f"what {param.name} follows goes on by {gap:g} in a turn, so it does not end where it began"
        return Closing(axis, False, words)

    def grips(self, motion: Follow, param: Param, axis: int, times: Times) -> list[Grip]:
        phase = motion.delay % 1.0 if times.looping else min(max(motion.delay, 0.0), 1.0)
        value = float(self.rows(motion, param, times.at(np.array([phase])))[0, axis])
        return [Grip("delay", "what the other is at the start", phase, value)]

    def pulled(self, motion: Follow, param: Param, pull: Pull) -> Follow:
        there = pull.snapped(motion.delay)
        about = within(param, fill(motion.about, default(param))[pull.axis] + pull.value)
        moved = changed(motion.about, default(param), pull.axis, neat(about))
        return motion.model_copy(update={"delay": neat(max(0.0, motion.delay + there.phase)), "about": moved})

    def shifted(self, motion: Follow, param: Param, by: float) -> Follow:
        return motion.model_copy(update={"delay": neat(motion.delay + by)})

    def begun(self, start: Start) -> Follow:
        delay = 0.1
        seen = start.others(start.follows, Times.of(np.linspace(-delay, 1.0, 67).tolist()))[:, 0]
        low, high = float(seen.min()), float(seen.max())
        # From where the number stands as far as it well may; a little less, so that rounding leads out of no range.
        gain = float(f"{0.99 * start.way * start.reach / (high - low):.3g}") if high > low else 1.0
        about = start.first(start.here + 0.005 * start.way * start.reach - gain * low, start.now)
        return Follow(motion="follow", place=start.follows, delay=delay, gain=gain, about=about)

    def amounts(self, motion: Follow) -> list[Amount | None]:
        return [motion.about]

    def quickest(self, motion: Follow) -> float:
        # What is followed may be as quick as it likes.
        return 16.0


HOW = Following()
