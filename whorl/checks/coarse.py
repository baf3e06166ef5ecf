"""A shape that is too coarse to follow its displacement."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.effect.described import param
from whorl.effect.stage import Stage
from whorl.plan.build import Planned

#: Fewer vertices than this cannot follow a height.
FEW = 600


def find(plan: Planned) -> Iterator[Finding]:
    """Too few vertices; the mend is the first subdivision that has enough."""
    if plan.raised is None:
        return
    stage = plan.effect.stage
    count = len(stage.mesh_of().positions)
    if count >= FEW:
        return
    words = f"the shape has {count} vertices, too few to follow a displacement; make it finer"
    finer = range(stage.subdivision + 1, int(param(Stage, "subdivision").hard[1]) + 1)
    enough = next((n for n in finer if len(stage.mesh_of(n).positions) >= FEW), None)
    mends = [] if enough is None else [Mend.of("make it finer", ("stage/subdivision", enough))]
    yield Finding(kind="coarse", place="stage/subdivision", words=words, mends=mends)
