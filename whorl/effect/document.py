"""The effect document: what a `*.whorl.json` file holds."""

from typing import Annotated, Literal

from pydantic import Field

from whorl.beads.spec import Param
from whorl.effect.described import Condition, Need, choice, linear, number, part, still, switch, text, whole
from whorl.effect.stage import Stage
from whorl.effect.strands import Strand
from whorl.effect.surface import Surface
from whorl.effect.value import Amount, Colour, Finite, Id, Model, Name, Value
from whorl.images.sequence import MOST_FRAMES


class Turn(Model):
    """One pass. The number of frames is seconds × fps, and whole.

    A turn that loops has frame f of n at phase f / n; one that plays once at f / (n − 1), so that its
    last frame is the end.
    """

    seconds: Finite = still(4.0, "How long a turn lasts.", (1, 10), (0.001, 120), "s", structural=True)
    fps: int = whole(24, "How many frames a second has.", (1, 120), soft=(12, 60))
    plays: Literal["looping", "once"] = choice(
        "looping",
        "What becomes of its end.",
        {"looping": "the end leads into the start", "once": "it begins, ends, and is over"},
    )

    @property
    def frames(self) -> int:
        return max(1, round(self.seconds * self.fps))

    @property
    def looping(self) -> bool:
        """Whether the end leads into the start."""
        return self.plays == "looping"

    @property
    def steps(self) -> int:
        """How many frames it is from phase 0 to phase 1."""
        return self.frames if self.looping else max(1, self.frames - 1)

    def phase(self, frame: int) -> float:
        """Where in the turn a frame is."""
        return frame / self.steps

    @property
    def phases(self) -> list[float]:
        """Where each frame is."""
        steps = self.steps
        return [f / steps for f in range(self.frames)]


#: How far off a hit or a beacon may be, in units.
FAR = 100.0
Near = Annotated[Finite, Field(ge=-FAR, le=FAR)]
#: Levers of one effect, and variants.
MOST_LEVERS, MOST_VARIANTS = 48, 64
_NUMBER = Condition("a number lever", "make it a number", (Need("kind", ("number",)),))
_COLOUR = Condition("a colour lever", "make it a colour", (Need("kind", ("colour",)),))
_PLACE = Condition("a place", "make it a place", (Need("kind", ("place",)),))
_SWITCH = Condition("a switch", "make it a switch", (Need("kind", ("switch",)),))


#: The field of a lever that holds where it stands, by its kind, and the one that a reset goes back to.
HOLDS = {
    "number": ("value", "rest"),
    "colour": ("colour", "rest_colour"),
    "switch": ("on", "rest_on"),
    "choice": ("chosen", "rest_chosen"),
    "place": ("position", "rest_position"),
}
#: Ways of one choice, and what each of them sets.
MOST_OPTIONS, MOST_GIVEN = 12, 24


class Given(Model):
    """What a choice puts at a place: a number, numbers, or what a setting is."""

    place: Annotated[str, Field(max_length=200)]
    value: Annotated[bool, Field(strict=True)] | Amount | Annotated[str, Field(max_length=60)]


class Option(Model):
    """One way of a choice, and all that it sets."""

    name: Name
    puts: Annotated[tuple[Given, ...], Field(max_length=MOST_GIVEN)] = part((), "What it sets.", structural="never")


class Lever(Model):
    """A control that whoever receives the effect may turn: a number, a colour, a switch, a choice or a place."""

    id: Id
    name: Name
    kind: Literal["number", "colour", "switch", "choice", "place"] = choice(
        "number",
        "What it holds.",
        {
            "number": "moves numbers, each over a range of its own",
            "colour": "is the colour of all that it moves",
            "switch": "picks one of two numbers, and mutes strands",
            "choice": "sets numbers and settings, pictures too, all at once",
            "place": "is where a beacon stands",
        },
    )
    group: Annotated[str, Field(max_length=60)] = text("", "Under which heading it stands.")
    note: Annotated[str, Field(max_length=500)] = text("", "What it is for.")
    private: bool = switch(False, "Is left out of the front.")
    under: Id | None = text(None, "The switch that it is hidden with.", refers="lever")
    value: Value = number(0.0, "Where it stands.", hard=(-1e6, 1e6), acts=(_NUMBER,))
    colour: Value = linear((1.0, 1.0, 1.0), "The colour that it is.", acts=(_COLOUR,))
    on: bool = switch(True, "Whether it is on.", acts=(_SWITCH,))
    options: Annotated[tuple[Option, ...], Field(max_length=MOST_OPTIONS)] = part(
        (), "Its ways, one of which is chosen.", structural="never"
    )
    chosen: Annotated[int, Field(ge=0, lt=MOST_OPTIONS, strict=True)] = part(
        0, "Which of them it is.", structural="never"
    )
    position: Value = number((0.0, 0.0, 0.0), "Where it is.", (-1.5, 1.5), (-100, 100), "units", acts=(_PLACE,))
    rest: Finite = still(0.0, "Where a reset puts it.", (0, 1), (-1e6, 1e6))
    rest_colour: Colour = Field(default=(1.0, 1.0, 1.0))
    rest_on: Annotated[bool, Field(strict=True)] = True
    rest_chosen: Annotated[int, Field(ge=0, lt=MOST_OPTIONS, strict=True)] = 0
    rest_position: Annotated[tuple[Near, ...], Field(min_length=3, max_length=3)] = (0.0, 0.0, 0.0)
    least: Finite = still(0.0, "The low end of its slider.", (0, 1), (-1e6, 1e6))
    most: Finite = still(1.0, "The high end of its slider.", (0, 1), (-1e6, 1e6))
    floor: Finite = still(-1e6, "Less than this is not taken.", (0, 1), (-1e6, 1e6))
    ceiling: Finite = still(1e6, "More than this is not taken.", (0, 1), (-1e6, 1e6))
    unit: Annotated[str, Field(max_length=40)] = text("", "What it counts.")
    feel: Literal["even", "fine at the low end", "fine at the high end"] = choice(
        "even",
        "Where its slider is finer.",
        {
            "even": "the same all along",
            "fine at the low end": "small steps where it is little",
            "fine at the high end": "small steps where it is much",
        },
        acts=(_NUMBER,),
    )
    whole: Annotated[bool, Field(strict=True)] = part(False, "Goes in whole steps.", structural="never")
    round: Annotated[bool, Field(strict=True)] = part(False, "Its ends meet, as an angle's do.", structural="never")


