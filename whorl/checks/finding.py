"""A finding: what is so, where, and what would mend it."""

from typing import Any

from pydantic import BaseModel


class Change(BaseModel):
    """A value at a place of the document."""

    place: str
    value: Any


class Mend(BaseModel):
    """One named way to mend a finding: all its changes together, which is one step of undo."""

    words: str
    changes: list[Change]

    @classmethod
    def of(cls, words: str, *changes: tuple[str, Any]) -> "Mend":
        return cls(words=words, changes=[Change(place=place, value=value) for place, value in changes])


class Finding(BaseModel):
    """One finding, at a place; its mends are in the order in which they are likely wanted."""

    kind: str
    place: str
    words: str
    axis: int | None = None
    mends: list[Mend] = []
