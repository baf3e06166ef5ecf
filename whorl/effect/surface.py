"""The surface: how the effect composites, its channels, and when each of them acts."""

from dataclasses import replace
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, model_validator

from whorl.effect.described import Condition, Elsewhere, Need, choice, linear, number, part, switch, there
from whorl.effect.upgrade import surface as upgraded
from whorl.effect.upgrade import with_second
from whorl.effect.value import Id, Model, Value
from whorl.shapes import SHAPES

LIT = Condition("a lit surface", "make it lit", (Need("surface/lighting", ("lit",)),))
CUT_AWAY = Condition("a cut-away surface", "make it cut away", (Need("surface/composite", ("cut away",)),))
SEE_THROUGH = Condition("a see-through surface", "make it see-through", (Need("surface/composite", ("see-through",)),))
GLOWING = Condition("a glowing surface", "make it glow", (Need("surface/composite", ("glowing",)),))
CAPPABLE = Condition(
    "a cut-away surface on a closed shape",
    "",
    (*CUT_AWAY.needs, Need("stage/shape", tuple(name for name, shape in SHAPES.items() if shape.closed))),
)
CAPPED = Condition("a cut-away body with a cap", "", (*CAPPABLE.needs, Need("surface/capped", (True,))))
CLEAR = Condition(
    "a clear body",
    "make it a clear body",
    (Need("surface/composite", ("see-through",)), Need("surface/body", ("filled", "hollow"))),
)
FILMED = Condition(
    "a lit surface with a film",
    "give it a film",
    (*LIT.needs, Need("surface/film", other_than=(0, 0.0), mend=350.0)),
)
BOTH_SIDES = Condition("both sides", "show both sides", (Need("surface/sides", ("both",)),))
MOVED = Condition("a strand on displacement", "", (Need("surface/channels/displacement", other_than=((), [])),))
DIRECTED = Condition(
    "displacement in a direction",
    "move it in a direction",
    (*MOVED.needs, Need("surface/displaced", ("in a direction",))),
)
PULLED = Condition(
    "displacement as colours say",
    "move it as colours say",
    (*MOVED.needs, Need("surface/displaced", ("as colours say",))),
)
OPEN = (CUT_AWAY, SEE_THROUGH, GLOWING)


class Entry(Model):
    """One strand on a channel, through a tint and a gain."""

    strand: Id
    bead: Id | None = None
    tint: Value = linear((1.0, 1.0, 1.0), "The colour it is multiplied by.")
    gain: Value = number(1.0, "How bright it is; over 1 it glows.", (0, 8), (0, 1000))


Entries = Annotated[tuple[Entry, ...], Field(max_length=8)]
_UNTINTED = ("strand", "bead", "gain")


def _light(words: str, label: str = "", acts: tuple[Condition, ...] = ()) -> Any:
    return part((), words, label=label, acts=acts)


def _measure(words: str, label: str = "", acts: tuple[Condition, ...] = ()) -> Any:
    return part((), words, label=label, acts=acts, only=_UNTINTED)


class Channels(Model):
    """Which strands feed which channels; the words say how the entries of each come together."""

    base: Entries = _light("later entries lie over earlier", "base colour")
    emission: Entries = _light("entries add up")
    opacity: Entries = _measure("entries multiply", acts=OPEN)
    roughness: Entries = _measure("0 mirrors, 1 is dull", acts=(LIT, CLEAR))
    metallic: Entries = _measure("1 is a metal", acts=(LIT,))
    normal: Entries = _measure("which way it faces", acts=(LIT, CLEAR))
    occlusion: Entries = _measure("0 keeps the sky's light off", acts=(LIT,))
    refraction: Entries = _measure("0 bends nothing, 1 by the index", acts=(CLEAR,))
    absorption: Entries = _light("the colour seen at the depth", acts=(CLEAR,))
    scattering: Entries = _measure("multiplies the milkiness", acts=(CLEAR,))
    film: Entries = _measure("multiplies the film's thickness", acts=(FILMED,))
    background: Entries = _light("multiplies what is seen through", "background gain", (CLEAR,))
    cast: Entries = _light("colours the key light on neighbours", "cast light", OPEN)
    displacement: Entries = _measure("entries add up and move the surface")


_GLOSS = "The strands give gloss: each is turned round, 1 mirrors."
_ROUGHNESS = "0 mirrors, 1 is dull; strands lie over it."
_METALLIC = "1 is a metal; strands lie over it."


