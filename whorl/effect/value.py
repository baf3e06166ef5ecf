"""What a number of the document may be: itself, a motion, a strand's result, or a list along a value.

All are frozen and hold tuples, so that parts of a document can be looked up by themselves.
"""

from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag

from whorl.effect.described import choice, number, part, still, switch
from whorl.fields.levers import MOST_ROUNDS

Finite = Annotated[float, Field(allow_inf_nan=False, strict=True)]
#: How often something goes round, and where it begins.
Rounds = Annotated[Finite, Field(ge=-MOST_ROUNDS, le=MOST_ROUNDS)]
Numbers = Annotated[tuple[Finite, ...], Field(min_length=1, max_length=3)]
Amount = Finite | Numbers
Name = Annotated[str, Field(min_length=1, max_length=120)]
Id = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
Colour = Annotated[tuple[Annotated[Finite, Field(ge=0, le=1000)], ...], Field(min_length=3, max_length=3)]


class Model(BaseModel):
    """Strict about what it does not know, so that a slip of the pen is told, not lost."""

    model_config = ConfigDict(extra="forbid", frozen=True)


@dataclass(frozen=True)
class Told:
    """How a motion is told: in few words, `{name}` being a number of it or how many a list has.

    `rests` is where in it stands what the number was before it moved, `several` whether only what has several
    components takes it.
    """

    words: str
    rests: str
    several: bool = False


class Drift(Model):
    """Constant rate: `base` plus `cycles` wraps a turn (or plain units, without a wrap)."""

    told: ClassVar = Told("drift {cycles}", "base")
    motion: Literal["drift"]
    cycles: Amount = number(1.0, "How far it goes in a turn.", soft=(-3, 3), label="drift", like="rate")
    base: Amount | None = number(None, "Where it begins.", label="from", like="param")


class Sway(Model):
    """A sine: `base` ± `amount`, `cycles` times a turn, begun at `start` of a cycle."""

    told: ClassVar = Told("sway ±{amount}", "base")
    motion: Literal["sway"]
    amount: Amount = number(0.1, "How far it goes to each side.", label="sway ±", like="reach")
    base: Amount | None = number(None, "What it sways about.", label="about", like="param")
    cycles: Rounds = number(1.0, "How often it goes there and back.", (1, 8), (-MOST_ROUNDS, MOST_ROUNDS), "a turn")
    start: Rounds = number(0.0, "Where in a cycle it begins.", (0, 1), (-MOST_ROUNDS, MOST_ROUNDS), "of a cycle")


Share = Annotated[Finite, Field(ge=0, le=1)]
EASE = {"linear": "at an even pace", "eased": "slowly out and slowly in"}


class Pulse(Model):
    """Rise, hold, fall and rest, once or several times a turn."""

    told: ClassVar = Told("pulse {low} to {high}", "low")
    motion: Literal["pulse"]
    low: Amount | None = number(None, "Where it rests.", like="param")
    high: Amount | None = number(None, "Where it holds.", like="param")
    rise: Share = number(0.15, "How long it rises.", (0, 1), (0, 1), "of a cycle")
    hold: Share = number(0.2, "How long it stays high.", (0, 1), (0, 1), "of a cycle")
    fall: Share = number(0.3, "How long it falls; it rests for what is left.", (0, 1), (0, 1), "of a cycle")
    cycles: Rounds = number(1.0, "How often it does so.", (1, 8), (-MOST_ROUNDS, MOST_ROUNDS), "a turn")
    start: Rounds = number(0.0, "Where in a cycle it begins.", (0, 1), (-MOST_ROUNDS, MOST_ROUNDS), "of a cycle")
    rising: Literal["linear", "eased"] = choice("eased", "How it rises.", EASE)
    falling: Literal["linear", "eased"] = choice("eased", "How it falls.", EASE)


class Flicker(Model):
    """Random, but the same every turn: another value at each change."""

    told: ClassVar = Told("flicker {low} to {high}", "low")
    motion: Literal["flicker"]
    low: Amount | None = number(None, "The least it is.", like="param")
    high: Amount | None = number(None, "The most it is.", like="param")
    rate: Annotated[Finite, Field(ge=1, le=10000)] = number(
        12.0, "How often it takes another value.", (2, 48), (1, 10000), "a turn"
    )
    roughness: Share = number(0.0, "0 goes smoothly from one value to the next, 1 jumps.", (0, 1), (0, 1))
    seed: Annotated[Finite, Field(ge=0, le=1e6)] = number(1.0, "Which random values.", (0, 100), (0, 1000000))
    start: Rounds = number(0.0, "How much later it begins.", (0, 1), (-MOST_ROUNDS, MOST_ROUNDS), "of a turn")
    together: bool = switch(True, "All components take the same way at once.")


#: Keys of one number.
MOST_KEYS = 64


class Handle(Model):
    """Where a shaped way leaves a key, or comes into one: how far along it, and by how much over or under the key."""

    along: Share = still(1 / 3, "How far along the way.", (0, 1), (0, 1))
    by: Amount = 0.0


