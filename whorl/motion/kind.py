"""What every motion does, and what motions share."""

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Numbers, Param
from whorl.effect.value import Amount, Motion
from whorl.shade import Unchecked
from whorl.shade.specialise import Fixed

M = TypeVar("M", bound=Motion)
#: One row for each phase, one column for each component.
Rows = NDArray[np.float64]
#: The rows of another number of the effect, by its place.
Others = Callable[[str, "Times"], Rows]


def alone(place: str, times: "Times") -> Rows:
    """Where there is no effect around a motion, what it follows rests at 0."""
    return np.zeros((len(times.phases), 1))


@dataclass(frozen=True)
class Times:
    """The phases at which a motion is asked for: 0..1 of a turn, or what lies before and after where it loops.

    `looping` is whether the end of the turn leads into its start; `others` gives what is followed.
    """

    phases: NDArray[np.float64]
    looping: bool = True
    others: Others = alone

    @classmethod
    def of(cls, phases: Sequence[float] | NDArray[np.float64], looping: bool = True, others: Others = alone) -> "Times":
        """From plain numbers."""
        return cls(np.asarray(phases, np.float64), looping, others)

    def at(self, phases: NDArray[np.float64]) -> "Times":
        """The same turn at other phases; one that plays once has none outside 0..1."""
        return Times(phases if self.looping else np.clip(phases, 0.0, 1.0), self.looping, self.others)


@dataclass(frozen=True)
class Closing:
    """One axis of one motion. `mend` is the motion as it would close, for one click."""

    axis: int
    closed: bool
    words: str = ""
    mend: Motion | None = None


@dataclass(frozen=True)
class Start:
    """A number that is to move: what it is, where it stands, how far its first component may well go, and
    what it is to follow if it follows something."""

    param: Param
    now: Numbers
    reach: float
    follows: str = ""
    others: Others = alone

    @property
    def here(self) -> float:
        """Where the first component stands, within its range."""
        low, high = self.param.hard
        return min(max(self.now[0], low), high)

    @property
    def way(self) -> float:
        """Upwards where there is room, 1, else downwards, −1."""
        return 1.0 if self.here + self.reach <= self.param.hard[1] else -1.0

    def first(self, x: float, rest: Numbers | None = None) -> Amount:
        """The first component as `x`, the others as in `rest`, or 0."""
        others = rest or (0.0,) * self.param.size
        numbers = tuple(float(f"{n:.4g}") for n in (x, *others[1:]))
        return numbers[0] if len(numbers) == 1 else numbers


@dataclass(frozen=True)
class Grip:
    """A point of a motion's curve that can be taken by the hand, on one of its axes.

    `of` names the grip that it belongs to: a handle shows with its key. `taken` is whether it may be removed.
    """

    name: str
    words: str
    phase: float
    value: float
    of: str = ""
    taken: bool = False


@dataclass(frozen=True)
class Pull:
    """Grips of one axis that are pulled together: by so much of a turn, and by so much of the value.

    With `steps` the first of them comes to rest at a frame, of which there are so many in a turn.
    """

    names: tuple[str, ...]
    axis: int
    phase: float
    value: float
    looping: bool = True
    steps: int | None = None

    def moved(self, phase: float) -> float:
        """Where a grip comes to: round the join in a turn that loops, within 0..1 in one that plays once."""
        there = phase + self.phase
        return there % 1.0 if self.looping and not 0.0 <= there <= 1.0 else min(max(there, 0.0), 1.0)

    def snapped(self, phase: float) -> "Pull":
        """The pull that brings what stands at `phase` to the nearest frame."""
        if not self.steps:
            return self
        return replace(self, phase=round((phase + self.phase) * self.steps) / self.steps - phase, steps=None)


@dataclass(frozen=True)
class ClosedForm:
    """A motion as `base` + `amount` × a way over the turn: the phase itself, or a shade function of it and `args`."""

    base: Numbers
    amount: Numbers
    way: Unchecked | None = None
    args: tuple[float, ...] = ()
    fixed: Fixed = ()