Composite = Literal["solid", "cut away", "see-through", "glowing"]
_COMPOSITE = "How it goes with what is behind."
_COMPOSITES = {
    "solid": "hides what is behind",
    "cut away": "whole or gone, by a level of the opacity",
    "see-through": "covers by its opacity",
    "glowing": "only adds light",
}


class Material(Model):
    """How one surface composites, what light it has, and its channels.

    `cut` is the opacity where a cut-away surface ends. If it is `capped`, a closed shape is full of matter up to there,
    and a cap of a colour of its own is seen where that ends: for opacities that change through the shape, such as a
    height, noise or waves over object or box coordinates.

    `opacity`, `roughness` and `metallic` are what it is where no strand says otherwise; with
    `gloss`, strands on the roughness channel are taken as gloss and turned round. `index` is what
    it mirrors by.

    With `body`, a see-through surface is clear matter: `filled` all through, or a `hollow` skin.
    What lies behind is bent by `refraction`, spread by `blur`, takes on the colour `absorbed` at the depth
    `absorbed_at`, is veiled by `scattering` a unit, and multiplied by `background`. `film` is the
    thickness of a skin on it in nanometres, of `film_index`; 0 is none.

    The displacement channel's strands add up and move the surface by `displacement` times as many
    units, along its normal, in a `direction`, or any way, as colours and directions say in a `space`. Unless it stays
    `whole`, vertices that share a place each go by themselves.
    """

    composite: Composite = choice("see-through", _COMPOSITE, _COMPOSITES)
    lighting: Literal["self-lit", "lit"] = choice(
        "self-lit",
        "What light it has.",
        {"self-lit": "its own colour and glow; no lamp falls on it", "lit": "lamps and sky of the stage fall on it"},
    )
    cut: Value = number(
        0.5, "The opacity where the surface ends.", (0, 1), (-1000, 1000), label="cut at", acts=(CUT_AWAY,), fed=True
    )
    capped: bool = switch(
        False, "A closed shape is filled: a cap lies where the level cuts it.", label="filled", acts=(CAPPABLE,)
    )
    cap: Value = linear((0.6, 0.6, 0.6), "The colour of the cap, by its place.", acts=(CAPPED,), fed=True)
    cap_glow: Value = linear(
        (0.0, 0.0, 0.0), "The light of the cap's own.", label="cap's glow", acts=(CAPPED,), fed=True
    )
    roughness: Value = number(0.5, _ROUGHNESS, (0, 1), (0, 1), acts=(LIT, CLEAR))
    metallic: Value = number(0.0, _METALLIC, (0, 1), (0, 1), acts=(LIT,))
    index: Value = number(
        1.5, "What it mirrors by: water 1.33, glass 1.5, 1 mirrors nothing.", (1, 2.5), (1, 4), acts=(LIT,), fed=True
    )
    gloss: bool = switch(
        False,
        _GLOSS,
        acts=(Condition("a strand on roughness", "", (Need("surface/channels/roughness", other_than=((), [])),)),),
    )
    opacity: Value = number(1.0, "How much it hides; masks multiply it.", (0, 1), (0, 1), acts=OPEN)
    body: Literal["none", "filled", "hollow"] = choice(
        "none",
        "Whether it is clear matter.",
        {
            "none": "what is behind shows by the opacity alone",
            "filled": "light bends going in and coming out",
            "hollow": "a skin; light bends once",
        },
        acts=(SEE_THROUGH,),
        # At full opacity its own matter would hide all that a clear body is chosen to show.
        sets={"filled": {"surface/opacity": 0.0}, "hollow": {"surface/opacity": 0.0}},
    )
    refraction: Value = number(
        1.0, "How much it bends what lies behind: 1 nothing, water 1.33.", (1, 1.8), (1, 4), acts=(CLEAR,)
    )
    absorbed: Value = linear((1.0, 1.0, 1.0), "The colour white takes on behind it.", acts=(CLEAR,), fed=True)
    absorbed_at: Value = number(
        1.0, "The depth where that colour is seen.", (0.1, 4), (0.001, 1000), "units", acts=(CLEAR,), fed=True
    )
    milk: Value = linear((0.8, 0.9, 1.0), "The colour of its milkiness.", acts=(CLEAR,), fed=True)
    scattering: Value = number(0.0, "How much each unit of way veils.", (0, 3), (0, 1000), acts=(CLEAR,))
    background: Value = linear((1.0, 1.0, 1.0), "Multiplies what is seen through it.", acts=(CLEAR,), fed=True)
    blur: Value = number(
        0.0, "How much what is behind is blurred, whatever bends it.", (0, 1), (0, 1), acts=(CLEAR,), fed=True
    )
    film: Value = number(
        0.0, "The thickness of a skin on it; 0 is none.", (0, 900), (0, 3000), "nm", acts=(LIT,), apart=(0.0,)
    )
    film_index: Value = number(
        1.33, "The skin's index: soap 1.33, oil 1.47.", (1, 2.5), (1, 4), acts=(FILMED,), fed=True
    )
    displaced: Literal["along the normal", "in a direction", "as colours say"] = choice(
        "along the normal",
        "Which way displacement moves it.",
        {
            "along the normal": "each point by its own way out",
            "in a direction": "by a number or a strand, as far as the heights say",
            "as colours say": "each point by its colour or direction; a value goes along the normal",
        },
        label="moved",
        acts=(MOVED,),
    )
    displacement: Value = number(
        0.1, "How far a height of 1 moves the surface.", (-0.5, 0.5), (-100, 100), "units", acts=(MOVED,)
    )
    direction: Value = number(
        (0.0, 1.0, 0.0), "The way it is moved.", (-1, 1), (-1000, 1000), acts=(DIRECTED,), fed=True
    )
    space: Literal["of the shape", "of the surface"] = choice(
        "of the shape",
        "What red, green and blue are ways along.",
        {"of the shape": "x, y and z of the shape", "of the surface": "along u, square to it, and outwards"},
        acts=(PULLED,),
    )
    whole: bool = switch(
        True,
        "Edges of the shape stay whole where it is moved; else they part, as most receivers draw them.",
        acts=(MOVED,),
    )
    channels: Channels = part(Channels(), silent=True)

    @property
    def clear(self) -> bool:
        """Whether it is clear matter."""
        return self.composite == "see-through" and self.body != "none"

    @model_validator(mode="before")
    @classmethod
    def _older(cls, given: Any) -> Any:
        return upgraded(given)


