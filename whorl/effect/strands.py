"""Strands and their beads."""

from typing import Annotated, Any

from pydantic import Field, model_validator

from whorl.effect.described import part, switch, text
from whorl.effect.upgrade import bead as upgraded
from whorl.effect.value import Id, Model, Name, Value


class Bead(Model):
    """One operation on a strand; what it may hold is in the catalogue under its kind.

    A muted bead passes on what comes into it.
    """

    id: Id
    kind: Name
    settings: dict[str, bool | int | str] = part(
        {}, "Structural choices of its kind.", silent=True, structural="always"
    )
    params: dict[str, Value] = part({}, "Numbers of its kind.", silent=True)
    muted: bool = switch(False, "Passes on what comes into it.")

    @model_validator(mode="before")
    @classmethod
    def _older(cls, given: Any) -> Any:
        return upgraded(given)


class Strand(Model):
    """A named chain of beads, read left to right.

    A muted strand feeds no channel, and what brings it in passes on what comes in; taps still go
    on from it. While any strand is solo, only solo strands give light. A folded strand shows its
    end alone.
    """

    id: Id
    name: Name
    beads: Annotated[tuple[Bead, ...], Field(max_length=64)] = part((), "In the order they act.", silent=True)
    note: Annotated[str, Field(max_length=2000)] = text("", "What it is for.")
    folded: Annotated[bool, Field(strict=True)] = part(False, "Shows its end alone.", structural="never")
    muted: bool = switch(False, "Feeds no channel.")
    solo: bool = switch(False, "Alone gives light.")
    sounds_with: Id | None = text(None, "The switch that mutes it while it is off.", refers="lever")
    of: Id | None = part(None, "The splice that it came with.", structural="never")
