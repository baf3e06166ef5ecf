"""Lines between two levels that are one."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.plan.build import Planned
from whorl.plan.graph import FromUniform


def find(plan: Planned) -> Iterator[Finding]:
    """Rims that are never wider than nothing."""
    for strand in plan.effect.strands:
        for bead in strand.beads:
            node = plan.beads.get(f"{strand.id}/{bead.id}")
            if bead.kind != "rim" or node is None or bead.muted:
                continue
            given = {a.uniform.param.name: a.uniform for a in node.args if isinstance(a, FromUniform)}
            width = given.get("width")
            if width is None or width.track is not None or width.value[0] > 0:
                continue
            place = f"strands/{strand.id}/{bead.id}"
            mends = [Mend.of("make it 0.08 wide", (f"{place}/width", 0.08))]
            words = "the line is as wide as nothing, so it does not show"
            yield Finding(kind="wrong one of two levels", place=f"{place}/width", words=words, mends=mends)
