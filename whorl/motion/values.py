"""How numbers change over a turn: the value of a motion at a phase, whether it comes back, what it begins with.

Each motion is a file of its own, called as it is in a document.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from importlib import import_module

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Numbers, Param
from whorl.effect.tree import motion_name
from whorl.effect.value import MOTIONS, Motion
from whorl.motion.kind import Closing, Kind, Others, Rows, Start, Times, alone, default, fill

#: How each motion goes, by its class.
HOW: dict[type, Kind] = {m: import_module(f"whorl.motion.{motion_name(m)}").HOW for m in MOTIONS}  # pyrefly: ignore[implicit-any-type-argument]


def rows(motion: Motion, param: Param, times: Times) -> Rows:
    """The param's components, a row for each phase. Finite for every document."""
    made: Rows = HOW[type(motion)].rows(motion, param, times)
    return made


def value(motion: Motion, param: Param, phase: float, looping: bool = True) -> Numbers:
    """The param's components at `phase`, 0..1 of a turn. Finite for every document."""
    return tuple(rows(motion, param, Times.of([phase], looping))[0].tolist())


@dataclass(frozen=True)
class Track:
    """A param in motion: its components at a phase of the turn, or at many."""

    motion: Motion
    param: Param
    looping: bool = True
    others: Others = alone

    def __call__(self, phase: float) -> Numbers:
        return tuple(self.rows([phase])[0].tolist())

    def rows(self, phases: Sequence[float] | NDArray[np.float64]) -> Rows:
        """A row for each phase."""
        return rows(self.motion, self.param, Times.of(phases, self.looping, self.others))


def held(motion: Motion, param: Param, times: Times) -> Motion | None:
    """The motion kept within the param's hard range; None where its kind has no form for that."""
    made: Motion = HOW[type(motion)].held(motion, param)
    return None if len(outside(rows(made, param, times), param)) else made


def outside(made: Rows, param: Param) -> NDArray[np.float64]:
    """Those of a motion's values that lie outside the param's hard range, by more than sums of decimals are off."""
    low, high = param.hard
    beyond = made[(made < low - 1e-9) | (made > high + 1e-9)]
    return np.asarray(beyond)


def closing(motion: Motion, param: Param, period: Numbers = (0.0, 0.0, 0.0), others: Others = alone) -> list[Closing]:
    """What each axis of a motion does at the join of a turn that loops.

    `period` is that of the coordinates the param moves, where its wrap is "period".
    """
    return [_axis(motion, param, i, period, others) for i in range(param.size)]


def mended(motion: Motion, param: Param, period: Numbers = (0.0, 0.0, 0.0), others: Others = alone) -> Motion:
    """The nearest motion that closes on every axis where one is known."""
    for i in range(param.size):
        found = _axis(motion, param, i, period, others)
        if found.mend is not None:
            motion = found.mend
    return motion


def _axis(motion: Motion, param: Param, axis: int, period: Numbers, others: Others) -> Closing:
    along = period[axis] if axis < 3 else 0.0
    wrap = along if param.wrap == "period" else float(param.wrap or 0.0)
    return HOW[type(motion)].closing(motion, param, axis, wrap, others)


def begin(kind: str, param: Param, now: Numbers, follows: str = "", others: Others = alone) -> Motion:
    """A motion of a number that stands at `now`: its first component moves, by a quarter of its slider.

    It stays within the hard limits all through. `follows` is the place of another number, for what
    follows one, and `others` knows that. KeyError where there is no such kind.
    """
    low, high = param.hard
    reach = min((param.soft[1] - param.soft[0]) / 4, (high - low) / 2)
    how = {motion_name(m): HOW[m] for m in MOTIONS}[kind]
    made: Motion = how.begun(Start(param, fill(tuple(now), default(param)), reach, follows, others))
    return made


def amounts(motion: Motion) -> list[object]:
    """All of a motion's numbers that are as many as what moves has components."""
    return list(HOW[type(motion)].amounts(motion))


def quickest(motion: Motion) -> float:
    """How many times a turn a motion goes there and back, at the most."""
    return HOW[type(motion)].quickest(motion)
