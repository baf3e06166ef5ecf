"""Blends whose operands are the wrong way round."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import MOMENTS, Looks, at, is_light
from whorl.plan.graph import FromNode, Node

#: Modes that give another result when their operands are exchanged.
ORDERED = ("subtract", "divide", "overlay", "soft light", "hard light", "dodge", "burn", "linear light")
#: A result that differs less than this from black, white or an operand tells of one of them alone; one that is worth
#: having spreads at least so far.
ALIKE, SPREAD = 0.01, 0.06


def look(looks: Looks) -> Iterator[Finding]:
    """Blends that come to nearly nothing, where the other way round they would come to something."""
    for strand in looks.effect.strands:
        for bead in strand.beads:
            mode = bead.settings.get("mode", "")
            node = looks.plan.beads.get(f"{strand.id}/{bead.id}")
            if bead.kind != "blend" or mode not in ORDERED or bead.muted or node is None or not is_light(node):
                continue
            place = f"strands/{strand.id}/{bead.id}"
            told = _told(looks, node)
            if not told:
                continue
            swap = (f"{place}/swap", not bead.settings.get("swap", False))
            other = looks.with_(swap)
            there = other.plan.beads.get(f"{strand.id}/{bead.id}") if other else None
            if other is None or there is None or _told(other, there) or _spread(other, there) < SPREAD:
                continue
            yield Finding(
                kind="operands the wrong way round",
                place=place,
                words=f"{mode} comes to {told} here; the other way round it comes to something",
                mends=[Mend.of("exchange the two", swap)],
                evidence=at(looks.phases[0]),
            )


def _told(looks: Looks, node: Node) -> str:
    """What a blend comes to that comes to next to nothing; nothing where it comes to something."""
    found = looks.values(node)
    made = np.clip(np.concatenate(found), 0.0, 1.0)
    if np.quantile(made, 0.98) < ALIKE:
        return "black"
    if np.quantile(made, 0.02) > 1 - ALIKE:
        return "white"
    if node.function is None:
        return ""
    names = [p.name for p in node.function.tree.params if not p.fixed]
    given = dict(zip(names, node.args, strict=True))
    for name, words in (("below", "what comes in"), ("top", "what is laid on top")):
        arg = given.get(name)
        if isinstance(arg, FromNode) and is_light(arg.node):
            other = np.clip(np.concatenate(looks.values(arg.node, MOMENTS)), 0.0, 1.0)
            if len(other) == len(made) and np.quantile(np.abs(made - other), 0.98) < ALIKE and np.ptp(other) > ALIKE:
                return f"{words} alone"
    return ""


def _spread(looks: Looks, node: Node) -> float:
    low, high = np.quantile(np.clip(np.concatenate(looks.values(node)), 0.0, 1.0), (0.05, 0.95))
    return float(high - low)
