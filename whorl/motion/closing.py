"""Whether a motion comes back to where it began, known before a pixel is drawn."""

import math
from dataclasses import dataclass

from whorl.beads.spec import Numbers, Param
from whorl.effect.value import Keys, Motion, Sway
from whorl.motion.values import fill, unit, value


@dataclass(frozen=True)
class Closing:
    """One axis of one motion. `mend` is the motion as it would close, for one click."""

    axis: int
    closed: bool
    words: str = ""
    mend: Motion | None = None


def closing(motion: Motion, param: Param, period: Numbers = (0.0, 0.0, 0.0)) -> list[Closing]:
    """What each axis of a motion does at the join.

    `period` is that of the coordinates the param moves, where its wrap is "period".
    """
    return [_axis(motion, param, i, period[i] if i < 3 else 0.0) for i in range(param.size)]


def mended(motion: Motion, param: Param, period: Numbers = (0.0, 0.0, 0.0)) -> Motion:
    """The nearest motion that closes on every axis."""
    for i in range(param.size):
        found = _axis(motion, param, i, period[i] if i < 3 else 0.0)
        if found.mend is not None:
            motion = found.mend
    return motion


def _wrap(param: Param, period: float) -> float:
    if param.wrap == "period":
        return period
    return float(param.wrap or 0.0)


def _axis(motion: Motion, param: Param, axis: int, period: float) -> Closing:
    wrap = _wrap(param, period)
    if isinstance(motion, Sway):
        moved = fill(motion.amount, (0.0,) * param.size)[axis] != 0
        nearest = float(round(motion.cycles)) or math.copysign(1.0, motion.cycles)
        if not moved or _whole(motion.cycles):
            return Closing(axis, True)
        words = f"{motion.cycles:g} cycles do not end where they began; {nearest:g} would"
        return Closing(axis, False, words, motion.model_copy(update={"cycles": nearest}))
    if isinstance(motion, Keys):
        return _keys(motion, param, axis, wrap)
    cycles = fill(motion.cycles, (0.0,) * param.size)
    rate = cycles[axis] * unit(param)
    if rate == 0 or (wrap > 0 and _whole(rate / wrap)):
        return Closing(axis, True)
    if wrap <= 0:
        # Nothing brings it back, so a sway over the same stretch stands in for it.
        half = tuple(c * unit(param) / 2 for c in cycles)
        base = fill(motion.base, tuple(param.default))  # type: ignore[arg-type]
        middle = tuple(b + h for b, h in zip(base, half, strict=True))
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


def _keys(motion: Keys, param: Param, axis: int, wrap: float) -> Closing:
    # Only a key at the very end can disagree with the start: else the way leads over the join.
    first = value(motion, param, 0.0)[axis]
    last = value(motion, param, 1.0 - 1e-9)[axis]
    gap = last - first
    ordered = sorted(motion.keys, key=lambda k: k.phase)
    held = ordered[-1].ease == "held" and ordered[-1].phase < 1
    if abs(gap) < 1e-5 or held or (wrap > 0 and _whole(gap / wrap)):
        return Closing(axis, True)
    if ordered[-1].phase < 1 and ordered[0].phase > 0:
        return Closing(axis, True)
    at_start = motion.model_copy(
        update={"keys": (*ordered[:-1], ordered[-1].model_copy(update={"value": ordered[0].value}))}
    )
    words = f"{param.name} ends at {last:g} and begins at {first:g}; ending where it begins closes"
    return Closing(axis, False, words, at_start)


def _whole(x: float) -> bool:
    return abs(x - round(x)) < 1e-6
