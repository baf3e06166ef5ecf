"""Beads that measure neighbours where there are none."""

from collections.abc import Iterator, Mapping

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import Bead
from whorl.checks.finding import Finding, Mend
from whorl.plan.build import Planned

#: Ports that know of neighbours alone.
_OF_NEIGHBOURS = {"at_gap", "at_behind"}


def find(plan: Planned) -> Iterator[Finding]:
    """Contact, depth and the like on a stage that holds the effect alone: the same everywhere, and nothing to see."""
    neighbours = plan.effect.stage.neighbours
    if neighbours.any:
        return
    for strand in plan.effect.strands:
        for bead in strand.beads:
            spec = CATALOGUE.get(bead.kind)
            if spec is None or bead.muted or not _measures(spec):
                continue
            words = f"{spec.title or spec.kind} shows nothing here: no neighbour stands on the stage"
            mends = [
                Mend.of(f"put up a {name}", (f"stage/neighbours/{name}/on", True))
                for name, standing in neighbours
                if hasattr(standing, "on")
            ]
            yield Finding(kind="no neighbour", place=f"strands/{strand.id}/{bead.id}", words=words, mends=mends)


def _measures(spec: Bead) -> bool:
    functions = spec.shade.values() if isinstance(spec.shade, Mapping) else [spec.shade]
    return any(p.name in _OF_NEIGHBOURS for f in functions for p in f.tree.params)