_SECOND: Elsewhere = ("surface/", "surface/second/")
SECOND_LIT, SECOND_CLEAR = (
    replace(c, words=f"{c.words} as the second", mend="", needs=tuple(there(n, _SECOND) for n in c.needs))
    for c in (LIT, CLEAR)
)


class SecondChannels(Channels):
    """The channels of a second surface."""

    elsewhere: ClassVar[Elsewhere] = _SECOND


class Second(Material):
    """A second material on the same shape, where the mask of a strand is 1; between, the two are mixed.

    Where both go alike with what is behind and have light of the same kind, what they are made of is mixed, and lit
    once; else each is lit by itself and the two pictures are mixed. Either way a mask of 0 gives the first alone, and
    one of 1 the second. Its front, where the mask passes from 0 to 1, glows in a colour.
    """

    elsewhere: ClassVar[Elsewhere] = _SECOND

    strand: Id
    bead: Id | None = None
    # Always written, since a document without it is one in which the second surface had no more than its channels.
    composite: Composite = choice(..., _COMPOSITE, _COMPOSITES)
    front: Value = linear(
        (0.3, 1.0, 0.72), "The colour of the glow between the two surfaces.", label="front's colour", fed=True
    )
    front_gain: Value = number(0.0, "How bright the front glows.", (0, 8), (0, 1000), fed=True)
    front_width: Value = number(0.5, "How much of the passage glows.", (0.05, 1), (0.01, 1), fed=True)
    channels: SecondChannels = part(SecondChannels(), silent=True)


class Surface(Material):
    """The material of an effect, which of its sides are seen, and what it may turn into."""

    sides: Literal["front", "back", "both"] = choice(
        "both",
        "Which sides of the shape are seen.",
        {
            "both": "the far side shows through the near one",
            "front": "the near side alone",
            "back": "the far side alone",
        },
    )
    far: Value = number(
        1.0, "How much of the far side shows.", (0, 1), (0, 1), label="far side", acts=(BOTH_SIDES,), fed=True
    )
    second: Second | None = part(
        None,
        "Another material on the same shape, such as verdigris on copper, or a whole effect.",
        label="second surface",
    )

    @property
    def materials(self) -> dict[str, Material]:
        """What it is made of, by place."""
        first: dict[str, Material] = {"surface": self}
        return first | ({"surface/second": self.second} if self.second else {})

    @model_validator(mode="before")
    @classmethod
    def _as_the_first(cls, given: Any) -> Any:
        return with_second(upgraded(given))
