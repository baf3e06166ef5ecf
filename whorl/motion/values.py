"""How numbers change over a turn: the value of a motion at a phase."""

import math
from collections.abc import Sequence

from whorl.beads.spec import Numbers, Param
from whorl.effect.value import Amount, Drift, Key, Keys, Motion


def fill(given: Amount | None, rest: Sequence[float]) -> Numbers:
    """A number or a few as all components; what is not given comes from `rest`.

    >>> fill([3.0], (1.0, 1.0, 1.0)), fill(None, (0.5,))
    ((3.0, 1.0, 1.0), (0.5,))
    """
    if given is None:
        return tuple(rest)
    parts = [given] if isinstance(given, int | float) else list(given)
    return tuple(float(x) for x in [*parts, *list(rest)[len(parts) :]][: len(rest)])


def unit(param: Param) -> float:
    """What one cycle of a drift adds: the amount after which the picture is the same, or 1."""
    return float(param.wrap) if isinstance(param.wrap, int | float) else 1.0


def value(motion: Motion, param: Param, phase: float) -> Numbers:
    """The param's components at `phase`, 0..1 of a turn. Finite for every document."""
    zero = (0.0,) * param.size
    default: Numbers = tuple(param.default)  # type: ignore[arg-type]
    if isinstance(motion, Keys):
        return _keyed(motion.keys, default, phase)
    base = fill(motion.base, default)
    if isinstance(motion, Drift):
        cycles = fill(motion.cycles, zero)
        return tuple(b + c * unit(param) * phase for b, c in zip(base, cycles, strict=True))
    amount = fill(motion.amount, zero)
    wave = math.sin(2 * math.pi * (motion.cycles * phase + motion.start))
    return tuple(b + a * wave for b, a in zip(base, amount, strict=True))


def _keyed(keys: Sequence[Key], default: Numbers, phase: float) -> Numbers:
    ordered = sorted(keys, key=lambda k: k.phase)
    after = next((i for i, k in enumerate(ordered) if k.phase > phase), len(ordered))
    here = ordered[after - 1]
    there = ordered[after % len(ordered)]
    # Across the join the next key lies one turn further on.
    start = here.phase - (1.0 if after == 0 else 0.0)
    end = there.phase + (1.0 if after == len(ordered) else 0.0)
    gap = end - start
    t = (phase - start) / gap if gap > 1e-9 else 0.0
    if here.ease == "held":
        t = 0.0
    elif here.ease == "eased":
        t = t * t * (3 - 2 * t)
    a, b = fill(here.value, default), fill(there.value, default)
    return tuple(x + (y - x) * t for x, y in zip(a, b, strict=True))


def table(motion: Motion, param: Param, frames: int) -> list[Numbers]:
    """One row for each frame of a turn: frame f is at phase f / frames."""
    return [value(motion, param, f / frames) for f in range(frames)]
