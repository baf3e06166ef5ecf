"""A finding: what is so, where, and what would mend it."""

from pydantic import BaseModel, computed_field

from whorl.checks.kinds import KINDS, Bad
from whorl.effect.problems import Change, Mend

__all__ = ["Change", "Evidence", "Finding", "Mend"]


class Evidence(BaseModel):
    """Where it is seen: at which phase of the turn and where in the picture (left, top, right, bottom, 0..1), over
    which passage of the turn, and as a curve of so many points from the left to the right."""

    phase: float | None = None
    spot: list[float] | None = None
    passage: list[float] | None = None
    curve: list[float] = []
    curve_words: str = ""


class Finding(BaseModel):
    """One finding, at a place; its mends are in the order in which they are likely wanted.

    `measure` says how far it goes, so that one which was set aside is told again when it goes further; `when` names how
    the levers stand where it is not found as they are; `aside` is why it was set aside.
    """

    kind: str
    place: str
    words: str
    axis: int | None = None
    mends: list[Mend] = []
    evidence: Evidence | None = None
    measure: float = 1.0
    when: str = ""
    aside: str = ""

    @computed_field
    @property
    def bad(self) -> Bad:
        """How bad it is."""
        return KINDS[self.kind].bad

    @computed_field
    @property
    def why(self) -> str:
        """Why it matters."""
        return KINDS[self.kind].why
