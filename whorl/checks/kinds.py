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
    "wrong one of two levels": Kind(Bad.WRONG, "A line that lies where nothing is, or is as wide as nothing, is lost."),
    "burnt out": Kind(Bad.WRONG, "What is white all through has neither colour nor form."),
    "crushed": Kind(Bad.WRONG, "What is black all through has no form."),
    "gloss given as roughness": Kind(Bad.WRONG, "What should shine is dull, and what should be dull shines."),
    "operands the wrong way round": Kind(Bad.WRONG, "The other strand might as well not be there."),
    "bumps that part from their pattern": Kind(Bad.WRONG, "Light tells of another form than the colours do."),
    "shell that cannot be read": Kind(Bad.WRONG, "Two patterns of like strength over one another are neither."),
    "finer than the picture": Kind(Bad.WRONG, "What is finer than pixels shimmers as it moves, or is not there."),
    "glow that does not show": Kind(Bad.WRONG, "Light that nobody sees is no light."),
    "banding": Kind(Bad.BETTER, "In eight bits such a slope is seen as steps."),
    "uneven reveal": Kind(Bad.WRONG, "It stands still for a while and then goes all at once."),
    "specks": Kind(Bad.BETTER, "What is left in crumbs looks like a fault of the picture."),
    "join in the picture": Kind(Bad.WRONG, "The eye sees the jump each time the turn begins again."),
    "flashes": Kind(Bad.BREAKS, "It may bring on a seizure (WCAG 2.3.1), and must not be shown so."),
    "cost": Kind(Bad.BETTER, "Every frame pays for it, on every machine."),
    "does nothing": Kind(Bad.BETTER, "It costs time, and whoever reads the sheet looks for what it does."),
    "too sensitive": Kind(Bad.BETTER, "Nobody can set it by hand: the next place of the slider is another picture."),
}
