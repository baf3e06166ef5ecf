"""What a program is made of: nodes in order, uniforms, and the peek numbers."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from math import nan
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Numbers, Param, Signal
from whorl.fields import colour
from whorl.images.sheet import Reading
from whorl.shade import Unchecked
from whorl.shade.specialise import Fixed
from whorl.shade.types import TABLES, ShadeType, floats
from whorl.shade.values import vec


class Moves(Protocol):
    """A number in motion: its components at a phase of the turn, and at many."""

    def __call__(self, phase: float) -> Numbers: ...

    def rows(self, phases: Sequence[float] | NDArray[np.float64]) -> NDArray[np.float64]:
        """A row for each phase."""
        ...


@dataclass(frozen=True)
class Uniform:
    """A number as the program reads it, by the place it comes from; `track` is what it is at a phase, if it moves.

    What is `made` of others is no uniform of the program, which works it out from them.
    """

    name: str
    place: str
    param: Param
    value: Numbers
    track: Moves | None = None
    made: "Made | None" = None

    @property
    def type(self) -> ShadeType:
        return TABLES.get(self.param.size) or floats(self.param.size)

    def at(self, phase: float) -> Numbers:
        """The components at a phase of the turn."""
        return self.value if self.track is None else self.track(phase)


@dataclass(frozen=True)
class Made:
    """A number made of others by a shade function, as a lever makes one; numbers among `args` never change."""

    function: Unchecked
    fixed: Fixed
    args: tuple[Uniform | float, ...]

    def __call__(self, phase: float) -> Numbers:
        return self._of([a.at(phase) if isinstance(a, Uniform) else (a,) for a in self.args])

    def rows(self, phases: Sequence[float] | NDArray[np.float64]) -> NDArray[np.float64]:
        """A row for each phase."""
        return np.asarray([self(float(p)) for p in phases])

    @property
    def moves(self) -> bool:
        """Whether any number that it is made of is in motion."""
        return any(isinstance(a, Uniform) and a.track is not None for a in self.args)

    def _of(self, given: "list[Numbers]") -> Numbers:
        values = [n[0] if len(n) == 1 else vec(n) for n in given]
        named = dict(zip((p.name for p in self.function.tree.params if not p.fixed), values, strict=True))
        out = self.function(**named, **dict(self.fixed))
        return (float(out),) if isinstance(out, int | float) else tuple(float(x) for x in out)


@dataclass(frozen=True)
class FromUniform:
    uniform: Uniform
    #: The signal the function wants where a number stands for a strand.
    wanted: Signal | None = None


@dataclass(frozen=True)
class FromNode:
    """A node's result, brought to the signal that is wanted; None takes four numbers as they are."""

    node: "Node"
    wanted: Signal | None


#: How a signal is shown when it is looked at alone.
SHOWN: dict[Signal, Unchecked] = {
    Signal.VALUE: colour.show_value,
    Signal.COLOUR: colour.show_colour,
    Signal.COORDS: colour.show_coords,
    Signal.DIRECTION: colour.show_direction,
}

#: What is known of a surface point, with its number of floats. `at_along_u` and `at_along_v` are
#: the gradients of u and v over the surface; `at_screen` is its place on the picture: 0..1 along the
#: lesser side. `at_back` is the normal of the shape's far side behind it and that one's distance, 0
#: where there is none. `at_ray` is where the eye looks, for what lies behind the effect, which knows
#: `at_screen` and `at_ray` alone.
POINTS = {
    "at_uv": 3,
    "at_object": 3,
    "at_world": 3,
    "at_box": 3,
    "at_box_size": 3,
    "at_normal": 3,
    "at_along_u": 3,
    "at_along_v": 3,
    "at_view": 3,
    "at_screen": 3,
    "at_distance": 1,
    "at_colour": 4,
    "at_second_uv": 3,
    "at_second_u": 3,
    "at_second_v": 3,
    "at_back": 4,
    "at_ray": 3,
}
#: The same in words, for those that give them from elsewhere.
POINT_WORDS = {
    "at_uv": "texture coordinates, v upwards; z is 0",
    "at_object": "place on the shape as it is made, in units",
    "at_world": "place on the stage, in units",
    "at_box": "place in the shape's box, 0..1 an axis",
    "at_box_size": "the sides of that box, in units",
    "at_normal": "unit normal, outwards",
    "at_along_u": "gradient of u over the surface, per unit",
    "at_along_v": "gradient of v over the surface, per unit",
    "at_view": "unit vector towards the eye",
    "at_screen": "place on the picture, 0..1 along its lesser side; z is 0",
    "at_distance": "how far off the eye is, in units",
    "at_colour": "colour of the vertex in linear light, white where there is none; then 1 where it wears the effect",
    "at_second_uv": "second set of texture coordinates, where there is one, else the first",
    "at_second_u": "gradient of the second set's u over the surface, per unit",
    "at_second_v": "gradient of the second set's v over the surface, per unit",
    "at_back": "normal of the far side behind it, and how far off that is; 0 where there is none",
    "at_ray": "unit vector of the line of sight",
}
#: What is known of the camera: where it is, its axes, 1 / tan of half its view, the angle of a
#: pixel, 1 where the backdrop is left out, 1 or −1 for the near or the far side of the shape, how
#: many times as large as it is made the shape stands on the stage, 1 while the far side is drawn
#: by itself, for the near side to look up: what hides it is found along the bent line of sight then,
#: and how far the shape reaches, which is known only where a lamp looks at it.
CAMERA_WORDS = {
    "eye": "where the eye is, in units",
    "right": "unit vector to the right of the picture",
    "up": "unit vector upwards in the picture",
    "scale": "1 / tan of half the view",
    "pixel": "the angle of a pixel, in radians",
    "bare": "1 leaves the backdrop out",
    "side": "1 on the near side, -1 on the far side",
    "size": "how many times as large as it is made the shape stands",
    "alone": "1 while the far side is drawn by itself",
    "reach": "how far the shape reaches from the stage's middle, in units",
}
CAMERA = {
    "eye": 3,
    "right": 3,
    "up": 3,
    "scale": 1,
    "pixel": 1,
    "bare": 1,
    "side": 1,
    "size": 1,
    "alone": 1,
    "reach": 1,
}