class Held(Model):
    """Where a variant has one lever: a number, a colour, or 0 and 1 for off and on."""

    lever: Id
    value: Amount


class Variant(Model):
    """A named set of lever values."""

    id: Id
    name: Name
    holds: Annotated[tuple[Held, ...], Field(max_length=MOST_LEVERS)] = part((), "Where each lever stands.")


#: Ties of one effect, and what an address may look like (OSC 1.0: no space and none of # * , / ? [ ] { }).
MOST_TIES, ADDRESS = 64, r"^(/[^\x00-\x20\x7f-\uffff#*,/?\[\]{}]+)+$"


class Tie(Model):
    """A signal from outside that moves a lever: what arrives at `low` puts it at the low end of its range."""

    id: Id
    address: Annotated[str, Field(pattern=ADDRESS, max_length=200)]
    lever: Id
    low: Finite = still(0.0, "What arrives when the lever is to be at its low end.", (0, 1), (-1e6, 1e6))
    high: Finite = still(1.0, "What arrives when it is to be at its high end.", (0, 1), (-1e6, 1e6))
    smoothing: Finite = still(0.0, "How long it takes to go most of the way to what arrives.", (0, 2), (0, 60), "s")
    silence: Literal["stays", "goes back"] = choice(
        "stays",
        "What the lever does when nothing arrives any more.",
        {"stays": "it stays where it was put last", "goes back": "it goes back to where the effect has it"},
    )
    after: Finite = still(2.0, "How long nothing arrives before it goes back.", (0.2, 10), (0.05, 3600), "s")


class Beacon(Model):
    """A placed point with an axis that fields can be measured from.

    `yaw` and `pitch` turn the axis, in degrees: 0 and 0 point at the viewer's side, as lamps do.
    """

    id: Id
    name: Name
    position: Value = number((0.0, 0.0, 0.0), "Where it is.", (-1.5, 1.5), (-100, 100), "units")
    yaw: Value = number(
        0.0,
        "Which way its axis points: 0 at the viewer, 90 to the right.",
        (-180, 180),
        (-1000, 1000),
        "degrees",
        wrap=360.0,
    )
    pitch: Value = number(90.0, "How steeply its axis rises.", (-90, 90), (-90, 90), "degrees")


#: Hits of one effect.
MOST_HITS = 16


#: What is asked of people where hits are made, a turn is retimed, splices are scaled, signals played and kept.
ASKED = {
    "count": Param(
        "count", "How many are scattered.", (5.0,), (1, 16), (1, MOST_HITS), "hits", whole=True, moves=False
    ),
    "every": Param(
        "every",
        "Every so many frames it strikes again.",
        (24.0,),
        (4, 96),
        (1, 14400),
        "frames",
        whole=True,
        moves=False,
    ),
    "pixels": Param(
        "pixels", "How far the busiest motion goes.", (3.0,), (0.5, 12), (0.01, 512), "pixels a frame", moves=False
    ),
    "tolerance": Param(
        "tolerance",
        "How far keys may be off what a signal did.",
        (1.0,),
        (0.2, 5),
        (0.05, 50),
        "% of a slider",
        label="within",
        moves=False,
    ),
    "times": Param(
        "times", "How many times as large a splice is made.", (1.0,), (0.25, 4), (0.001, 1000), "×", moves=False
    ),
    "budget": Param(
        "budget", "How long a picture may take.", (40.0,), (1, 100), (0.1, 10000), "ms", label="may take", moves=False
    ),
    "night": Param("night", "Which night is played.", (1.0,), (1, 99), (0, 2**31 - 1), whole=True, moves=False),
    "pace": Param("pace", "How fast the night passes.", (1.0,), (0.25, 4), (0.05, 20), "×", moves=False),
}


