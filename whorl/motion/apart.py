"""Apart: each component moves by itself, or stands still."""

from collections.abc import Callable
from dataclasses import replace
from importlib import import_module

import numpy as np

from whorl.beads.spec import Param
from whorl.effect.value import Amount, Apart, Motion
from whorl.motion.kind import Closing, Kind, Others, Rows, Start, Times, alone, default


class Separate(Kind[Apart]):
    """Every component as its own motion has it; one that is not given stays as it begins."""

    def rows(self, motion: Apart, param: Param, times: Times) -> Rows:
        return np.column_stack([self.axis(motion, param, i, times) for i in range(param.size)])

    def axis(self, motion: Apart, param: Param, axis: int, times: Times) -> Rows:
        """One component, a number for each phase."""
        given = motion.axes[axis] if axis < len(motion.axes) else default(param)[axis]
        if isinstance(given, int | float):
            return np.full(len(times.phases), float(given))
        return np.asarray(how(given).rows(given, component(param, axis), times)[:, 0])

    def closing(self, motion: Apart, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        given = motion.axes[axis] if axis < len(motion.axes) else 0.0
        if isinstance(given, int | float):
            return Closing(axis, True)
        found = how(given).closing(given, component(param, axis), 0, wrap, others)
        mend = found.mend and motion.model_copy(
            update={"axes": (*motion.axes[:axis], found.mend, *motion.axes[axis + 1 :])}
        )
        return replace(found, axis=axis, mend=mend)

    def shifted(self, motion: Apart, param: Param, by: float) -> Apart:
        return self.each(motion, lambda m, i: how(m).shifted(m, component(param, i), by))

    def backwards(self, motion: Apart, param: Param) -> Apart:
        return self.each(motion, lambda m, i: how(m).backwards(m, component(param, i)) or m)

    def each(self, motion: Apart, change: Callable[[Motion, int], Motion]) -> Apart:
        """Every axis that moves, changed."""
        axes = tuple(m if isinstance(m, int | float) else change(m, i) for i, m in enumerate(motion.axes))
        return motion.model_copy(update={"axes": axes})

    def begun(self, start: Start) -> Apart:
        return Apart(motion="apart", axes=tuple(start.now))

    def amounts(self, motion: Apart) -> list[Amount | None]:
        return []

    def quickest(self, motion: Apart) -> float:
        return max((how(m).quickest(m) for m in motion.axes if not isinstance(m, int | float)), default=1.0)


def component(param: Param, axis: int) -> Param:
    """One component of a number, as a number of its own."""
    label = f"{param.label or param.name} {param.axes[axis]}"
    return replace(param, type="number", default=(default(param)[axis],), label=label)


def how(motion: Motion) -> Kind:  # pyrefly: ignore[implicit-any-type-argument]
    """How another motion goes."""
    found: Kind = import_module(f"whorl.motion.{motion.motion}").HOW  # pyrefly: ignore[implicit-any-type-argument]
    return found


HOW = Separate()