@dataclass(frozen=True)
class Output:
    """One thing that a surface comes to before light falls on it: its components, and in words what they are."""

    signal: Signal
    words: str
    #: Whether it is yet to be multiplied by the plan's `amount`.
    scaled: bool = False

    @property
    def size(self) -> int:
        return self.signal.size


OUTPUTS = {
    "base": Output(Signal.COLOUR, "base colour, linear"),
    "emission": Output(Signal.COLOUR, "light of its own, linear, beyond 1 too"),
    "opacity": Output(Signal.VALUE, "how much it hides, 0..1"),
    "roughness": Output(Signal.VALUE, "0 mirrors, 1 is dull"),
    "metallic": Output(Signal.VALUE, "1 is a metal"),
    "normal": Output(Signal.DIRECTION, "which way it faces, in the space of the point's normal"),
    "occlusion": Output(Signal.VALUE, "0 keeps the sky's light off"),
    "displacement": Output(Signal.VALUE, "how far it is moved outwards, in units", scaled=True),
    "film": Output(Signal.VALUE, "thickness of its thin film in nm"),
    "refraction": Output(Signal.VALUE, "index of refraction of a clear body"),
    "absorption": Output(Signal.COLOUR, "what is left of white light after the body's depth"),
    "scattering": Output(Signal.VALUE, "how much milk there is in a clear body, 0..1"),
}


@dataclass(frozen=True)
class FromPoint:
    """Something of the surface point; see POINTS."""

    name: str


@dataclass(frozen=True)
class FromCamera:
    """Something of the camera; see CAMERA."""

    name: str


@dataclass(frozen=True)
class FromPeriod:
    """The period of a coords node; none where `of` is None."""

    of: "Period | None"


@dataclass(frozen=True)
class Footprint:
    """How much a node's result changes from pixel to pixel, |d/dx| + |d/dy|, component by component."""

    node: "Node"
    period: "Period | None" = None


@dataclass(frozen=True)
class Picture:
    """A picture of the effect as the program reads it.

    Of a sequence of several `frames` it is the one that `at` counts to, or with `ahead` the next.
    """

    name: str
    hash: str
    read: Reading
    frames: int = 1
    ahead: int = 0
    at: Uniform | None = field(default=None, compare=False)

    def frame(self, at: float) -> int:
        """Which frame it is where the sequence stands `at`."""
        return (int(np.floor(np.float32(at))) + self.ahead) % self.frames


@dataclass(frozen=True)
class Layer:
    """A picture that is drawn for the program to look up: what it is called there, and whether it may differ from frame
    to frame."""

    name: str
    moves: bool = True


#: What was drawn of the far side. What the key lamp sees of the shape is `light_layer`, see `fields.cast`.
FAR = Layer("far_layer")


@dataclass(frozen=True)
class FromImage:
    """A picture as an image, all its levels in one sheet, or one that is drawn."""

    picture: Picture | Layer


@dataclass(frozen=True)
class FromSheet:
    """Where the levels of a picture lie in its sheet, as `images.sheet.Sheet` says it."""

    picture: Picture


@dataclass(frozen=True)
class Literals:
    """Numbers that never change."""

    values: Numbers


Arg = FromUniform | FromNode | FromPoint | FromCamera | FromPeriod | Footprint | FromImage | FromSheet | Literals


def nodes_of(arg: Arg) -> "tuple[Node, ...]":
    """The nodes an argument is made from."""
    return (arg.node,) if isinstance(arg, (FromNode, Footprint)) else ()


