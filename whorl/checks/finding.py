"""A finding: what is so, where, and what would mend it."""

from pydantic import BaseModel, computed_field

from whorl.checks.kinds import KINDS, Bad
from whorl.effect.problems import Change, Mend

__all__ = ["Change", "Finding", "Mend"]


class Finding(BaseModel):
    """One finding, at a place; its mends are in the order in which they are likely wanted."""

    kind: str
    place: str
    words: str
    axis: int | None = None
    mends: list[Mend] = []

    @computed_field  # type: ignore[prop-decorator]
    @property
    def bad(self) -> Bad:
        """How bad it is."""
        return KINDS[self.kind].bad

    @computed_field  # type: ignore[prop-decorator]
    @property
    def why(self) -> str:
        """Why it matters."""
        return KINDS[self.kind].why
