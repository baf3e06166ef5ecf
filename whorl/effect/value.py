"""What a number of the document may be: itself, a motion, a strand's result, or a list along a value.

All are frozen and hold tuples, so that parts of a document can be looked up by themselves.
"""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag

from whorl.effect.described import choice, number, still

Finite = Annotated[float, Field(allow_inf_nan=False, strict=False)]
Numbers = Annotated[tuple[Finite, ...], Field(min_length=1, max_length=3)]
Amount = Finite | Numbers
Name = Annotated[str, Field(min_length=1, max_length=120)]
Id = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
Colour = Annotated[tuple[Annotated[Finite, Field(ge=0, le=1000)], ...], Field(min_length=3, max_length=3)]


class Model(BaseModel):
    """Strict about what it does not know, so that a slip of the pen is told, not lost."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Drift(Model):
    """Constant rate: `base` plus `cycles` wraps a turn (or plain units, without a wrap)."""

    motion: Literal["drift"]
    cycles: Amount = number(1.0, "How far it goes in a turn.", soft=(-3, 3), label="drift", like="rate")
    base: Amount | None = number(None, "Where it begins.", label="from", like="param")


class Sway(Model):
    """A sine: `base` ± `amount`, `cycles` times a turn, begun at `start` of a cycle."""

    motion: Literal["sway"]
    amount: Amount = number(0.1, "How far it goes to each side.", label="sway ±", like="reach")
    cycles: Finite = number(1.0, "How often it goes there and back.", soft=(1, 8), unit="a turn")
    start: Finite = number(0.0, "Where in a cycle it begins.", soft=(0, 1), unit="of a cycle")
    base: Amount | None = number(None, "What it sways about.", label="about", like="param")


class Key(Model):
    """A value at a phase, and how it goes on from there to the next key."""

    phase: Finite = still(..., "When it is there.", soft=(0, 1), hard=(0, 1))
    value: Amount
    ease: Literal["linear", "eased", "held"] = choice(
        "eased",
        "How it goes on to the next key.",
        {"linear": "at an even pace", "eased": "slowly out and slowly in", "held": "not until it is there"},
    )


class Keys(Model):
    """Values at phases. After the last key it goes on to the first, across the join."""

    motion: Literal["keys"]
    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=64)]


class Feed(Model):
    """The result of a strand above, or of one bead of it."""

    strand: Id
    bead: Id | None = None


class Stop(Model):
    """One colour of a ramp: linear RGB, which may exceed 1."""

    at: Finite = still(..., "The value it stands at.", (0, 1), (-1000, 1000))
    colour: Colour


class Point(Model):
    """One point of a curve."""

    at: Finite = still(..., "The value that comes in.", (0, 1), (-1000, 1000), label="in")
    value: Finite = still(..., "The value that goes out.", (0, 1), (-1000, 1000), label="out")


#: Every motion; one more is one more class here and its values in `whorl.motion`.
MOTIONS = (Drift, Sway, Keys)
Motion = Drift | Sway | Keys


def _kind_of(value: Any) -> str | None:
    # With a blank, so that in the place of a fault no tag is taken for a field.
    if isinstance(value, bool):
        return None
    if isinstance(value, int | float):
        return "a number"
    if isinstance(value, list | tuple):
        first = value[0] if value else None
        if isinstance(first, Point) or (isinstance(first, dict) and "value" in first):
            return "a list of points"
        return "a list of stops" if isinstance(first, dict | Stop) else "a list of numbers"
    if isinstance(value, dict):
        return "a motion" if "motion" in value else "a strand" if "strand" in value else None
    return "a strand" if isinstance(value, Feed) else "a motion" if isinstance(value, MOTIONS) else None


Value = Annotated[
    Annotated[Finite, Tag("a number")]
    | Annotated[Numbers, Tag("a list of numbers")]
    | Annotated[Annotated[tuple[Stop, ...], Field(min_length=1, max_length=8)], Tag("a list of stops")]
    | Annotated[Annotated[tuple[Point, ...], Field(min_length=1, max_length=8)], Tag("a list of points")]
    | Annotated[Annotated[Motion, Field(discriminator="motion")], Tag("a motion")]
    | Annotated[Feed, Tag("a strand")],
    Discriminator(
        _kind_of,
        custom_error_type="value_kind",
        custom_error_message="a number, numbers, stops, points, a motion or a strand is wanted",
    ),
]
