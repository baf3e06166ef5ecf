"""What a catalogue entry says: a bead's ports, params and settings, in words for people."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from whorl.shade import Unchecked
from whorl.shade.written import Offer


class Signal(StrEnum):
    """What runs along a strand."""

    VALUE = "value"
    COLOUR = "colour"
    DIRECTION = "direction"
    COORDS = "coords"

    @property
    def size(self) -> int:
        """How many floats it is."""
        return 1 if self is Signal.VALUE else 3


VALUE, COLOUR, COORDS, DIRECTION = Signal.VALUE, Signal.COLOUR, Signal.COORDS, Signal.DIRECTION

ParamType = Literal["number", "pair", "triple", "colour", "stops", "curve", "direction", "table"]
SIZES: dict[ParamType, int] = {
    "number": 1,
    "pair": 2,
    "triple": 3,
    "colour": 3,
    "stops": 32,
    "curve": 32,
    "direction": 3,
    "table": 64,
}
#: Params that are a list of points along a value; they do not move.
LISTS = ("stops", "curve")
Numbers = tuple[float, ...]
Stop = tuple[float, float, float, float]


@dataclass(frozen=True)
class Param:
    """A number, colour or list of stops that never changes the program.

    `soft` is the slider's range, chosen so that its middle half is where good results are;
    `hard` is what is accepted. `wrap` is the amount after which the picture is the same again,
    or "period" where that is the period of the coordinates it moves. `feed` says which signal a
    strand may give in place of the number.
    """

    name: str
    words: str
    default: Numbers | tuple[Stop, ...]
    soft: tuple[float, float] = (0.0, 1.0)
    hard: tuple[float, float] = (-1000.0, 1000.0)
    unit: str = ""
    type: ParamType = "number"
    whole: bool = False
    wrap: float | Literal["period"] | None = None
    feed: Signal | None = None
    when: tuple[str, str | int | bool] | None = None
    axes: Sequence[str] = "xyz"
    #: Whether it may be set moving.
    moves: bool = True
    #: Whether a motion of it comes back only because its coordinates repeat.
    rides: bool = False
    #: Whether nothing stands in for the strand that feeds it.
    needed: bool = False
    #: Whether a strand gives it, or it stays as it begins.
    by_strand: bool = False
    label: str = ""

    @property
    def size(self) -> int:
        return SIZES[self.type]

    @property
    def only_fed(self) -> bool:
        """Whether a strand gives it, and never a number."""
        return self.needed or self.by_strand or self.type == "direction"


@dataclass(frozen=True)
class Setting:
    """A structural choice: it changes the program. Named options, a whole range, or a picture or beacon by its id."""

    name: str
    words: str
    default: str | int | bool
    options: tuple[str, ...] = ()
    low: int = 0
    high: int = 1
    #: Whether its options are best told apart by what each makes of what comes in.
    by_look: bool = False
    #: What a text may call.
    offers: tuple[Offer, ...] = ()

    def number(self, value: str | int | bool) -> int:
        """The value as the shade function takes it; which picture or beacon it is, it never learns."""
        if self.kind in ("picture", "beacon", "formula"):
            return 0
        if not self.options:
            return int(value)
        if self.options[0].isdigit():
            return int(value)
        return self.options.index(str(value))

    @property
    def kind(self) -> Literal["choice", "switch", "whole", "picture", "beacon", "formula"]:
        for kind in ("picture", "beacon", "formula"):
            if self.name == kind:
                return kind
        if self.options:
            return "choice"
        return "switch" if isinstance(self.default, bool) else "whole"


Settings = Mapping[str, str | int | bool]


@dataclass(frozen=True)
class Bead:
    """One kind of bead.

    The parameter names of `shade` are its ports: `below` or `p` is the incoming signal,
    `period` the incoming coordinates' period, `footprint` how much what comes in changes from
    pixel to pixel (`x_footprint`: param x), `texel` what the chosen picture holds there, `beside`
    and `beyond` what comes in at two neighbouring points of the surface, names that start with
    `at_` come from the surface point, and all others are params and settings of this entry.
    """

    kind: str
    group: str
    words: str
    gives: Signal | Callable[[Settings, Sequence[Signal]], Signal]
    shade: Unchecked | Mapping[Signal, Unchecked]
    takes: tuple[Signal, ...] = ()
    params: tuple[Param, ...] = ()
    settings: tuple[Setting, ...] = ()
    period: Unchecked | None = None
    #: The param that scales a lattice, so that period × scale must be whole to tile.
    fits: str | None = None
    #: Which component of that param lies along which axis, from the settings and the numbers.
    lies: "Callable[[Settings, Mapping[str, Numbers]], Iterable[tuple[int, int]]]" = lambda settings, numbers: (
        (0, 0),
        (1, 0),
        (2, 0),
    )
    #: Whether its result is the same all over each piece of the surface, and jumps between them.
    stepped: "Callable[[Settings], bool]" = lambda settings: False
    #: The strand that a blend brings in, by the name of the port that takes it.
    brings: Param | None = None
    find: tuple[str, ...] = ()
    source: str = ""
    formula: str = ""
    title: str = ""
    #: What stands under its picture: `{name}` is a setting, a number, or the strand that is brought in.
    short: str = ""
    #: What of the surface point comes in where it starts a strand; nothing, and it starts none.
    alone: str = ""
    #: Whether it is what comes in, at the point that is seen below the surface.
    lowers: bool = False
    #: Whether it is what lies behind the surface.
    looks_behind: bool = False
    #: The setting whose text is its function.
    writes: str = ""
    #: Whether it passes on what it brings in, wherever that comes from, and does nothing else.
    goes_on: bool = False

    @property
    def is_source(self) -> bool:
        return not self.takes

    @property
    def inputs(self) -> tuple[Param, ...]:
        """All params, the strand that is brought in among them."""
        return ((self.brings,) if self.brings else ()) + self.params

    @property
    def accepts(self) -> tuple[Signal, ...]:
        """What may come in: a value does for a colour (grey), a colour for a value (luminance)."""
        light = (VALUE, COLOUR)
        more = tuple(s for s in light if s not in self.takes) if any(t in light for t in self.takes) else ()
        return self.takes + more

    def setting(self, name: str) -> Setting | None:
        return next((s for s in self.settings if s.name == name), None)

    def param(self, name: str) -> Param | None:
        return next((p for p in self.inputs if p.name == name), None)

    def function(self, gives: Signal) -> Unchecked:
        """The shade function that gives this signal."""
        return self.shade[gives] if isinstance(self.shade, Mapping) else self.shade

    def result(self, settings: Settings, incoming: Sequence[Signal]) -> Signal:
        """The signal given, from the settings and the signals that come in."""
        return self.gives if isinstance(self.gives, Signal) else self.gives(settings, incoming)


def widest(settings: Settings, incoming: Sequence[Signal]) -> Signal:
    """A colour where any operand is one, else a value."""
    return COLOUR if any(s is not VALUE for s in incoming) else VALUE
