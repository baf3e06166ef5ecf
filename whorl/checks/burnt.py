"""Pictures whose light runs out at the top or at the bottom."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, Mask, at
from whorl.stage.frame import finished

#: From and up to which level a component counts as full or empty, and in how large a part of the effect it may be.
FULL, EMPTY = 0.95, 0.012
BURNT, CRUSHED = 0.1, 0.7
#: Less than this part of a picture is meant as a spark.
SPARK = 0.02
#: By how many stops at a time the mend tries.
STEP, MOST = 0.5, 6.0


def look(looks: Looks) -> Iterator[Finding]:
    """Too much of the effect white all through, or a solid body too much of which is black."""
    worst = max(looks.phases, key=lambda p: _part(looks, p, True))
    if (part := _part(looks, worst, True)) > BURNT:
        words = f"{100 * part:.0f} % of the effect is burnt out to white, so neither colour nor form is left there"
        yield _finding(looks, "burnt out", worst, True, part, words)
    if all(m.composite in ("solid", "cut away") for m in looks.effect.surface.materials.values()):
        dark = max(looks.phases, key=lambda p: _part(looks, p, False))
        if (part := _part(looks, dark, False)) > CRUSHED:
            words = f"{100 * part:.0f} % of the effect is black, so its form is lost there"
            yield _finding(looks, "crushed", dark, False, part, words)


def _all(looks: Looks, phase: float, top: bool, exposure: float | None = None) -> Mask:
    """Where a picture is full, or empty, the effect or not."""
    picture = looks.seen(phase) if exposure is None else _exposed(looks, phase, exposure)
    return np.asarray((picture.min(axis=0) >= FULL) if top else (picture.max(axis=0) <= EMPTY))


def _effect(looks: Looks, phase: float, top: bool) -> Mask:
    return looks.covered(phase) if top else np.asarray(looks.light(phase, True)[3] > 0.5)


def _part(looks: Looks, phase: float, top: bool, exposure: float | None = None) -> float:
    marked = _all(looks, phase, top, exposure)
    # Where the effect is need not be looked at.
    if not marked.any():
        return 0.0
    covered = _effect(looks, phase, top)
    if covered.mean() < SPARK:
        return 0.0
    return float((covered & marked).sum() / covered.sum())


def _exposed(looks: Looks, phase: float, exposure: float) -> np.ndarray:
    made = finished(looks.plan, looks.light(phase).copy(), phase, instead={"exposure": exposure})
    return np.asarray(np.clip(made[:3], 0.0, 1.0))


def _finding(looks: Looks, kind: str, phase: float, top: bool, part: float, words: str) -> Finding:
    exposure, limit = looks.effect.stage.exposure, 0.9 * (BURNT if top else CRUSHED)
    # One that moves is for its maker to shape.
    now, steps = (exposure, int(MOST / STEP)) if isinstance(exposure, int | float) else (0.0, 0)
    tried = [now + (-1 if top else 1) * STEP * (k + 1) for k in range(steps)]
    enough = next((e for e in tried if all(_part(looks, p, top, e) < limit for p in looks.phases)), None)
    mends = []
    if enough is not None:
        more = f"{abs(enough - now):g} stops {'less' if top else 'more'} exposure"
        mends = [Mend.of(more, ("stage/exposure", enough))]
    return Finding(
        kind=kind,
        place="stage/exposure",
        words=words,
        mends=mends,
        measure=part,
        evidence=at(phase, _effect(looks, phase, top) & _all(looks, phase, top)),
    )
