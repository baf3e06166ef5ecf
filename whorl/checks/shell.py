"""A shell whose two sides cannot be told apart."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, at
from whorl.shapes import SHAPES

#: From which part of the near side's contrast on the far side's is as loud, and what counts as contrast at all.
ALIKE, LEAST = 0.75, 0.015
#: How much of the far side is left by the mends that are tried.
TRIED = (0.5, 0.35, 0.2)


def look(looks: Looks) -> Iterator[Finding]:
    """A see-through or glowing closed shape whose far side has as much contrast as its near side."""
    surface, stage = looks.effect.surface, looks.effect.stage
    open_ = all(m.composite in ("see-through", "glowing") and not m.clear for m in surface.materials.values())
    if not open_ or surface.sides != "both" or not SHAPES[stage.shape].closed or stage.mesh is not None:
        return
    far = surface.far
    if not isinstance(far, int | float) or far < 0.25:
        return
    near, back = (looks.with_(("surface/sides", side)) for side in ("front", "back"))
    if near is None or back is None:
        return
    worst, phase = max((_ratio(looks, near, back, p), p) for p in looks.phases)
    if worst < ALIKE:
        return
    mends = []
    for part in TRIED:
        share = float(far) * part
        other = looks.with_(("surface/far", share), ("surface/sides", "back"))
        if other is not None and all(_ratio(looks, near, other, p) < 0.9 * ALIKE for p in looks.phases):
            mends = [Mend.of(f"the far side at {100 * share:.0f} %", ("surface/far", round(share, 3)))]
            break
    yield Finding(
        kind="shell that cannot be read",
        place="surface/far",
        words=f"where they overlap the far side has {100 * worst:.0f} % of the near side's contrast",
        mends=mends,
        measure=worst,
        evidence=at(phase),
    )


def _ratio(looks: Looks, near: Looks, back: Looks, phase: float) -> float:
    """How much contrast the far side has beside the near side where both lie, 0 where there is hardly any."""
    front, behind = near.light(phase, True), back.light(phase, True)
    both = (front[:3].max(axis=0) > 1e-3) & (behind[:3].max(axis=0) > 1e-3)
    if both.sum() < 50:
        return 0.0
    # What is before it hides its part of what is behind.
    seen = behind[:3] * (1.0 - np.clip(front[3], 0.0, 1.0))
    loud, quiet = (_contrast(x[:3], both) for x in (seen, front))
    return 0.0 if max(loud, quiet) < LEAST else loud / max(quiet, 1e-4)


def _contrast(light: np.ndarray, where: np.ndarray) -> float:
    """How much neighbouring pixels differ, in light: what lies over one another adds up."""
    shown = np.clip(light.mean(axis=0), 0.0, 2.0)
    across = np.abs(np.diff(shown, axis=1))[where[:, 1:] & where[:, :-1]]
    down = np.abs(np.diff(shown, axis=0))[where[1:] & where[:-1]]
    each = np.concatenate([across, down])
    return float(each.mean()) if len(each) else 0.0
