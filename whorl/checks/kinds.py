"""Every kind of finding: how bad it is, and why it matters."""

from dataclasses import dataclass
from enum import StrEnum


class Bad(StrEnum):
    """How bad a finding is, the worst first."""

    BREAKS = "breaks the hand-over"
    WRONG = "looks wrong"
    BETTER = "could be better"

    @property
    def code(self) -> int:
        """What a command ends with that found nothing worse; 2 is bad input."""
        return {Bad.BREAKS: 4, Bad.WRONG: 3, Bad.BETTER: 1}[self]


@dataclass(frozen=True)
class Kind:
    """What is said of all findings of a kind."""

    bad: Bad
    why: str


KINDS = {
    "fault": Kind(Bad.BREAKS, "What has a fault is not drawn."),
    "open loop": Kind(Bad.WRONG, "The picture jumps where the turn begins again."),
    "seam": Kind(Bad.WRONG, "A line shows where the pattern meets itself."),
    "runs backwards": Kind(Bad.WRONG, "From frame to frame the eye takes the nearest way, which is the other one."),
    "nothing shows": Kind(Bad.BREAKS, "Whoever receives it sees a black shape."),
    "opacity hides the body": Kind(Bad.WRONG, "All that makes a clear body clear is hidden."),
    "channel cannot act": Kind(Bad.WRONG, "What is sent there changes nothing."),
    "light on nothing": Kind(Bad.BETTER, "It costs time and nothing shows of it."),
    "no neighbour": Kind(Bad.BETTER, "A bead about neighbours says nothing where there is none."),
    "seam in a picture": Kind(Bad.WRONG, "A line shows wherever the picture begins again."),
    "coarse": Kind(Bad.BETTER, "Between vertices the shape is straight, so what is finer is lost."),
    "bounds": Kind(Bad.BETTER, "Where it is cut off by its old bounds, parts of it vanish as it moves."),
    "thin film out of range": Kind(Bad.WRONG, "Outside some 100 to 1,200 nm a film shows hardly any colour."),
    "muddy absorption": Kind(
        Bad.WRONG, "A component near nought is black at twice the depth, and thick parts turn to mud."
    ),
    "torn edges": Kind(Bad.WRONG, "Faces part where the shape has an edge, and the backdrop shows between them."),
    "wrong one of two levels": Kind(Bad.WRONG, "A line narrower than nothing shows nothing at all."),
}
