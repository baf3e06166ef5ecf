"""What is wrong with a document, where, and what would be right."""

from typing import Any

from pydantic import BaseModel


class Change(BaseModel):
    """A value at a place of the document."""

    place: str
    value: Any


class Mend(BaseModel):
    """One named way to mend a fault or a finding: all its changes together, which is one step of undo."""

    words: str
    changes: list[Change]

    @classmethod
    def of(cls, words: str, *changes: tuple[str, Any]) -> "Mend":
        return cls(words=words, changes=[Change(place=place, value=value) for place, value in changes])


class Spot(BaseModel):
    """From which character of a text to which, counted from 0."""

    start: int
    end: int


class Problem(BaseModel):
    """One fault in plain words.

    `place` is a path as uniforms use it: "strands/mist/b5/scale", "surface/emission/0",
    "turn/seconds", or "" for the whole document. `cause` is the strand whose fault this one follows from;
    `mends` are in the order in which they are likely wanted. `spot` is where in a text at the place.
    """

    place: str
    words: str
    cause: str = ""
    mends: list[Mend] = []
    spot: Spot | None = None


def not_here(name: str) -> str:
    """What is said where the file of a picture or a mesh is missing."""
    return (
        f"the file of '{name}' is not here: a .whorl.json only names it; "
        "use the effect's .whorl.zip, which carries it, or bring the file in once more"
    )


class BadEffect(Exception):
    """A document that does not fit; `problems` says why."""

    def __init__(self, problems: list[Problem]) -> None:
        super().__init__(problems[0].words if problems else "not an effect")
        self.problems = problems
