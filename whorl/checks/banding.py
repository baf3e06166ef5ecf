"""Slopes so shallow that the steps of eight bits are seen."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding, Mend
from whorl.checks.finer import BAKED
from whorl.checks.looks import Looks, Mask, at
from whorl.checks.regions import parts_of

#: A step is seen where it is at least so wide, in pixels of a baked picture; narrower than the picture, it is a slope.
WIDE, WHOLE = 12, BAKED / 2
#: In how much of the effect, in one piece.
PART = 0.2


def look(looks: Looks) -> Iterator[Finding]:
    """A large part of the effect that is one shallow slope, in bakes that are not dithered."""
    if looks.effect.stage.dither:
        return
    part, phase, where = max((_shallow(looks, p) for p in looks.phases[::2]), key=lambda x: x[0])
    if part <= PART:
        return
    yield Finding(
        kind="banding",
        place="stage/dither",
        words=f"{100 * part:.0f} % of the effect is a slope of less than a step of eight bits over {WIDE} pixels",
        mends=[Mend.of("dither what is baked", ("stage/dither", True))],
        measure=part,
        evidence=at(phase, where),
    )


def _shallow(looks: Looks, phase: float) -> tuple[float, float, Mask]:
    """How much of the effect is one shallow slope at a phase, and where."""
    shown = looks.seen(phase).max(axis=0) * 255.0
    down, across = np.gradient(shown)
    steep = np.hypot(down, across) * looks.side / BAKED
    covered = looks.covered(phase)
    slope = covered & (steep > 1.0 / WHOLE) & (steep < 1.0 / WIDE) & (shown > 0.5)
    if covered.mean() < 0.02:
        return 0.0, phase, slope
    parts, count = parts_of(slope)
    if count == 0:
        return 0.0, phase, slope
    sizes = np.bincount(parts.ravel())
    sizes[0] = 0
    largest = parts == int(sizes.argmax())
    return float(largest.sum() / covered.sum()), phase, largest
