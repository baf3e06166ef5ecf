"""Signals that do not come back at the join, where they are brought in by a strand."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding
from whorl.plan.build import PHASE, Planned
from whorl.plan.graph import FromNode, FromUniform, Node
from whorl.plan.loop import closings
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.steps import source
from whorl.stage.signal import points_of

#: Samples along a side; a difference counts from so much on, in so large a part of them.
SIDE, MUCH, SHARE = 16, 4e-3, 0.01


def find(plan: Planned) -> Iterator[Finding]:
    """Params and channels that are fed by what ends elsewhere than it began.

    Whether a motion closes is known without looking, and so is what rests on motions that do. Only
    the phase of the turn never comes back by itself: what strands make of it, such as one and a half
    times as much, is measured at phase 0, and at phase 1 with all motions carried on to there.
    """
    if not plan.effect.turn.looping:
        return
    moving = _of_phase(plan)
    fed = [(place, node, arg) for place, node, arg in _feeds(plan) if source(arg.node).index in moving]
    if not fed:
        return
    open_places = {place for place, axes in closings(plan).items() if not all(c.closed for c in axes)}
    jumps = _Jumps(plan)
    told: set[int] = set()
    for place, node, arg in fed:
        if source(arg.node).index in told or _rests_on(plan, node, open_places):
            continue
        if jumps.of(arg.node) and jumps.of(node) and not _explained(plan, arg.node, told):
            told.add(source(node).index)
            low, high = jumps.ends(arg.node)
            words = (
                f"what is brought in here does not come back at the join: it goes from {high:.3g} to {low:.3g}, "
                "so the picture jumps; let it end where it began, or a whole turn on"
            )
            yield Finding(kind="open loop", place=place, words=words)


def _of_phase(plan: Planned) -> set[int]:
    """The nodes that rest on the phase of the turn."""
    out: set[int] = set()
    for n in plan.nodes:
        if n.function is not None and any(
            (isinstance(a, FromUniform) and a.uniform.param is PHASE)
            or (isinstance(a, FromNode) and source(a.node).index in out)
            for a in n.args
        ):
            out.add(n.index)
    return out


def _feeds(plan: Planned) -> Iterator[tuple[str, Node, FromNode]]:
    """Where strands are brought in: params of beads by their names, and entries of channels."""
    for place, node in plan.beads.items():
        if node.function is None:
            continue
        names = [p.name for p in node.function.tree.params if not p.fixed]
        for name, arg in zip(names, node.args, strict=True):
            if isinstance(arg, FromNode) and name not in ("below", "p", "beside", "beyond"):
                yield f"strands/{place}/{name}", node, arg
    for node in plan.own:
        if node.place.startswith("surface/") and node.place.rsplit("/", 1)[-1].isdigit():
            for arg in node.args[1:]:
                if isinstance(arg, FromNode):
                    yield node.place, node, arg


def _rests_on(plan: Planned, node: Node, places: set[str]) -> bool:
    """Whether a motion that is told to be open already is among what a node is made from."""
    return any(isinstance(a, FromUniform) and a.uniform.place in places for n in plan.needed(node) for a in n.args)


def _explained(plan: Planned, node: Node, told: set[int]) -> bool:
    return any(n.index in told for n in plan.needed(node))


class _Jumps:
    """Which nodes differ between the end of a turn and its beginning; each is looked at once."""

    def __init__(self, plan: Planned) -> None:
        self.plan = plan
        self.points, self.view, _ = points_of(plan, 0.0, SIDE)
        self.known: dict[int, tuple[np.ndarray, np.ndarray]] = {}

    def both(self, node: Node) -> tuple[np.ndarray, np.ndarray]:
        """A node's results at phases 0 and 1, each with a row a component."""
        node = source(node)
        if node.index not in self.known:
            made = Evaluation(self.plan, node)
            first, last = (np.stack(made(self.points, phase, camera=self.view)) for phase in (0.0, 1.0))
            self.known[node.index] = (first, last)
        return self.known[node.index]

    def of(self, node: Node) -> bool:
        """Whether it jumps."""
        first, last = self.both(node)
        gone = last - first
        if node.period is not None:
            # Coordinates that are whole repeats on are where they were.
            repeat = np.array(node.period.at(0.0))[:, None]
            gone = np.where(repeat > 0, gone - repeat * np.round(gone / np.where(repeat > 0, repeat, 1.0)), gone)
        return bool((np.abs(gone) > MUCH * np.maximum(1.0, np.abs(first))).any(axis=0).mean() > SHARE)

    def ends(self, node: Node) -> tuple[float, float]:
        """Its value at the beginning and at the end, where they differ most."""
        first, last = self.both(node)
        at = np.unravel_index(np.abs(last - first).argmax(), first.shape)
        return float(first[at]), float(last[at])