class Kind(ABC, Generic[M]):
    """A kind of motion: its values, whether it closes, what it begins with, and how the hand changes it."""

    @abstractmethod
    def rows(self, motion: M, param: Param, times: Times) -> Rows:
        """The param's components, a row for each phase. Finite for every document."""

    @abstractmethod
    def closing(self, motion: M, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        """What an axis does at the join, where every `wrap` of it looks alike (0: nothing does)."""

    @abstractmethod
    def begun(self, start: Start) -> M:
        """What it begins with; within the number's hard limits all through."""

    @abstractmethod
    def amounts(self, motion: M) -> list[Amount | None]:
        """All of its numbers that are as many as what moves has components."""

    @abstractmethod
    def quickest(self, motion: M) -> float:
        """How many times a turn it goes there and back, at the most."""

    def closed_form(self, motion: M, param: Param) -> ClosedForm | None:
        """The same in closed form, for a program to work out by itself; None where only a table has it."""
        return None

    def grips(self, motion: M, param: Param, axis: int, times: Times) -> list[Grip]:
        """The points of its curve that can be taken by the hand; `times` has no phases, but knows the turn."""
        return []

    def pulled(self, motion: M, param: Param, pull: Pull) -> M:
        """The motion with grips pulled elsewhere; values stay within the param's hard range."""
        return motion

    def added(self, motion: M, param: Param, phase: float, times: Times) -> tuple[M, str]:
        """With one more point on its curve, and that one's name; as it is where it has none."""
        return motion, ""

    def removed(self, motion: M, names: Sequence[str]) -> M:
        """Without some of its points."""
        return motion

    @abstractmethod
    def shifted(self, motion: M, param: Param, by: float) -> M:
        """Later by a part of a turn."""

    def backwards(self, motion: M, param: Param) -> M | None:
        """From its end to its start; None where it has no such form."""
        return None

    def held(self, motion: M, param: Param) -> M:
        """The same motion with its numbers brought within the param's hard range, as far as it has a form for that."""
        return motion

    def rounds(self, motion: M, param: Param, axis: int) -> float | None:
        """How often it goes one round on an axis that only ever goes on; None where it comes back by itself."""
        return None


def row(numbers: Numbers) -> Rows:
    """Components as a row that goes with any number of phases."""
    return np.asarray([numbers])


def column(numbers: NDArray[np.float64]) -> Rows:
    """One number for each phase, to go with any number of components."""
    return numbers[:, None]


def eased(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """0..1, slowly out and slowly in: the cubic that is level at both ends."""
    return np.asarray(t * t * (3 - 2 * t))


def fill(given: Amount | None, rest: Sequence[float]) -> Numbers:
    """A number or a few as all components; what is not given comes from `rest`.

    >>> fill([3.0], (1.0, 1.0, 1.0)), fill(None, (0.5,))
    ((3.0, 1.0, 1.0), (0.5,))
    """
    if given is None:
        return tuple(rest)
    parts = [given] if isinstance(given, int | float) else list(given)
    return tuple(float(x) for x in [*parts, *list(rest)[len(parts) :]][: len(rest)])


def default(param: Param) -> Numbers:
    """What a param is where nothing is given."""
    return tuple(param.default)  # pyrefly: ignore[bad-return]


def clamped(param: Param, given: Amount | None) -> Amount | None:
    """A number or a few, each brought within the hard range."""
    if given is None:
        return None
    return tuple(within(param, x) for x in given) if isinstance(given, tuple) else within(param, given)


def changed(given: Amount | None, rest: Sequence[float], axis: int, value: float) -> Amount:
    """A number or a few with another component."""
    numbers = fill(given, rest)
    out = tuple(value if i == axis else x for i, x in enumerate(numbers))
    return out[0] if len(out) == 1 else out


def within(param: Param, value: float) -> float:
    """Held within what is accepted."""
    return min(max(value, param.hard[0]), param.hard[1])


def neat(x: float, digits: int = 6) -> float:
    """Without the dust that sums leave behind."""
    return float(f"{x:.{digits}g}")


def nothing(param: Param) -> Numbers:
    """0 in every component."""
    return (0.0,) * param.size


def unit(param: Param) -> float:
    """What one cycle of a drift adds: the amount after which the picture is the same, or 1."""
    return float(param.wrap) if isinstance(param.wrap, int | float) else 1.0


def whole_cycles(motion: M, axis: int, moved: bool = True) -> Closing:
    """What an axis does that goes round so many `cycles` a turn: a whole number of them closes."""
    cycles: float = motion.cycles  # pyrefly: ignore[missing-attribute]
    if not moved or whole(cycles):
        return Closing(axis, True)
    nearest = float(round(cycles)) or math.copysign(1.0, cycles)
    words = f"{cycles:g} cycles do not end where they began; {nearest:g} would"
    return Closing(axis, False, words, motion.model_copy(update={"cycles": nearest}))


def whole(x: float) -> bool:
    """Whether a number is whole, within what floats keep of it."""
    return abs(x - round(x)) < 1e-6