class Key(Model):
    """A value at a phase, and how it goes on from there to the next key."""

    phase: Finite = still(..., "When it is there.", soft=(0, 1), hard=(0, 1))
    value: Amount
    ease: Literal["linear", "eased", "held", "shaped"] = choice(
        "eased",
        "How it goes on to the next key.",
        {**EASE, "held": "not until it is there", "shaped": "as its handle and that of the next key say"},
    )
    before: Handle | None = None
    after: Handle | None = None


class Keys(Model):
    """Values at phases. In a turn that loops it goes on from the last key to the first, across the join."""

    told: ClassVar = Told("{keys} keys", "keys/0/value")
    motion: Literal["keys"]
    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=MOST_KEYS)]


class Follow(Model):
    """Another number of the effect, later and weaker."""

    told: ClassVar = Told("follows ×{gain}", "about")
    motion: Literal["follow"]
    place: Annotated[str, Field(max_length=200)]
    delay: Rounds = number(0.1, "How much later.", (0, 0.5), (-MOST_ROUNDS, MOST_ROUNDS), "of a turn")
    gain: Finite = number(1.0, "How much of it.", (-1, 1), (-100000, 100000))
    about: Amount | None = number(None, "What is added.", like="param")


class Apart(Model):
    """Each component by itself: still, or with a motion of its own."""

    told: ClassVar = Told("{axes} apart", "axes", several=True)
    motion: Literal["apart"]
    axes: Annotated[tuple["Finite | Single", ...], Field(min_length=1, max_length=3)]


Single = Annotated[Drift | Sway | Pulse | Flicker | Keys | Follow, Field(discriminator="motion")]


class Feed(Model):
    """The result of a strand above, or of one bead of it."""

    strand: Id
    bead: Id | None = None


class Levered(Model):
    """Moved by a lever: `low` at the low end of its range, `high` at the high end. What a colour lever moves
    is its colour. As a `rate` it says how many rounds a turn the number goes, from `base` on."""

    lever: Id
    low: Amount | None = number(None, "What it is at the low end.", label="at the low end", like="param")
    high: Amount | None = number(None, "What it is at the high end.", label="at the high end", like="param")
    ease: Literal["linear", "eased"] = choice("linear", "How it goes from one to the other.", EASE)
    rate: bool = switch(False, "Says how fast it goes, and not where it is.", label="as its speed")
    base: Amount | None = number(None, "Where it begins.", label="from", like="param")


class Stop(Model):
    """One colour of a ramp: linear RGB, which may exceed 1."""

    at: Finite = still(..., "The value it stands at.", (0, 1), (-1000, 1000))
    colour: Colour
    lever: Id | None = part(None, "The lever whose colour it has instead.", structural="always")


class Point(Model):
    """One point of a curve."""

    at: Finite = still(..., "The value that comes in.", (0, 1), (-1000, 1000), label="in")
    value: Finite = still(..., "The value that goes out.", (0, 1), (-1000, 1000), label="out")


#: Every motion; one more is one more class here, and its file in `whorl/motion`.
MOTIONS = (Drift, Sway, Pulse, Flicker, Keys, Follow, Apart)
Motion = Drift | Sway | Pulse | Flicker | Keys | Follow | Apart


def _kind_of(value: Any) -> str | None:
    # With a blank, so that in the place of a fault no tag is taken for a field.
    if isinstance(value, bool):
        return None
    if isinstance(value, int | float):
        return "a number"
    if isinstance(value, (list, tuple)):
        first = value[0] if value else None
        if isinstance(first, Point) or (isinstance(first, dict) and "value" in first):
            return "a list of points"
        return "a list of stops" if isinstance(first, (dict, Stop)) else "a list of numbers"
    if isinstance(value, dict):
        return next((kind for key, kind in _KINDS.items() if key in value), None)
    return next((kind for cls, kind in _CLASSES if isinstance(value, cls)), None)


_KINDS = {"motion": "a motion", "strand": "a strand", "lever": "a lever"}
_CLASSES = ((Feed, "a strand"), (Levered, "a lever"), (MOTIONS, "a motion"))


Value = Annotated[
    Annotated[Finite, Tag("a number")]
    | Annotated[Numbers, Tag("a list of numbers")]
    | Annotated[Annotated[tuple[Stop, ...], Field(min_length=1, max_length=8)], Tag("a list of stops")]
    | Annotated[Annotated[tuple[Point, ...], Field(min_length=1, max_length=8)], Tag("a list of points")]
    | Annotated[Annotated[Motion, Field(discriminator="motion")], Tag("a motion")]
    | Annotated[Feed, Tag("a strand")]
    | Annotated[Levered, Tag("a lever")],
    Discriminator(
        _kind_of,
        custom_error_type="value_kind",
        custom_error_message="a number, numbers, stops, points, a motion, a strand or a lever is wanted",
    ),
]
