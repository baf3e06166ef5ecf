"""What is wrong with a document, where, and what would be right."""

from pydantic import BaseModel


class Problem(BaseModel):
    """One fault in plain words.

    `place` is a path as uniforms use it: "strands/mist/b5/scale", "surface/emission/0",
    "turn/seconds", or "" for the whole document. `cause` is the strand whose fault this one follows from.
    """

    place: str
    words: str
    cause: str = ""


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