class Hit(Model):
    """Something strikes the effect: where, when and how hard."""

    id: Id
    position: Annotated[tuple[Near, ...], Field(min_length=3, max_length=3)] = still(
        (0.0, 0.0, 0.0), "Where it is, on the shape as it is made.", (-1.5, 1.5), (-FAR, FAR), "units"
    )
    phase: Finite = still(0.0, "When it strikes.", (0, 1), (0, 1), "of a turn")
    strength: Finite = still(1.0, "How hard.", (0, 2), (0, 100))


class Asset(Model):
    """A picture the effect brings in, or a sequence that plays over the turn, known by the SHA-256 of its file."""

    id: Id
    name: Name
    hash: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")] = part(..., "Its file.", structural="always")
    width: Annotated[int, Field(ge=1, le=8192, strict=True)]
    height: Annotated[int, Field(ge=1, le=8192, strict=True)]
    frames: int = whole(1, "How many pictures it is of.", (1, MOST_FRAMES))
    loops: int = whole(1, "How often the sequence plays in a turn.", (1, 32), "a turn", soft=(1, 8), label="rounds")
    between: Literal["mixed", "held"] = choice(
        "mixed",
        "What is seen between two frames of the sequence.",
        {"mixed": "one passes into the next", "held": "each stays until the next comes"},
        label="between frames",
    )


#: Splices of one effect.
MOST_SPLICED = 32


class Spliced(Model):
    """Strands that came as a splice, and stay together.

    `ids` are what the splice's own strands, levers, beacons and pictures are called here, as "strands/glow": "glow-2";
    an inlet that was joined is the strand it was joined to, "mist" or "mist/noise". `base` are its strands as they
    came, so that what was changed here is known when its origin has changed.
    """

    id: Id
    name: Name
    origin: Annotated[str, Field(max_length=120)] = text("", "Which splice it is a copy of.")
    digest: Annotated[str, Field(max_length=64)] = part("", "The state of that splice.", structural="never")
    folded: Annotated[bool, Field(strict=True)] = part(False, "Shows its result alone.", structural="never")
    ids: Annotated[dict[str, Annotated[str, Field(max_length=90)]], Field(max_length=500)] = part(
        {}, "What is called how here.", structural="never"
    )
    base: Annotated[str, Field(max_length=2_000_000)] = text("", "Its strands as they came, as JSON.")


#: Findings that are set aside in one effect.
MOST_ASIDE = 200


class Aside(Model):
    """A finding that was set aside, why, and how far it went then: further, and it is told again."""

    kind: Annotated[str, Field(max_length=60)]
    place: Annotated[str, Field(max_length=200)]
    reason: Annotated[str, Field(max_length=500)]
    measure: Finite = 1.0


class Effect(Model):
    """One moving material, with what steers it."""

    format: Literal["whorl-effect"] = "whorl-effect"
    version: Literal[1] = 1
    name: Name
    notes: Annotated[str, Field(max_length=20000)] = text("", "What whoever receives it should know.")
    turn: Turn = part(Turn(), "One pass of the loop.")
    strands: Annotated[tuple[Strand, ...], Field(max_length=200)] = part((), "From top to bottom.")
    splices: Annotated[tuple[Spliced, ...], Field(max_length=MOST_SPLICED)] = part(
        (), "Strands that came together.", structural="never"
    )
    surface: Surface = part(Surface(), "How it composites.")
    levers: Annotated[tuple[Lever, ...], Field(max_length=MOST_LEVERS)] = part((), "What others may turn.")
    variants: Annotated[tuple[Variant, ...], Field(max_length=MOST_VARIANTS)] = part(
        (), "Ways the levers stand.", structural="never"
    )
    ties: Annotated[tuple[Tie, ...], Field(max_length=MOST_TIES)] = part(
        (), "Which signals move which levers.", structural="never"
    )
    beacons: Annotated[tuple[Beacon, ...], Field(max_length=16)] = part((), "Points that fields are measured from.")
    hits: Annotated[tuple[Hit, ...], Field(max_length=MOST_HITS)] = part(
        (), "What strikes it, where and when.", structural="never"
    )
    stage: Stage = part(Stage(), "The scene it is tried in.")
    assets: Annotated[tuple[Asset, ...], Field(max_length=64)] = part((), "Pictures it brings in.")
    aside: Annotated[tuple[Aside, ...], Field(max_length=MOST_ASIDE)] = part(
        (), "Findings that were set aside.", structural="never"
    )
