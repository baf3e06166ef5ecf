"""What the parts of a plan's builder share: each is given what it needs, and none knows who builds."""

from collections.abc import Sequence
from dataclasses import dataclass

from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE, Signal
from whorl.effect.document import Effect
from whorl.plan.build.nodes import Nodes
from whorl.plan.build.numbers import Faults, Uniforms
from whorl.plan.build.pictures import Pictures
from whorl.plan.graph import Plan

#: How values are named to people.
A = {VALUE: "a value", COLOUR: "a colour", COORDS: "coordinates", DIRECTION: "a direction"}


def listed(takes: Sequence[Signal]) -> str:
    """Signals in words: "a value or a colour"."""
    return " or ".join(A[t] for t in takes)


@dataclass(frozen=True)
class Parts:
    """An effect, its plan, and what writes it."""

    effect: Effect
    plan: Plan
    faults: Faults
    nodes: Nodes
    uniforms: Uniforms
    pictures: Pictures

    @classmethod
    def of(cls, effect: Effect, plan: Plan) -> "Parts":
        """Everything anew for a plan that is empty."""
        faults, nodes = Faults(), Nodes(plan)
        return cls(effect, plan, faults, nodes, Uniforms(effect, plan, faults), Pictures(effect, plan, faults, nodes))