@dataclass(frozen=True, eq=False)
class Period:
    """A period as a shade function of uniforms and an earlier period; `None` ends it."""

    name: str
    function: Unchecked | None
    fixed: Fixed = ()
    args: tuple[Arg, ...] = ()

    def at(self, phase: float) -> Numbers:
        """The period's three components; 0 where coordinates do not repeat."""
        if self.function is None:
            return (0.0, 0.0, 0.0)
        return self._at(phase) if self.moves else self._still

    @cached_property
    def moves(self) -> bool:
        """Whether any number that it is made of is in motion."""
        before = [a.of for a in self.args if isinstance(a, FromPeriod) and a.of]
        own = [a.uniform for a in self.args if isinstance(a, FromUniform)]
        return any(u.track for u in own) or any(p.moves for p in before)

    @cached_property
    def _still(self) -> Numbers:
        return self._at(0.0)

    def _at(self, phase: float) -> Numbers:
        assert self.function is not None
        given: list[object] = []
        for arg in self.args:
            if isinstance(arg, FromPeriod):
                given.append(vec(arg.of.at(phase) if arg.of else (0.0, 0.0, 0.0)))
            elif isinstance(arg, FromUniform):
                numbers = arg.uniform.at(phase)
                given.append(numbers[0] if len(numbers) == 1 else vec(numbers))
        named = dict(zip((p.name for p in self.function.tree.params if not p.fixed), given, strict=True))
        return tuple(self.function(**named, **dict(self.fixed)))


@dataclass(frozen=True, eq=False)
class Node:
    """One bead or channel step. `function` None passes its first argument on, as a tap does."""

    index: int
    place: str
    gives: Signal | None
    function: Unchecked | None
    fixed: Fixed
    args: tuple[Arg, ...]
    period: Period | None = None

    @property
    def size(self) -> int:
        return 4 if self.gives is None else self.gives.size

    @cached_property
    def takes(self) -> "tuple[Node, ...]":
        """The nodes that its arguments are made from."""
        return tuple(m for a in self.args for m in nodes_of(a))


@dataclass
class Plan:
    """What is ready to run or to print."""

    nodes: list[Node] = field(default_factory=list)
    uniforms: list[Uniform] = field(default_factory=list)
    beads: dict[str, Node] = field(default_factory=dict)
    channels: dict[str, Node] = field(default_factory=dict)
    #: What the surface comes to before any light, channel by channel; see OUTPUTS.
    outputs: dict[str, "Arg"] = field(default_factory=dict)
    picture: Node | None = None
    far: Uniform | None = None
    #: What moves of the numbers that finish a picture, by their names; see `stage.filters.numbers`.
    screen: dict[str, Uniform] = field(default_factory=dict)
    #: All that lies behind the effect; nodes from `scene` on serve it alone.
    backdrop: Node | None = None
    scene: int = 0
    #: How far each point of the shape is moved, with the slopes of that; or, where it goes any way, where to, with the
    #: normal that it then has (`offset` is the way before it is multiplied).
    raised: Node | None = None
    offset: Node | None = None
    #: What `offset`, or the height, is multiplied by.
    amount: Uniform | None = None
    #: Whether vertices that share a place move together.
    whole: bool = True
    #: Whether it needs to know where the shape's far side is, and what was drawn of that.
    back: bool = False
    layered: bool = False
    #: Which way the key lamp lies, where what it sees of the shape is drawn for light to be cast from.
    lamp: Node | None = None
    #: Whether what it sees may differ from frame to frame.
    lamp_moves: bool = False
    #: Whether it is so in places only: elsewhere the far side shows through as it does with any surface.
    partly: bool = False
    #: Whether neighbours may stand before the shape.
    hidden: bool = False
    #: What of the camera goes beside where it stands, by field.
    travel: dict[str, Uniform] = field(default_factory=dict)
    pictures: list[Picture] = field(default_factory=list)
    #: Whether the near side of the shape covers all of its far side.
    closed: bool = True
    #: What `run.evaluate.Evaluation` finds out about a node, once.
    ready: dict[tuple[int, bool], Any] = field(default_factory=dict, repr=False, compare=False)
    #: The phase that was asked for last, and what was in motion then, by the names of uniforms.
    moment: tuple[float, dict[str, Numbers]] = field(default=(nan, {}), repr=False, compare=False)

    @property
    def layer(self) -> Literal["", "laid", "kept", "again"]:
        """What becomes of the far side where it is drawn by itself for the near side to look up.

        It is laid on the scene. Where neighbours may hide it, it is only kept if the near side covers
        all of it and all of that is clear, and drawn once more if there are places where it is not so.
        """
        if not self.layered or not self.hidden:
            return "laid" if self.layered else ""
        return "kept" if self.closed and not self.partly else "again"

    @property
    def travels(self) -> bool:
        """Whether the camera is not everywhere in the turn where it is now."""
        return any(u.track for u in self.travel.values())

    @property
    def own(self) -> list[Node]:
        """The nodes that are drawn on the shape."""
        return self.nodes[: self.scene]

    def asks(self, name: str) -> bool:
        """Whether anything asks for what is known of a surface point under a name."""
        return any(isinstance(a, FromPoint) and a.name == name for n in self.nodes for a in n.args)

    def needed(self, *nodes: Node) -> list[Node]:
        """Nodes and all they are made from, in order."""
        wanted: set[int] = set()
        waiting = list(nodes)
        while waiting:
            n = waiting.pop()
            if n.index in wanted:
                continue
            wanted.add(n.index)
            waiting += n.takes
        return [n for n in self.nodes if n.index in wanted]
