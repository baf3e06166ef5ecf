"""What the parts of a plan's builder ask of it."""

from collections.abc import Callable, Sequence
from typing import Protocol

from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE, Param, Signal
from whorl.effect.document import Effect
from whorl.plan.graph import Arg, FromPoint, Node, Period, Picture, Plan, Uniform

#: How values are named to people.
A = {VALUE: "a value", COLOUR: "a colour", COORDS: "coordinates", DIRECTION: "a direction"}


def listed(takes: Sequence[Signal]) -> str:
    """Signals in words: "a value or a colour"."""
    return " or ".join(A[t] for t in takes)


class Maker(Protocol):
    """Adds nodes and uniforms to a plan, and says what is wrong."""

    effect: Effect
    plan: Plan
    ends: dict[str, Node | None]

    def fault(self, place: str, words: str) -> None:
        """Something that is wrong, and where."""

    def number(self, value: object, param: Param, place: str) -> Uniform:
        """A number of the document as the program reads it."""

    def number_at(self, place: str) -> Uniform:
        """The number that the document has at a place outside the strands."""

    def add(
        self,
        place: str,
        gives: Signal | None,
        function: object,
        fixed: tuple[tuple[str, int], ...],
        args: tuple[Arg, ...],
        period: Period | None = None,
    ) -> Node:
        """One more node."""

    def twin(self, node: Node, elsewhere: Callable[[FromPoint], Arg]) -> Node:
        """A node once more, as it would be at another surface point."""

    def moved(self, node: Node, distance: Arg, second: int) -> Node:
        """A node once more, as it would be a distance away on the surface."""

    def reference(self, strand: str, bead: str | None, user: str | None, place: str) -> Node | None:
        """The node a strand or bead ends in."""

    def picture(self, asset: str, srgb: bool, place: str) -> Picture | None:
        """A picture of the effect by the id of its asset; None, and a fault, where it is not there."""

    def is_muted(self, strand: str) -> bool:
        """Whether a strand is muted."""
