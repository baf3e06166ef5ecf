"""A finding: what is so, where, and what would mend it."""

from pydantic import BaseModel

from whorl.effect.problems import Change, Mend

__all__ = ["Change", "Finding", "Mend"]


class Finding(BaseModel):
    """One finding, at a place; its mends are in the order in which they are likely wanted."""

    kind: str
    place: str
    words: str
    axis: int | None = None
    mends: list[Mend] = []
