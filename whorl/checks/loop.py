"""What keeps the loop open, and patterns that do not meet themselves."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.plan.build import Planned
from whorl.plan.loop import findings

_MENDS = {"open loop": "close the loop", "seam": "make it meet"}


def find(plan: Planned) -> Iterator[Finding]:
    """Motions that do not come back, and seams."""
    for f in findings(plan):
        mends = [] if f.mend is None else [Mend.of(_MENDS[f.kind], (f.place, f.mend))]
        yield Finding(kind=f.kind, place=f.place, words=f.words, axis=f.axis, mends=mends)
