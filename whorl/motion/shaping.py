"""Motions as they are shaped by hand: what of their curves can be taken hold of, and what a pull makes of them."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from whorl.beads.spec import Param
from whorl.effect.document import Turn
from whorl.effect.value import Apart, Motion
from whorl.motion.apart import component
from whorl.motion.kind import Grip, Others, Pull, Rows, Times, alone
from whorl.motion.values import HOW, amounts


@dataclass(frozen=True)
class Shape:
    """One axis of a number in motion: its curve over the turn is that column of its rows."""

    axis: int
    grips: list[Grip]
    #: How often it goes round, where it only ever goes on.
    rounds: float | None


@dataclass(frozen=True)
class Deed:
    """What the hand does with a motion: pulls grips, adds or removes points, or turns the whole of it."""

    kind: Literal["pull", "add", "remove", "shift", "reverse", "fit"]
    names: tuple[str, ...] = ()
    phase: float = 0.0
    value: float = 0.0
    axis: int = 0
    snap: bool = True


def shape(motion: Motion, rows: Rows, param: Param, turn: Turn, others: Others = alone) -> Shape:
    """The axis of a motion that is shown: the first that moves."""
    moves = np.ptp(rows, axis=0) > 0 if len(rows) else np.zeros(param.size, bool)
    axis = int(np.argmax(moves)) if moves.any() else 0
    how = HOW[type(motion)]
    times = Times.of([], turn.looping, others)
    return Shape(axis, how.grips(motion, param, axis, times), how.rounds(motion, param, axis))


def done(motion: Motion, param: Param, turn: Turn, deed: Deed, others: Others = alone) -> tuple[Motion, str]:
    """The motion after a deed, and the name of the point that was added.

    Raises ValueError, in words, where it has no such form.
    """
    how = HOW[type(motion)]
    if deed.kind == "pull":
        known = {g.name for g in how.grips(motion, param, deed.axis, Times.of([], turn.looping, others))}
        if not deed.names or not set(deed.names) <= known:
            raise ValueError("what was pulled is no longer there")
        steps = turn.steps if deed.snap else None
        pull = Pull(deed.names, deed.axis, deed.phase, deed.value, turn.looping, steps)
        return how.pulled(motion, param, pull), ""
    if deed.kind == "add":
        phase = round(deed.phase * turn.steps) / turn.steps if deed.snap else deed.phase
        return how.added(motion, param, min(max(phase, 0.0), 1.0), Times.of([], turn.looping, others))
    if deed.kind == "remove":
        return how.removed(motion, deed.names), ""
    if deed.kind == "shift":
        return how.shifted(motion, param, deed.phase), ""
    if deed.kind == "fit":
        return fitted(motion, param), ""
    made = how.backwards(motion, param)
    if made is None:
        raise ValueError(f"a {motion.motion} is the same kind of thing either way, and has no reverse")
    return made, ""


def fitted(motion: Motion, param: Param) -> Motion:
    """A motion of another number for this one: components that this one has not are left out."""
    if isinstance(motion, Apart) and param.size == 1:
        moving = [m for m in motion.axes if not isinstance(m, int | float)]
        if not moving:
            raise ValueError("none of its components moves")
        return fitted(moving[0], param)
    if any(isinstance(a, tuple) and len(a) > param.size for a in amounts(motion)):
        return _cut(motion, param.size)
    return motion


def _cut(motion: Motion, size: int) -> Motion:
    def short(value: object) -> object:
        if isinstance(value, tuple) and value and isinstance(value[0], float | int):
            return value[0] if size == 1 else value[:size]
        if isinstance(value, tuple):
            return tuple(short(v) for v in value)
        if isinstance(value, dict):
            return {k: short(v) for k, v in value.items()}
        return value

    return type(motion).model_validate(short(motion.model_dump()))


@dataclass(frozen=True)
class Track:
    """A curve on the ring: one axis of a number in motion, with the place of what moves it."""

    place: str
    axis: int
    grips: list[Grip]
    rounds: float | None
    motion: Motion
    param: Param


def tracks(place: str, motion: Motion, rows: Rows, param: Param, turn: Turn, others: Others) -> Iterator[Track]:
    """The curves of a number in motion: one, or one for each component that moves by itself."""
    if isinstance(motion, Apart):
        for i, given in enumerate(motion.axes):
            if not isinstance(given, int | float):
                inner = component(param, i)
                made = shape(given, rows[:, i : i + 1], inner, turn, others)
                yield Track(f"{place}/axes/{i}", i, made.grips, made.rounds, given, inner)
        return
    made = shape(motion, rows, param, turn, others)
    yield Track(place, made.axis, made.grips, made.rounds, motion, param)
